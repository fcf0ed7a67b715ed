#pragma once
#include "brep/names.h"
#include "brep/skin.h"
#include "brep/thicken.h"
#include "shapes/vessels.h"

#include <TopExp_Explorer.hxx>

namespace lumsk::test {

/// Skin through sections with fronts outside, named as the step would.
inline Expected<brep::BodyPtr> skinThrough(const std::vector<nurbs::Section>& sections, nurbs::LoftOptions o = {}) {
  const auto r = nurbs::loft(sections, o, {});
  if (!r) return fail(r.error());
  std::vector<brep::NamedSurface> named;
  for (size_t k = 0; k < r->strips.size(); ++k) {
    const auto& s = r->strips[k];
    const Vec3 centre = s.grid().colwise().mean().transpose();
    const bool inwards = s.normal(0.5, 0.5).dot(s.at(0.5, 0.5) - centre) < 0 && r->strips.size() == 1;
    named.push_back({std::make_shared<nurbs::Surface>(s), "t.skin" + std::to_string(k), inwards});
  }
  return brep::skinFromSurfaces(named, {});
}

/// A body of the kernel with named faces.
inline brep::Body kernelBody(const TopoDS_Shape& s) {
  brep::Body b;
  b.shape = s;
  brep::FaceNames names;
  int k = 0;
  for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next())
    names.Bind(e.Current(), brep::faceName("k", "face", std::to_string(++k)));
  brep::nameBody(b, names);
  return b;
}

inline brep::BodyPtr tumblerSkin() {
  nurbs::LoftOptions o;
  o.start = Meets::Perpendicular;
  return *skinThrough(tumblerSections(), o);
}

} // namespace lumsk::test
