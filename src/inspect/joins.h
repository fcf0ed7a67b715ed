#pragma once
#include "base/tolerances.h"
#include "brep/body.h"

namespace lumsk::inspect {

/// How well the two faces of one edge meet: worst of 33 places inside it, each side evaluated on its own surface
/// through its own parameter curve.
struct Join {
  std::string edge;
  double gapMm = 0.0;
  double angleDeg = 0.0; ///< not where a face that runs out in a tip is narrower than 0.02 mm
  double curvatureRel = 0.0; ///< |k1 - k2| / max(|k1|, |k2|, 1/(10 L)), across the edge; L the body's diagonal
  double rateRel = 0.0;      ///< of dk/ds likewise, with the floor 1/(10 L)^2
  Vec3 gapAt = Vec3::Zero(), angleAt = Vec3::Zero(), curvatureAt = Vec3::Zero(), rateAt = Vec3::Zero();
  Meets asked = Meets::Free; ///< what its steps were asked for; `Free`: nothing is known
  bool measured = true; ///< false: the figures could not be taken, and say nothing
  bool meantSmooth = false; ///< asked to be tangent or better, or below 5 degrees when nothing was asked
  /// Best of "G3", "G2", "G1", "G0", "-" that the tolerances allow, of rates 5 % at least; "?" where nothing could be measured.
  std::string achieved(const Tolerances& t) const;
  /// "G2", "square"; empty where nothing is known.
  std::string askedFor() const;
  /// Whether that is reached; true where nothing is known.
  bool reached(const Tolerances& t) const;
  /// As lists and pictures colour it: as meant; G1 where more is usual, or less than what was asked for; open, bent, or
  /// not measured; meant sharp.
  enum class Grade { Good, Fair, Bad, Sharp };
  Grade grade(const Tolerances& t) const;
  /// How far it misses what was meant, to list the worst first: open edges, then bent ones, then those whose curvature
  /// jumps, then what was meant sharp (negative).
  double badness(const Tolerances& t) const;
  Vec3 worstAt(const Tolerances& t) const; ///< where it misses most
};

/// All edges where two faces meet, seams of one face with itself included; also those that could not be measured.
std::vector<Join> joins(const brep::Body& b, const Tolerances& tol);

struct JoinSummary {
  int smoothEdges = 0;
  int unmeasured = 0; ///< edges whose figures could not be taken
  double gapMm = 0.0, angleDeg = 0.0, curvatureRel = 0.0; ///< worst over the smooth edges (gap: over all)
  Vec3 worstAt = Vec3::Zero();
};
JoinSummary summarise(const std::vector<Join>& joins);

} // namespace lumsk::inspect
