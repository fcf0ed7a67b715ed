#pragma once
#include "brep/history.h"
#include "brep/rings.h"
#include "nurbs/patch/fill.h"

namespace lumsk::brep {

/// What is asked for at an edge of a ring.
struct FillAsked {
  Meets meets = Meets::G0;
  nurbs::Neighbour neighbour; ///< of `G1` and `G2`
  std::optional<nurbs::WayOut> out = {}; ///< of the face that the neighbour is
};

struct Filled {
  std::vector<NamedFace> faces; ///< the trimmed one, or the patches
  bool flat = false; ///< a plane
  nurbs::FillResult fill; ///< of others
  int controlPoints = 0;
  double patchesOffMm = 0.0, patchesOffDeg = 0.0; ///< from the one skin that they divide
  std::vector<Vec3> middles; ///< of the ring's edges
  double bridgedMm = 0.0; ///< the largest gap between two of them that was closed
};

enum class FillForm { Trimmed, Patches };

/// A face that closes a ring of edges and flows into what lies beside each of them: a plane where all of them lie in one
/// and nothing else is asked for, else one trimmed spline (`nurbs::fill`); or that as four-sided patches (`nurbs::patchesOf`). `nameOf`: the face's
/// name by the number of its patch, 0 for the only one. The edges are copied; ends that miss one another
/// are brought together. Fails with LM-V001 (the ring is open: where), LM-V015 (an edge is very short), LM-V003 (the face cannot follow its ring), and as
/// `nurbs::fill` does; the edge that a problem tells of is counted from 1.
Expected<Filled> filled(const Ring& ring, const std::vector<FillAsked>& asked, const nurbs::FillOptions& options,
                        FillForm form, const std::function<std::string(int)>& nameOf, const Context& cx);

} // namespace lumsk::brep
