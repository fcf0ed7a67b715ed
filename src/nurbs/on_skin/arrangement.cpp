#include "nurbs/on_skin/arrangement.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kChordShare = 0.3;  ///< of how far the shortest arc at a vertex gets: the chords that tell directions
constexpr double kSameTurn = 1e-12;  ///< rad
constexpr int kScanLines = 12;       ///< for a place inside
constexpr double kOffGrid = 0.0137;  ///< scan lines miss places that are round numbers
constexpr double kNoArea = 1e-9;     ///< of the largest loop's

/// How far a line gets from both of its ends.
double reachOf(const std::vector<Vec2>& line) {
  double first = 0, last = 0;
  for (const Vec2& p : line) first = std::max(first, (p - line.front()).norm()), last = std::max(last, (p - line.back()).norm());
  return std::min(first, last);
}

double areaOf(const std::vector<Vec2>& line) {
  double a = 0;
  for (size_t i = 1; i < line.size(); ++i)
    a += 0.5 * (line[i - 1].x() * line[i].y() - line[i].x() * line[i - 1].y());
  return a;
}

class Arranger {
public:
  Arranger(const std::vector<PlaneArc>& arcs, double near) : arcs_(arcs), near_(near) {
    for (size_t i = 0; i < arcs.size(); ++i) {
      addHalf(int(i), true);
      if (!arcs[i].border) {
        addHalf(int(i), false);
        halves_[halves_.size() - 2].twin = int(halves_.size()) - 1;
        halves_.back().twin = int(halves_.size()) - 2;
      }
    }
  }

  Arrangement run() {
    pruneLooseEnds();
    do {
      link();
      closeLoops();
    } while (pruneInner());
    collect();
    for (const Half& h : halves_)
      if (h.dead && h.forward) out_.dangling.push_back(h.arc);
    return std::move(out_);
  }

private:
  struct Half {
    int arc;
    bool forward;
    int from = -1, to = -1; ///< nodes
    int twin = -1, next = -1, loop = -1;
    bool dead = false;
    double reach = 0;
    std::vector<Vec2> line;
  };
  struct Node { ///< a vertex at one of its places
    int vertex;
    Vec2 at;
    std::vector<int> leaving = {};
    double chord = 0;
  };

  void addHalf(int arc, bool forward) {
    const PlaneArc& a = arcs_[size_t(arc)];
    Half h{arc, forward};
    for (int i = 0; i <= a.samples; ++i) h.line.push_back(placeOn(h, double(i) / a.samples));
    h.reach = reachOf(h.line);
    h.from = node(forward ? a.from : a.to, h.line.front());
    h.to = node(forward ? a.to : a.from, h.line.back());
    halves_.push_back(std::move(h));
  }

  /// By the fraction of the way along a half.
  Vec2 placeOn(const Half& h, double f) const {
    const PlaneArc& a = arcs_[size_t(h.arc)];
    return a.at(a.first + (a.last - a.first) * (h.forward ? f : 1 - f));
  }

  int node(int vertex, const Vec2& at) {
    for (size_t i = 0; i < nodes_.size(); ++i)
      if (nodes_[i].vertex == vertex && (nodes_[i].at - at).norm() < near_) return int(i);
    nodes_.push_back({vertex, at});
    return int(nodes_.size()) - 1;
  }

  void kill(int half) {
    halves_[size_t(half)].dead = true;
    if (halves_[size_t(half)].twin >= 0) halves_[size_t(halves_[size_t(half)].twin)].dead = true;
  }

  void pruneLooseEnds() {
    for (bool again = true; again;) {
      again = false;
      std::vector<int> meeting(nodes_.size(), 0);
      for (const Half& h : halves_)
        if (!h.dead && (h.twin < 0 || h.forward)) ++meeting[size_t(h.from)], ++meeting[size_t(h.to)];
      for (size_t i = 0; i < halves_.size(); ++i)
        if (const Half& h = halves_[i];
            h.twin >= 0 && !h.dead && (meeting[size_t(h.from)] == 1 || meeting[size_t(h.to)] == 1)) {
          kill(int(i));
          again = true;
          break;
        }
    }
  }

  /// The direction in which a half leaves its start, or arrives from at its end, by a chord.
  double direction(const Half& h, bool atStart, double chord) const {
    const auto at = [&](double f) { return placeOn(h, atStart ? f : 1 - f); };
    const Vec2 from = at(0);
    const int n = 4 * int(h.line.size());
    double low = 0, high = 1;
    for (int i = 1; i <= n; ++i)
      if ((at(double(i) / n) - from).norm() > chord) {
        low = double(i - 1) / n, high = double(i) / n;
        break;
      }
    for (int it = 0; it < 30; ++it) {
      const double m = 0.5 * (low + high);
      ((at(m) - from).norm() > chord ? high : low) = m;
    }
    const Vec2 d = at(high) - from;
    return std::atan2(d.y(), d.x());
  }

  void link() {
    for (Node& n : nodes_) n.leaving.clear(), n.chord = 1e300;
    for (size_t i = 0; i < halves_.size(); ++i) {
      Half& h = halves_[i];
      h.loop = h.next = -1;
      if (h.dead) continue;
      nodes_[size_t(h.from)].leaving.push_back(int(i));
      for (int k : {h.from, h.to}) nodes_[size_t(k)].chord = std::min(nodes_[size_t(k)].chord, kChordShare * h.reach);
    }
    for (Half& h : halves_) {
      if (h.dead) continue;
      const Node& n = nodes_[size_t(h.to)];
      if (n.leaving.size() == 1) {
        h.next = n.leaving.front();
        continue;
      }
      const double back = direction(h, false, n.chord);
      double least = 1e300;
      for (int k : n.leaving) {
        double turn = 2 * kPi; // back along itself only where there is nothing else
        if (k != h.twin) {
          turn = back - direction(halves_[size_t(k)], true, n.chord);
          while (turn <= kSameTurn) turn += 2 * kPi;
          while (turn > 2 * kPi) turn -= 2 * kPi;
        }
        if (turn < least) least = turn, h.next = k;
      }
    }
  }

  void closeLoops() {
    loops_.clear();
    areas_.clear();
    for (size_t i = 0; i < halves_.size(); ++i) {
      if (halves_[i].dead || halves_[i].loop >= 0) continue;
      std::vector<int> loop;
      int k = int(i);
      while (k >= 0 && halves_[size_t(k)].loop < 0) {
        halves_[size_t(k)].loop = int(loops_.size());
        loop.push_back(k);
        k = halves_[size_t(k)].next;
      }
      if (k != int(i)) out_.sound = false;
      double area = 0;
      for (int h : loop) area += areaOf(halves_[size_t(h)].line);
      loops_.push_back(std::move(loop));
      areas_.push_back(area);
    }
  }

  /// Arcs with one loop on both sides divide nothing.
  bool pruneInner() {
    bool found = false;
    for (size_t i = 0; i < halves_.size(); ++i) {
      const Half& h = halves_[i];
      if (h.twin < 0 || h.dead || h.loop != halves_[size_t(h.twin)].loop) continue;
      kill(int(i));
      found = true;
    }
    if (found) pruneLooseEnds(), out_.sound = true;
    return found;
  }

  bool within(const Vec2& p, const std::vector<int>& loop) const {
    bool in = false;
    for (int h : loop) {
      const auto& line = halves_[size_t(h)].line;
      for (size_t j = 1; j < line.size(); ++j) {
        const Vec2 &a = line[j - 1], &b = line[j];
        if ((a.y() > p.y()) != (b.y() > p.y()) &&
            p.x() < a.x() + (p.y() - a.y()) / (b.y() - a.y()) * (b.x() - a.x()))
          in = !in;
      }
    }
    return in;
  }

  /// The loop that an opening lies in: the smallest around it that does not share an arc with it.
  int around(size_t hole) const {
    const auto& line = halves_[size_t(loops_[hole][0])].line;
    const Vec2 p = line[line.size() / 2];
    int best = -1;
    for (size_t j = 0; j < loops_.size(); ++j) {
      if (areas_[j] <= 0 || areas_[j] < -areas_[hole] * (1 - kNoArea)) continue;
      if (best >= 0 && areas_[j] >= areas_[size_t(best)]) continue;
      const bool twins = std::any_of(loops_[hole].begin(), loops_[hole].end(), [&](int h) {
        const int t = halves_[size_t(h)].twin;
        return t >= 0 && halves_[size_t(t)].loop == int(j);
      });
      if (!twins && within(p, loops_[j])) best = int(j);
    }
    return best;
  }

  ArcLoop uses(const std::vector<int>& loop) const {
    ArcLoop out;
    for (int h : loop) out.push_back({halves_[size_t(h)].arc, halves_[size_t(h)].forward});
    return out;
  }

  /// The middle of the widest gap on lines across.
  Vec2 placeInside(const std::vector<const std::vector<int>*>& loops) const {
    double low = 1e300, high = -1e300;
    for (int h : *loops.front())
      for (const Vec2& p : halves_[size_t(h)].line) low = std::min(low, p.y()), high = std::max(high, p.y());
    Vec2 best = Vec2::Zero();
    double widest = 0;
    for (int k = 1; k < kScanLines; ++k) {
      const double y = low + (high - low) * (k + kOffGrid) / kScanLines;
      std::vector<double> xs;
      for (const auto* loop : loops)
        for (int h : *loop) {
          const auto& line = halves_[size_t(h)].line;
          for (size_t j = 1; j < line.size(); ++j)
            if ((line[j - 1].y() > y) != (line[j].y() > y))
              xs.push_back(line[j - 1].x() + (y - line[j - 1].y()) / (line[j].y() - line[j - 1].y()) *
                                                 (line[j].x() - line[j - 1].x()));
        }
      std::sort(xs.begin(), xs.end());
      for (size_t j = 0; j + 1 < xs.size(); j += 2)
        if (const double wide = std::min(xs[j + 1] - xs[j], high - low); wide > widest)
          widest = wide, best = {0.5 * (xs[j] + xs[j + 1]), y};
    }
    return best;
  }

  void collect() {
    double largest = 0;
    for (double a : areas_) largest = std::max(largest, std::abs(a));
    std::vector<std::vector<size_t>> holes(loops_.size());
    for (size_t i = 0; i < loops_.size(); ++i) {
      if (areas_[i] >= 0) continue;
      const int home = around(i);
      if (home >= 0)
        holes[size_t(home)].push_back(i);
      else
        out_.sound = false;
    }
    for (size_t i = 0; i < loops_.size(); ++i) {
      if (areas_[i] <= kNoArea * largest) continue;
      PlanePart part;
      part.outer = uses(loops_[i]);
      part.area = areas_[i];
      std::vector<const std::vector<int>*> all{&loops_[i]};
      for (size_t h : holes[i]) {
        part.holes.push_back(uses(loops_[h]));
        part.area += areas_[h];
        all.push_back(&loops_[h]);
      }
      part.inside = placeInside(all);
      out_.parts.push_back(std::move(part));
    }
  }

  const std::vector<PlaneArc>& arcs_;
  double near_;
  std::vector<Half> halves_;
  std::vector<Node> nodes_;
  std::vector<std::vector<int>> loops_;
  std::vector<double> areas_;
  Arrangement out_;
};

} // namespace

Arrangement arranged(const std::vector<PlaneArc>& arcs, double near) { return Arranger(arcs, near).run(); }

} // namespace lumsk::nurbs
