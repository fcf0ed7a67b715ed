#pragma once
#include "nurbs/loft/loft.h"
#include "nurbs/sweep/rail_frames.h"
#include "nurbs/sweep/rail_stations.h"

namespace lumsk::nurbs {

enum class RailCorners {
  Mitre, ///< both sides end in the plane between them
  Round, ///< by an arc of a radius
  Split  ///< each stretch ends square
};

/// What is one face where a rail or a profile has joints that are no corners.
enum class SweepFaces {
  Pieces, ///< one a piece of the profile and of the rail
  Along,  ///< one a piece of the profile, along all of the rail
  All     ///< one from corner to corner
};

struct SweepOptions {
  /// Turn and size count along all of the rail; where the profile stands it is as it was drawn.
  RailFrameOptions frame;
  double size = 1.0; ///< of the whole profile, about the rail
  RailCorners corners = RailCorners::Mitre;
  double cornerRadiusMm = 1.0;
  SweepFaces faces = SweepFaces::All;
  bool planes = false; ///< along one open rail, several profiles: planes across the way turn from one's plane to the next one's
  bool whole = false;  ///< of several profiles: the outer ones are carried on to the rail's ends
  bool widthOnly = false;           ///< of two rails: heights stay as they are
  LengthTolerance largestGap{0.01}; ///< profiles that miss a rail by at most this are pulled onto it
  int degree = 3;                   ///< across several profiles
  LoftEndOptions start, end, left, right;
  std::optional<Frame> mirror;
  std::vector<PairLine> pairs; ///< of several profiles, in the order in which they are given
};

struct SweepResult {
  struct Face {
    Surface surface; ///< u along the profile, v along the rail
    int stretch = 0, railPiece = 0, strip = 0, profilePiece = 0;
    bool first = false, last = false; ///< at the start or the end of the rail
  };
  std::vector<Face> faces;
  int stretches = 1, railPieces = 1, strips = 1, profilePieces = 1; ///< how many there are, of both
  bool apart = false; ///< stretches do not touch one another
  std::vector<int> order;                     ///< of the profiles along the rail: their numbers
  std::vector<std::vector<Station>> stations; ///< of every profile, in the given order: one a rail
  std::vector<Section> sections;              ///< in order, as they were used: pulled and aligned
  Alignment alignment;
  std::vector<Frame> crosses; ///< along the rail, for people to see
  double deviationMm = 0.0;   ///< of the skin from where the profile is carried, from the profiles, and from several rails that these touch
  double railGapMm = 0.0;     ///< by how much profiles were pulled onto rails at most
  double twistDeg = 0.0;      ///< how far the profile has turned about the rail, beyond least twist
  SkinJoin join;
  bool joins = false; ///< an end or a side flows on
  bool closedProfile = false, closedRail = false;
};

/// Skin that a profile leaves while it is carried along one to three rails; of several, that blends from one to the
/// next. One rail: frames as wanted (least twist by double reflection; Wang, Juettler, Zheng & Liu 2008); two: similar to
/// the pair of rails; three: affine. Position, frame, turn and size are functions of the rail's length to which the
/// skin is fitted. A single profile goes along all of the rail, both ways where it stands on the way; several from the
/// first to the last one. Fails as `loft` does, and with LM-Y001 (a profile or rail cannot be used), LM-Y002 (two
/// profiles stand in one place), LM-Y003 (the rail bends more tightly than the profile reaches), LM-Y004 (the skin folds),
/// LM-Y005 to LM-Y008 (see `RailFrames`, `ManyRails`), LM-Y009 (corners that cannot be).
Expected<SweepResult> sweep(const std::vector<Section>& profiles, const std::vector<Path>& rails,
                            const SweepOptions& options, const Context& cx);

/// The order in which a rail passes profiles, in the sense in which they were given.
std::vector<int> orderAlongRail(const std::vector<Section>& profiles, const Path& rail, LengthTolerance point);

/// Profiles brought onto the start of a rail together: their middle, or their place nearest to the rail; turned square to
/// it if wanted.
enum class BroughtBy { Middle, Nearest };
Expected<std::vector<Section>> broughtToStart(const std::vector<Section>& profiles, const Path& rail, BroughtBy by, bool square,
                                    const Tolerances& tol);

} // namespace lumsk::nurbs
