#pragma once
#include "nurbs/patch/fill.h"
#include "nurbs/patch/patch_rows.h"

#include <map>
#include <memory>
#include <set>

namespace lumsk::nurbs {

/// A ring to be filled: laid out flat in the fill's domain [0, 1]^2, and what is asked for at its places.
class FillRing {
public:
  /// Fails as `FlatRing` does, and with LM-L013.
  static Expected<std::shared_ptr<FillRing>> of(const std::vector<FillEdge>& edges, double zoneShare, const Tolerances& tol, const Context& cx);

  int count() const { return int(edges_.size()); }
  int order(int edge) const { return std::min(2, orderOf(edges_[size_t(edge)].meets)); }
  int highest() const;
  double length(int edge) const { return lengths_[size_t(edge)].total(); } ///< mm
  double perimeter() const { return flat_.lengthMm(); }
  struct Out {
    double share;
    Vec3 away;
  };
  std::optional<Out> wayOut(int edge) const; ///< where it is known
  const Path& path(int edge) const { return edges_[size_t(edge)].path; }

  const FlatRing& flat() const { return flat_; }
  Vec2 size() const { return size_; } ///< of the domain, mm of the flat ring
  Vec2 domain(const Vec2& flat) const { return (flat - low_).cwiseQuotient(size_); }
  Vec2 flatOf(const Vec2& domain) const { return low_ + domain.cwiseProduct(size_); }
  bool contains(const Vec2& domain) const { return flat_.contains(flatOf(domain)); }
  Vec2 middle() const { return middle_; } ///< of the domain: the place farthest from the ring
  const std::array<Vec3, 2>& box() const { return box_; } ///< of its edges
  double leastBend() const { return 1 / (10 * (box_[1] - box_[0]).norm()); } ///< 1/mm: bending is compared with no less

  const std::vector<PatchCorner>& corners() const { return corners_; } ///< where neighbours disagree
  /// Whether what lies beside the ring bends otherwise from the start of an edge on than before.
  bool rough(int edge) const { return rough_.count(edge % count()) > 0; }
  const std::set<int>& roughCorners() const { return rough_; }
  /// A place of an edge by the share of its length; neighbours are asked once at a place. Fails with LM-L013.
  Expected<const PatchAsked*> asked(int edge, double share);

private:
  FillRing(const std::vector<FillEdge>& edges, const Tolerances& tol) : edges_(edges), tol_(tol) {}
  Expected<void> layOut(const Context& cx);
  Expected<void> lookAtCorners(double zoneShare);
  Expected<void> lookAtCorner(int edge, double zoneShare);
  CurveDerivatives onEdge(int edge, double share) const; ///< by length
  Expected<NeighbourPlace> beside(int edge, const Vec3& at) const;

  std::vector<FillEdge> edges_;
  Tolerances tol_;
  std::vector<ArcLength> lengths_;
  FlatRing flat_;
  Vec2 low_, size_, middle_;
  std::array<Vec3, 2> box_;
  std::vector<PatchCorner> corners_;
  std::set<int> rough_;
  std::map<std::pair<int, double>, PatchAsked> known_;
};

} // namespace lumsk::nurbs
