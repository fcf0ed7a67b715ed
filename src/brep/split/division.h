#pragma once
#include "base/context.h"
#include "brep/body.h"
#include "nurbs/core/path.h"

#include <set>

namespace lumsk::brep {

/// What divides bodies: a plane, a body or one of its faces, or a curve.
struct Divider {
  std::string id; ///< lasting: edges are named by it
  std::optional<Frame> plane;
  BodyPtr body;
  int face = -1; ///< of the body; -1: all
  std::shared_ptr<const nurbs::Path> path;
  /// Along which the curve is carried through the bodies; without one its nearest places on them count.
  std::optional<Vec3> direction;
};

/// On which side of a divider something lies: a plane's and a skin's front is where its normals point, a solid's is its
/// outside, a ring's is within it, an open curve's is to its left, seen from outside of what is divided.
enum class SideOf { None, Front, Back, Both };

/// A connected part of a body between the cuts.
struct Piece {
  int target = -1;
  std::vector<std::string> faces;       ///< names of the faces that it is of, in order
  std::map<std::string, SideOf> sides;  ///< by the dividers that bound it
  Vec3 at = Vec3::Zero(), normal = Vec3::Zero(); ///< a place well within it
  double areaMm2 = 0;                   ///< about
};

/// A divider that had to be carried on beyond its border.
struct CarriedOn {
  std::string divider;
  double mm = 0;
  Vec3 at = Vec3::Zero();
};

struct DivisionOptions {
  double reachMm = -1;   ///< so far dividers may be carried on, straight; negative: an eighth of their size
  std::string step = {}; ///< that faces which close solids are named by: "STEP.cut(divider)"
};

/// A body that is left of one.
struct Divided {
  int target = -1;
  BodyPtr body;
};

/// Bodies divided by others, by planes and by curves: pieces first, bodies of those that are kept afterwards. Faces are
/// cut by curves that lie on both sides within 0.001 mm and are shared by all that meets there, so nothing is sewn
/// (see docs/architecture.md). Solids are closed again by the cutters' faces. Names of faces stay; new edges are named
/// "face|cut:divider".
class Division {
public:
  /// Fails with LM-C001 (nothing is cut: nearest distance and place), LM-C002 (a divider lies on a face over an area),
  /// LM-C003 (dividers stop short: how far, place), LM-C010 to LM-C013.
  static Expected<std::unique_ptr<Division>> of(const std::vector<BodyPtr>& targets,
                                                const std::vector<Divider>& dividers, const DivisionOptions& options,
                                                const Context& cx);
  ~Division();

  const std::vector<Piece>& pieces() const;
  const std::vector<CarriedOn>& carriedOn() const;
  /// LM-C103: dividers that divide nothing, or only touch; LM-C104: contact along a line.
  const std::vector<Problem>& notes() const;

  /// Bodies of the pieces that are kept, the largest of every target first. Cuts between kept pieces go, unless
  /// `keepCuts`. `apart`: pieces become bodies each, also where they meet. Fails with LM-C004 where nothing is kept, LM-C011,
  /// LM-K002.
  Expected<std::vector<Divided>> bodies(const std::vector<char>& kept, bool keepCuts, bool apart,
                                        const Context& cx) const;
  /// How far a place lies from a piece.
  double distanceMm(int piece, const Vec3& from) const;
  /// The faces around one piece, for show.
  Expected<BodyPtr> skinOf(int piece) const;

private:
  Division();
  struct State;
  std::unique_ptr<State> s_;
};

} // namespace lumsk::brep
