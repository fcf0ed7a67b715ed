#pragma once
#include "nurbs/measure/meet.h"
#include "nurbs/network/network_sort.h"

namespace lumsk::nurbs {

/// How the curves of a network meet one another. Curves are told by their places among those given.
class CurveCrossings {
public:
  /// `gap`: how far apart curves may pass, mm.
  CurveCrossings(const std::vector<NetworkCurve>& curves, const std::vector<ArcLength>& lengths, double gap,
                 const Tolerances& tol);
  /// The same curves with another gap. Nothing is found yet.
  CurveCrossings withGap(double gap) const;
  /// Fails with LM-N005 (curves lie on one another).
  Expected<void> find();

  int count() const { return int(curves_.size()); }
  const Path& path(int i) const { return curves_[size_t(i)].path; }
  const NetworkCurve& curve(int i) const { return curves_[size_t(i)]; }
  const ArcLength& length(int i) const { return lengths_[size_t(i)]; }
  double gap() const { return gap_; }
  double size() const { return size_; } ///< of all curves together, mm
  const Tolerances& tolerances() const { return tol_; }

  const std::vector<Meeting>& list(int i, int j) const {
    return meet_[size_t(std::min(i, j))][size_t(std::max(i, j))].list;
  }
  /// The closest of their meetings; of a pair that does not meet, where it comes nearest.
  Meeting best(int i, int j) const;
  /// Whether all meetings of two curves are ends of both.
  bool endToEnd(int i, int j) const;
  /// Whether a curve comes nearest to another one with an end.
  bool endsBefore(int i, int j) const { return atEnd(i, parameterOn(i, j, best(i, j))); }
  double lengthOn(int i, const Meeting& m, int other) const { return length(i).lengthAt(parameterOn(i, other, m)); }
  /// Ranks are taken with the place among the picks, which settles equal ones.
  bool before(int a, int b) const {
    const int x = curve(a).rank, y = curve(b).rank;
    return x != y ? x < y : a < b;
  }

  std::vector<bool> out; ///< curves that count for nothing

private:
  bool alongOneAnother(int i, int j, const Meeting& m) const;
  bool atEnd(int i, double t) const;
  static double parameterOn(int i, int j, const Meeting& m) { return i < j ? m.s : m.t; }

  const std::vector<NetworkCurve>& curves_;
  const std::vector<ArcLength>& lengths_;
  double gap_;
  const Tolerances& tol_;
  double size_ = 1;
  std::vector<MeetingSide> sides_;
  std::vector<std::vector<Meetings>> meet_; ///< [i][j] for i < j
};

/// How a curve is called in problems: by its number among the picks, from 1.
std::string curveNumber(int i);

/// Rows and columns in their order and directions, from the family (1, 2; 0: none) of every curve. Fails with LM-N001,
/// LM-N002, LM-N004, LM-N009, LM-N012.
Expected<SortedNetwork> orderedNetwork(const CurveCrossings& crossings, const std::vector<int>& family);

} // namespace lumsk::nurbs
