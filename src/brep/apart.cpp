#include "brep/apart.h"

#include "brep/assemble.h"
#include "brep/split/cells.h"

#include <BRep_Tool.hxx>
#include <NCollection_DataMap.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ShapeMapHasher.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep {

std::vector<BodyPtr> facesApart(const Body& b, const std::vector<int>& which, bool single) {
  const std::vector<NamedFace> all = namedFaces(b);
  split::Groups groups(which.size());
  NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher> seen;
  for (size_t i = 0; i < which.size() && !single; ++i)
    for (TopExp_Explorer e(all[size_t(which[i])].face, TopAbs_EDGE); e.More(); e.Next()) {
      if (BRep_Tool::Degenerated(TopoDS::Edge(e.Current()))) continue;
      if (seen.IsBound(e.Current()))
        groups.join(int(i), seen(e.Current()));
      else
        seen.Bind(e.Current(), int(i));
    }
  const EdgeLabels labels = labelsOf(b);
  std::vector<BodyPtr> out;
  std::vector<char> done(which.size(), 0);
  for (size_t i = 0; i < which.size(); ++i) {
    if (done[i]) continue;
    std::vector<NamedFace> together;
    for (size_t k = i; k < which.size(); ++k)
      if (groups.of(int(k)) == groups.of(int(i))) done[k] = 1, together.push_back(all[size_t(which[k])]);
    auto body = std::make_shared<Body>(*skinOf(together, labels));
    const auto edgesNow = edges(*body);
    for (size_t k = 0; k < edgesNow.size(); ++k)
      if (const auto asked = b.asked.find(body->edgeNames[k]); asked != b.asked.end()) body->asked.insert(*asked);
    out.push_back(body);
  }
  return out;
}

BodyPtr turnedOver(const Body& b) {
  auto out = std::make_shared<Body>(b);
  out->shape = b.shape.Reversed();
  for (auto& [name, face] : out->natural) face.reversed = !face.reversed;
  return out;
}

} // namespace lumsk::brep
