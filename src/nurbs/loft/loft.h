#pragma once
#include "base/context.h"
#include "nurbs/curves/correspond.h"
#include "nurbs/joins/neighbour.h"
#include "nurbs/joins/side_conditions.h"

#include <memory>

namespace lumsk::nurbs {

/// One end of a loft.
struct LoftEndOptions {
  Meets kind = Meets::Free;            ///< at a point not G1 to G3, elsewhere not `Flat`
  double pull = 1.0;                   ///< strength, 0.05..10; 1 is as long as an arc that does the same
  double angleDeg = 0.0;               ///< of `Angle`, -85..85
  Neighbour neighbour;                 ///< of `G1` to `G3`
  std::function<double(double)> along; ///< factor of the pull by the fraction along the section; empty: 1
  LoftEndOptions(Meets k = Meets::Free) : kind(k) {}
};

class Carrier;

/// How a skin runs from section to section.
enum class LoftWay {
  Exact,
  Relaxed, ///< as evenly as can be within a deviation
  Ruled    ///< straight, with an edge at every section
};

struct LoftOptions {
  int degree = 3; ///< across the sections, 1..7; lowered when there are too few sections, raised by end conditions
  LoftEndOptions start, end;
  /// Where open sections start and end. `Perpendicular` and `Mirror` mean a mirror plane there; `Angle` and `G1` to
  /// `G3` count between the sections, which have to leave the side so themselves.
  LoftEndOptions left, right;
  std::vector<Path> guides;         ///< curves that the skin follows between sections; each crosses all of them
  LengthTolerance largestGap{0.01}; ///< guides that miss a section by at most this are pulled onto it
  LoftWay way = LoftWay::Exact;
  LengthTolerance relaxed{0.05};             ///< how far a relaxed skin may leave its sections
  std::optional<AngleTolerance> relaxedTurn; ///< and by how much its direction along them may differ
  enum class Centre { None, Computed, Given } centre = Centre::None;
  std::optional<Path> centreLine; ///< of `Given`; else it runs through the middles of the sections
  /// Carried: the first section is only the second one, carried on, and likewise at the end; the skin is level there.
  std::array<bool, 2> carriedOn{};
  std::shared_ptr<Carrier> carrier; ///< instead: what the sections are placed on; each is used for one loft
  /// All sections are copies of one profile: how each comes from it (of points, with nothing left of it). It is fitted
  /// once, and counts by its own lengths.
  std::vector<Eigen::Affine3d> copies;
  bool around = false;            ///< the last section is followed by the first one
  std::optional<Frame>
      mirror; ///< plane of mirror ends and of sides; without one, the section's or the side's own plane
  std::vector<PairLine> pairs; ///< places that must correspond
  /// Where the curvature of all sections jumps at as many places (the ends of the arcs of rounded rectangles), these
  /// correspond, and the skin is divided there as it is at corners; of exact and ruled skins without guides, pairs, a
  /// centre line and conditions at sides.
  bool atJoints = false;
};

struct LoftResult {
  /// One per stretch between corners, or joints; u along the sections, v across them. Ruled: of every stretch one from section to
  /// section.
  std::vector<Surface> strips;
  int perStretch = 1; ///< so many of them
  Alignment alignment;
  std::vector<double> parameters;                        ///< v of every section
  double sectionDeviationMm = 0.0, sectionTurnDeg = 0.0; ///< the latter of relaxed skins
  std::vector<double> guideGapMm; ///< of each guide: by how much it was pulled onto sections at most
  double guideDeviationMm = 0.0;  ///< of the skin from its guides; at least half the largest gap
  Vec3 guideDeviationAt = Vec3::Zero();
  SkinJoin join;               ///< measured at places between the samples
  bool joins = false;          ///< an end or a side flows on or leans
  int degree = 3;              ///< degree used across
  std::optional<Frame> mirror; ///< a plane that sides or G3 ends meet
};

/// Skin through sections in order (skinning: Woodward 1988; Piegl & Tiller 1997, 10.3) on one lean knot vector for
/// all of them (see `fitLean`), interpolated across at averaged chord parameters. End conditions are derivative rows;
/// those that vary along the section are fitted together with the sections, and continue the neighbour's normal
/// sections. Guides: the skin is bent by a smooth field that vanishes on the sections (Boolean sum; Gordon 1969), and
/// the guides' crossings correspond. Fails as `alignSections`, `crossGuides`, `flowingOver` and `fitLean` do, with
/// LM-L004 where neighbouring sections coincide, LM-L005
/// where an end is to be perpendicular and its section is not planar, LM-L006 for a pull or angle out of range, LM-L008
/// where sections do not meet a mirror plane as their side asks, LM-L009 for a side or a mirror end without a plane,
/// LM-L012 for an end that a point or a curve cannot have, LM-L013 where a section does not lie on the skin that it is
/// to flow into, LM-L014 where the way to the next section stands square on that skin, LM-L015
/// where an end's directions change by jumps, LM-L026 where a guide contradicts an end, LM-L027 for too few sections to
/// run around, LM-L028 where open sections would close with half a twist, LM-L018 for guides, a centre line or ends of
/// a ruled skin, LM-L019 where no relaxed skin keeps to the angle, LM-L032 where the centre line does not pass the
/// sections in order, LM-L033 where planes square to it cross within the skin, LM-L035 for
/// neighbouring sections that cross.
Expected<LoftResult> loft(const std::vector<Section>& sections, const LoftOptions& options, const Context& cx);

} // namespace lumsk::nurbs
