#pragma once
#include "nurbs/core/path.h"

namespace lumsk::nurbs {

/// A place where two paths come nearest to one another.
struct Meeting {
  double s = 0.0, t = 0.0; ///< parameters of the first and the second path
  Vec3 a = Vec3::Zero(), b = Vec3::Zero();
  double gapMm = 0.0;
  double angleDeg = 90.0; ///< between the tangents, 0..90
  Vec3 middle() const { return 0.5 * (a + b); }
};

struct Meetings {
  std::vector<Meeting> list; ///< local minima of the distance with a gap of at most the limit, by s
  bool overlap = false;      ///< they lie on one another over a stretch
};

/// Crossings and near misses of two paths: pairs of chords are found through two trees of boxes, then polished by
/// damped Gauss-Newton steps on the squared distance. Closed paths meet only once at their seam.
Meetings meetings(const Path& a, const Path& b, double limitMm);

/// A path made ready for many meetings.
class MeetingSide {
public:
  explicit MeetingSide(const Path& p);
  const Path& path() const { return *path_; }

private:
  friend class MeetingFinder;
  struct Box {
    Vec3 low, high;
  };
  const Path* path_;
  std::vector<double> t_;
  std::vector<Vec3> at_;
  std::vector<double> sag_; ///< of each chord: how far the path leaves it at most, estimated at its quarters
  std::vector<Box> tree_;   ///< implicit binary tree over the chords, sag included
  int leaves_ = 1;
};
Meetings meetings(const MeetingSide& a, const MeetingSide& b, double limitMm);
/// Where two paths come nearest, however far that is.
Meeting nearest(const MeetingSide& a, const MeetingSide& b);

} // namespace lumsk::nurbs
