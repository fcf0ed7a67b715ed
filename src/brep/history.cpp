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

namespace {

/// A face's name, numbered where another one has it already and either of them is known by its spline: copies of one body
/// are called alike. Pieces of a face that was cut are numbered by their places later.
std::string freeName(const NamedFace& face, const FaceNames& names, const std::map<std::string, NaturalFace>& natural) {
  const auto taken = [&](const std::string& name) {
    if (natural.count(name)) return true;
    for (FaceNames::Iterator i(names); i.More() && face.natural; i.Next())
      if (i.Value() == name) return true;
    return false;
  };
  std::string name = face.name;
  for (int k = 2; taken(name); ++k) name = face.name + "#" + std::to_string(k);
  return name;
}

} // namespace

void FaceHistory::keep(const NamedFace& face) {
  const std::string name = names_.IsBound(face.face) ? names_(face.face) : freeName(face, names_, natural_);
  names_.Bind(face.face, name);
  if (face.natural) natural_[name] = *face.natural;
}

void FaceHistory::take(BRepBuilderAPI_MakeShape& op, const NamedFace& face) {
  const TopTools_ListOfShape& pieces = op.Modified(face.face);
  if (pieces.IsEmpty() && !op.IsDeleted(face.face)) return keep(face);
  const std::string name = freeName({face.face, face.name, {}}, names_, natural_);
  for (const TopoDS_Shape& s : pieces) names_.Bind(s, name);
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
