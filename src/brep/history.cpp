#include "brep/history.h"

#include <BRepBuilderAPI_MakeShape.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep {

std::vector<NamedFace> namedFaces(const Body& b) {
  std::vector<NamedFace> out;
  const auto all = faces(b);
  for (size_t i = 0; i < all.size(); ++i) {
    const auto natural = b.natural.find(b.faceNames[i]);
    out.push_back({all[i], b.faceNames[i],
                   natural == b.natural.end() ? std::nullopt : std::optional<NaturalFace>(natural->second)});
  }
  return out;
}

void FaceHistory::keep(const NamedFace& face) {
  names_.Bind(face.face, face.name);
  if (face.natural) natural_[face.name] = *face.natural;
}

void FaceHistory::take(BRepBuilderAPI_MakeShape& op, const NamedFace& face) {
  const TopTools_ListOfShape& pieces = op.Modified(face.face);
  if (pieces.IsEmpty() && !op.IsDeleted(face.face)) return keep(face);
  for (const TopoDS_Shape& s : pieces) names_.Bind(s, face.name);
}

void FaceHistory::takeNew(BRepBuilderAPI_MakeShape& op, const TopoDS_Shape& from, const std::string& name) {
  for (const TopoDS_Shape& s : op.Modified(from)) names_.Bind(s, name);
}

TopoDS_Face FaceHistory::take(BRepBuilderAPI_Sewing& op, const NamedFace& face) {
  const TopoDS_Face now = TopoDS::Face(op.IsModified(face.face) ? op.Modified(face.face) : TopoDS_Shape(face.face));
  keep({now, face.name, face.natural});
  return now;
}

void FaceHistory::finish(Body& body) const {
  // What was asked for at the sides of a face is read off its spline while edges are named.
  body.natural = natural_;
  nameBody(body, names_, labels_);
  body.natural.clear();
  const auto all = faces(body);
  for (size_t i = 0; i < all.size(); ++i) {
    const auto natural = natural_.find(body.faceNames[i]);
    if (natural == natural_.end()) continue;
    NaturalFace& n = body.natural[body.faceNames[i]] = natural->second;
    n.reversed = all[i].Orientation() == TopAbs_REVERSED;
  }
}

} // namespace lumsk::brep
