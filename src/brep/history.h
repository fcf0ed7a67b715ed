#pragma once
#include "brep/names.h"

#include <optional>

class BRepBuilderAPI_MakeShape;
class BRepBuilderAPI_Sewing;

namespace lumsk::brep {

/// A face on its way into a new body, with what is known of it.
struct NamedFace {
  TopoDS_Face face;
  std::string name;
  std::optional<NaturalFace> natural;
};

/// All faces of a body with their names.
std::vector<NamedFace> namedFaces(const Body& b);

/// What becomes of named faces in operations of the kernel: their names go to all their pieces, and untrimmed ones that
/// the operation left alone keep their splines.
class FaceHistory {
public:
  /// Booleans, rounds and the like, after they were built: a face, and what was made of it.
  void take(BRepBuilderAPI_MakeShape& op, const NamedFace& face);
  /// Pieces of a face that the operation brought along (a cutter's), under a name of their own; those of none count
  /// for nothing.
  void takeNew(BRepBuilderAPI_MakeShape& op, const TopoDS_Shape& from, const std::string& name);
  /// Sewing joins faces along their edges and leaves them whole. Gives the face that it has become.
  TopoDS_Face take(BRepBuilderAPI_Sewing& op, const NamedFace& face);
  /// What the name of an open edge says besides its face.
  void label(const TopoDS_Shape& edge, const std::string& words) { labels_.Bind(edge, words); }
  /// A face that is as it was.
  void keep(const NamedFace& face);

  /// Names all parts of a body whose shape is final, and gives its faces their splines, with the side that is their
  /// outside now.
  void finish(Body& body) const;

private:
  FaceNames names_;
  EdgeLabels labels_;
  std::map<std::string, NaturalFace> natural_;
};

} // namespace lumsk::brep
