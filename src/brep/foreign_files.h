#pragma once
#include "base/context.h"

#include <TopoDS_Shape.hxx>

#include <string>
#include <vector>

namespace lumsk::brep {

// What files of other programs hold, before it is sorted into bodies.

/// A piece of a file with the place, the name and the colour that its assembly gives it; in millimetres.
struct ForeignPiece {
  TopoDS_Shape shape;
  std::string label, colour;
};
struct ForeignContent {
  std::vector<ForeignPiece> pieces;
  std::string unit;          ///< as the file says; empty when it does not
  bool namesOthers = false;  ///< other files that hold parts of it; they are not opened
  int roots = 0, unread = 0; ///< things that stand by themselves, and those of them that could not be built
};

/// STEP (ISO 10303-21), IGES (5.3, fixed form) and BREP, from their bytes. Fail with LM-I002 (of another kind, broken or cut
/// off: `name` is said).
Expected<ForeignContent> stepContent(const std::string& bytes, const std::string& name, const Context& cx);
Expected<ForeignContent> igesContent(const std::string& bytes, const std::string& name, const Context& cx);
Expected<ForeignContent> brepContent(const std::string& bytes, const std::string& name);

} // namespace lumsk::brep
