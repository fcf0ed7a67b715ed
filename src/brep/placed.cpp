#include "brep/placed.h"

#include "brep/guard.h"
#include "brep/names.h"
#include "brep/skin.h"

#include <BRepBuilderAPI_GTransform.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <gp_GTrsf.hxx>
#include <gp_Trsf.hxx>

namespace lumsk::brep {

namespace placing {

NaturalFace placedFace(NaturalFace f, const Eigen::Affine3d& t) {
  f.surface = std::make_shared<const nurbs::Surface>(nurbs::transformed(*f.surface, t));
  if (t.linear().determinant() < 0) f.reversed = !f.reversed; // the image of the front is the front
  if (f.uncut) f.uncut = std::make_shared<const NaturalFace>(placedFace(*f.uncut, t));
  return f;
}

/// Lengths all change alike.
bool evenly(const Eigen::Matrix3d& m) {
  const Eigen::Matrix3d square = m.transpose() * m;
  const double scale = square.trace() / 3;
  return (square - scale * Eigen::Matrix3d::Identity()).norm() <= 1e-12 * scale;
}

TopoDS_Shape placedShape(const TopoDS_Shape& s, const Eigen::Affine3d& t) {
  const auto& m = t.matrix();
  if (evenly(t.linear())) {
    gp_Trsf trsf;
    trsf.SetValues(m(0, 0), m(0, 1), m(0, 2), m(0, 3), m(1, 0), m(1, 1), m(1, 2), m(1, 3), m(2, 0), m(2, 1), m(2, 2), m(2, 3));
    return BRepBuilderAPI_Transform(s, trsf, true).Shape();
  }
  gp_GTrsf trsf;
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 4; ++j) trsf.SetValue(i + 1, j + 1, m(i, j));
  return BRepBuilderAPI_GTransform(s, trsf, true).Shape();
}

} // namespace placing

Expected<BodyPtr> placed(const Body& b, const Eigen::Affine3d& t, const std::function<std::string(const std::string&)>& nameOf) {
  return guarded("placing a body", [&]() -> Expected<BodyPtr> {
    auto out = std::make_shared<Body>(b);
    out->shape = placing::placedShape(b.shape, t);
    if (!placing::evenly(t.linear())) LUMSK_CHECK(checkValid(out->shape));
    const auto newName = [&](const std::string& old) { return nameOf ? nameOf(old) : old; };
    out->natural.clear();
    for (const auto& [name, face] : b.natural) out->natural[newName(name)] = placing::placedFace(face, t);
    if (!nameOf) return out;
    // Placing keeps the order of all parts.
    FaceNames names;
    const auto all = faces(*out);
    for (size_t i = 0; i < all.size(); ++i) names.Bind(all[i], newName(b.faceNames[i]));
    nameBody(*out, names);
    out->asked.clear();
    for (size_t i = 0; i < b.edgeNames.size(); ++i)
      if (const auto it = b.asked.find(b.edgeNames[i]); it != b.asked.end()) out->asked[out->edgeNames[i]] = it->second;
    return out;
  });
}

Expected<BodyPtr> moved(const Body& b, const Eigen::Isometry3d& t) { return placed(b, t); }

} // namespace lumsk::brep
