#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/core/path.h"

namespace lumsk::brep {

/// What the numbers of a foreign file mean.
enum class LengthUnit { FromFile, Millimetre, Centimetre, Metre, Inch };
double mmPer(LengthUnit u); ///< 1 for `FromFile`

struct ForeignPart {
  BodyPtr body;       ///< faces are named by the file and their order in it
  std::string label;  ///< as the file calls it; may be empty
  std::string colour; ///< "#rrggbb" or empty
};

struct ForeignBodies {
  std::vector<ForeignPart> parts;
  std::vector<nurbs::Path> curves; ///< those that belong to no face
  std::string unit;                ///< "inch", as the file says; empty when it does not
  std::vector<Problem> notes;      ///< LM-I101 to LM-I111
};

struct ForeignOptions {
  LengthUnit unit = LengthUnit::FromFile; ///< formats without a unit are taken as millimetres
  std::string name;                       ///< of the file, for its ending and for people
  std::string hash;                       ///< of its bytes, for the names of faces
  double sewMm = 0; ///< faces and skins whose edges lie so near become one; nought: faces that are in no skin, where they touch
  double seconds = 180; ///< after which reading is given up at the latest; small files are given less
};

/// Bodies and free curves of a STEP (ISO 10303-21), IGES or BREP file, in mm. Solids that are inside out are turned. Runs in `lumsk-worker`: the kernel's readers
/// can crash and need not end. Fails with LM-I001 (empty), LM-I002 (of another kind, broken or cut off), LM-I003
/// (neither bodies nor curves in it), as `runInWorker` does, or `cancelled`.
Expected<ForeignBodies> readForeign(const std::string& bytes, const ForeignOptions& options, const Context& cx);

/// The same within this process: what the worker does.
Expected<ForeignBodies> readForeignHere(const std::string& bytes, const ForeignOptions& options, const Context& cx);

} // namespace lumsk::brep
