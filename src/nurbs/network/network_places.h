#pragma once
#include "nurbs/fit/fit.h"
#include "nurbs/fit/monotone.h"
#include "nurbs/network/network_sides.h"

#include <optional>

namespace lumsk::nurbs {

/// A curve of the continued network: one of the network's own, or a mirror image of it.
struct Member {
  int own = 0;  ///< place in the family
  int copy = 0; ///< 0: itself; -1: before the first mirror, 1: behind the last
};

/// A stretch of one direction between corners.
struct Strip {
  int first = 0, last = 0; ///< members of the other family that cross it, ends included
  std::vector<double> at;  ///< their parameters over [0, 1]
  bool closed = false;
  std::vector<std::optional<MonotoneMap>> length; ///< of each own curve: parameter to measure; poles have none
  LeanFit fit;
  std::vector<Rows> curve; ///< control points of each member, n x 3; of a pole all one point
  Rows cardinal;           ///< one row a crossing: the function that is 1 there and 0 at the others
};

/// One family with what it is placed along.
struct Family {
  const std::vector<SortedCurve>* curves = nullptr;
  std::vector<Member> members;
  Mirrors ends; ///< continue its curves
  std::vector<Strip> strips;
  /// Curves are run through by their own parameters where these are even and agree at the crossings as well as arc
  /// lengths do: what is a polynomial stays one, and of lines of one surface the skin is that surface more closely.
  bool ownParameter = false;

  const SortedCurve& curve(const Member& m) const { return (*curves)[size_t(m.own) % curves->size()]; }
};

/// Where the curves of a sorted network cross, along them and beyond its mirrors, and the strips between their corners.
class NetworkPlaces {
protected:
  NetworkPlaces(const std::vector<NetworkCurve>& curves, const NetworkOptions& o, const Context& cx)
      : curves_(curves), o_(o), cx_(cx) {
    for (const auto& c : curves) lengths_.emplace_back(c.path);
  }

  /// Continues both families by their mirrors, chooses how their curves are run through, and cuts them at the places
  /// where they have corners. Fails with LM-N008 (a corner between crossings).
  Expected<void> cutAtCorners(const Mirrors& ofRows, const Mirrors& ofColumns);

  // Places of crossings

  bool isRows(const Family& f) const { return &f == &rows_; }
  const Family& other(const Family& f) const { return isRows(f) ? columns_ : rows_; }
  const GridPoint& grid(int row, int column) const { return net_.grid[size_t(row)][size_t(column)]; }
  const GridPoint& grid(const Family& f, int own, int place) const {
    return isRows(f) ? grid(own, place) : grid(place, own);
  }
  int ownPlaces(const Family& f) const { return int(isRows(f) ? net_.grid[0].size() : net_.grid.size()); }
  Vec3 at(const Member& row, const Member& column) const {
    return columns_.ends.image(rows_.ends.image(grid(row.own, column.own).at, column.copy), row.copy);
  }
  /// The curve's own parameter at an arc length, both run through in the direction of use and scaled to the length.
  double fromLength(const SortedCurve& c, double s) const;
  /// Measure of an own curve at its crossing with an own curve of the other family.
  double measure(const Family& f, int own, int place) const;
  /// The same for any member of the other family, continued beyond the mirrors.
  double measure(const Family& f, int own, const Member& place) const;
  /// Point of an own curve at a measure, continued beyond the mirrors.
  Vec3 pointAt(const Family& f, int own, double s) const;
  /// How much the shares at the crossings differ from curve to curve.
  double spread(const Family& f) const;
  void chooseParameter(Family& f) const;
  bool unevenSpeed(const SortedCurve& c) const;
  /// Cuts a family at the places where its curves have corners, and gives every strip its parameters.
  Expected<void> cut(Family& f) const;
  /// Marks the crossings that lie in corners of a curve.
  Expected<void> markCorners(const Family& f, int own, std::vector<bool>& corner) const;
  /// Mean shares of the measure between the strip's ends.
  std::vector<double> parametersOf(const Family& f, int first, int last) const;
  Expected<void> mapLengths(const Family& f, Strip& s) const;

  const std::vector<NetworkCurve>& curves_;
  const NetworkOptions& o_;
  const Context& cx_;
  std::vector<ArcLength> lengths_;
  SortedNetwork net_;
  Family rows_, columns_;
};

} // namespace lumsk::nurbs
