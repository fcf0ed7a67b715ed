#pragma once
#include "nurbs/network/network.h"
#include "nurbs/network/network_sort.h"

#include <array>

namespace lumsk::nurbs {

constexpr int kNetworkDegree = 5; ///< of its skins

/// Planes in which a network is continued by its mirror image, before its first and after its last curve.
struct Mirrors {
  std::optional<Frame> first, last;
  Vec3 image(const Vec3& p, int copy) const {
    if (copy % 2 == 0) return p;
    return mirroredPoint(p, copy < 0 ? *first : *last);
  }
};

/// What the four sides of a sorted network meet, and how its finished patches are brought to do so.
class NetworkSides {
public:
  /// All of these must outlive it.
  NetworkSides(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths, const SortedNetwork& net,
               const NetworkOptions& o, const Context& cx)
      : curves_(curves), lengths_(lengths), net_(net), o_(o), cx_(cx) {}

  /// Looks for the neighbours that sides flow into and for the planes that they meet. Fails with LM-N010 to LM-N013.
  Expected<void> find();
  const Mirrors& ofRows() const { return rows_; } ///< continue the rows
  const Mirrors& ofColumns() const { return columns_; }

  /// Which sides of the network a patch lies at.
  std::array<bool, 4> sidesAt(const NetworkPatch& p) const;
  /// Around closed curves: the control points made even, as far as the skin may leave the curves; what sides ask for
  /// stays, as poles do.
  void makeEven(NetworkPatch& p) const;
  /// The most even skin with the same borders, and what they ask for, that stays near its curves.
  Expected<void> loosen(NetworkPatch& p, NetworkResult& out) const;
  /// Brings the sides of a patch that are to flow on to do so; where rows and columns cross they say how.
  Expected<void> flowOn(NetworkPatch& p, NetworkResult& out) const;

  /// Derivatives of a curve at an arc length in its direction of use.
  CurveDerivatives derivatives(const SortedCurve& c, double s) const;

private:
  bool hasSide(int side) const;
  const SortedCurve& curveAlong(int side) const;
  Expected<void> findFlows();
  Expected<void> findMirrors();
  Vec3 leaving(bool rows, bool first) const;
  Expected<void> checkCurves(bool rows, bool first, const Vec3& n, Meets meets) const;
  int orderOf(int side) const;
  Expected<void> addLine(std::vector<Path>& to, const Spline& line) const;

  const std::vector<NetworkCurve>& curves_;
  const std::vector<ArcLength>& lengths_;
  const SortedNetwork& net_;
  const NetworkOptions& o_;
  const Context& cx_;
  Mirrors rows_, columns_;
  double size_ = 1;
  std::array<int, 4> orders_{};
  std::array<Neighbour, 4> neighbours_;
};

} // namespace lumsk::nurbs
