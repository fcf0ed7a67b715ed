#include "steps/bodies.h"

#include "brep/thicken_parts.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

std::vector<int> PickedParts::otherFaces() const {
  std::vector<int> out;
  for (int i = 0; i < int(body->faceNames.size()); ++i)
    if (std::find(faces.begin(), faces.end(), i) == faces.end()) out.push_back(i);
  return out;
}

std::vector<PickedParts> partsByBody(const std::vector<Picked>& picks) {
  std::vector<PickedParts> out;
  std::vector<char> whole;
  for (const Picked& p : picks) {
    size_t i = 0;
    while (i < out.size() && out[i].object != p.objectId()) ++i;
    if (i == out.size()) {
      out.push_back({p.body ? p.body : std::get<brep::BodyPtr>(p.object), {}, {}, p.item, p.objectId()});
      whole.push_back(0);
    }
    if (p.kind != Kind::Face && p.kind != Kind::Edge) {
      whole[i] = 1;
      continue;
    }
    auto& list = p.kind == Kind::Face ? out[i].faces : out[i].edges;
    if (std::find(list.begin(), list.end(), p.index) == list.end()) list.push_back(p.index);
  }
  for (size_t i = 0; i < out.size(); ++i)
    if (whole[i]) out[i].faces.clear(), out[i].edges.clear();
  return out;
}

void putParts(Outcome& out, const PickedParts& of, const std::vector<brep::BodyPtr>& bodies) {
  const bool first = out.outputs.empty();
  for (size_t i = 0; i < bodies.size(); ++i) {
    std::string name = first ? "" : of.item;
    if (i > 0) name += (name.empty() ? "" : "-") + bodies[i]->faceNames.front();
    out.outputs.push_back({name, bodies[i], i == 0 ? of.object : ""});
  }
  out.usedUp.push_back(of.object);
}

std::optional<brep::PlaceOnBody> placeOnFront(const brep::Body& b, int face, const Context& cx) {
  const auto inside = brep::pointsInside(brep::faces(b)[size_t(face)], 5);
  if (inside.empty()) return {};
  auto on = brep::BodyFaces::of(b, face, cx);
  if (!on) return {};
  return on->nearest(inside[inside.size() / 2]);
}

} // namespace lumsk::steps
