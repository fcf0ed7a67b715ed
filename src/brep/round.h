#pragma once
#include "brep/cut_back.h"
#include "nurbs/patch/round_stretches.h"

namespace lumsk::brep {

/// An edge (a chain without corners, or a ring with tips) of a body with the faces on both sides of it, ready to be rolled along.
class RollingEdge {
  struct Skin;

public:
  /// Skins of one body that are ready, for other edges on the same faces. For one thread.
  using Skins = std::map<std::pair<std::vector<int>, double>, std::shared_ptr<const Skin>>;
  /// `reachMm`: how far its skins have to go on beyond their borders. Fails with LM-H025.
  static Expected<RollingEdge> of(const BodyPtr& body, nurbs::Path path, double reachMm, const Context& cx, Skins* ready = nullptr);
  nurbs::RoundEdge edge() const;
  /// A stretch of it; sizes along it are those of the run.
  RollingEdge along(const nurbs::RoundStretch& stretch) const;
  const nurbs::Path& path() const { return *path_; }
  const EdgeSides& sides() const { return sides_; }
  std::array<bool, 2> fades() const { return stretch_ ? stretch_->fades : std::array<bool, 2>{}; }
  /// Sizes along it, of the run's.
  std::function<double(double)> sizes(std::function<double(double)> ofRun) const;

private:
  static Expected<std::shared_ptr<const Skin>> skinOn(const BodyPtr& body, const std::vector<int>& faces, double reachMm, const Context& cx);
  BodyPtr body_;
  std::shared_ptr<const nurbs::Path> path_;
  EdgeSides sides_;
  std::optional<nurbs::RoundStretch> stretch_;
  std::array<std::shared_ptr<const Skin>, 2> skins_;
};

struct Rounded {
  BodyPtr body;
  nurbs::RoundBand band;
};

/// A body with one of its edges rounded, a band between both sides (`roundBand`): these end along its contacts, the faces into which
/// an open edge runs along its ends; where it fades both contacts end in one place of the edge, which goes on. `name`: the new face's. Fails as `roundBand`, `cutBackAt` and `rejoined` do, with LM-O009 where another face is in the way, and with LM-O007
/// where the edge ends at no face, or the band does not meet it.
Expected<Rounded> rounded(const BodyPtr& body, const RollingEdge& edge, const nurbs::RoundOptions& options, const std::string& name, const Context& cx);

/// A closed edge without tips to be rounded beside others.
struct RingRound {
  RollingEdge edge;
  nurbs::RoundOptions options;
  std::string name; ///< of the new face
};

struct RoundedRings {
  BodyPtr body;
  std::vector<nurbs::RoundBand> bands; ///< in the order of the edges
};

/// `rounded` for several closed edges that keep apart: all are rolled along on the body as it is, its faces cut once and put
/// together once. Fails as `rounded` does, and as `cutBackRings` does where they do not keep apart.
Expected<RoundedRings> roundedRings(const BodyPtr& body, const std::vector<RingRound>& rings, const Context& cx);

} // namespace lumsk::brep
