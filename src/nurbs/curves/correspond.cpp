#include "nurbs/curves/correspond.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr int kProbes = 64;

double wrap(double f) { return f - std::floor(f); }

/// Fraction of the own length that belongs to fraction f of the aligned section.
double ownFraction(const AlignedSection& a, double f, bool closed) {
  const double own = a.reversed ? a.start - f : a.start + f;
  return closed ? wrap(own) : std::clamp(own, 0.0, 1.0);
}

Points probe(const Path& p, const ArcLength& l, bool reversed, double start) {
  Points out(kProbes, 3);
  for (int i = 0; i < kProbes; ++i) {
    const double f = double(i) / kProbes;
    out.row(i) = p.at(l.parameterAtFraction(wrap(reversed ? start - f : start + f))).transpose();
  }
  return out;
}

struct Rotation {
  double shift = 0.0; ///< fraction to add
  double cost = 1e300;
};

/// The shift of `b` against `a` (both centred) with least total squared distance.
Rotation bestRotation(const Points& a, const Points& b) {
  // |a - b|^2 summed is least where the correlation is largest; a short Fourier series of it is exact at the probes,
  // and its first harmonics, where all the weight is, give the place between them.
  std::vector<double> corr(kProbes);
  for (int k = 0; k < kProbes; ++k) {
    double s = 0.0;
    for (int i = 0; i < kProbes; ++i) s += a.row(i).dot(b.row((i + k) % kProbes));
    corr[k] = s;
  }
  const int top = int(std::max_element(corr.begin(), corr.end()) - corr.begin());
  constexpr int kHarmonics = 20;
  double re[kHarmonics], im[kHarmonics];
  for (int h = 0; h < kHarmonics; ++h) {
    re[h] = im[h] = 0.0;
    for (int k = 0; k < kProbes; ++k) {
      re[h] += corr[k] * std::cos(2 * kPi * h * k / kProbes);
      im[h] += corr[k] * std::sin(2 * kPi * h * k / kProbes);
    }
  }
  double x = 2 * kPi * top / kProbes;
  for (int it = 0; it < 12; ++it) {
    double d1 = 0.0, d2 = 0.0;
    for (int h = 1; h < kHarmonics; ++h) {
      d1 += h * (-re[h] * std::sin(h * x) + im[h] * std::cos(h * x));
      d2 += h * h * (-re[h] * std::cos(h * x) - im[h] * std::sin(h * x));
    }
    if (!(d2 < 0)) break;
    const double step = std::clamp(-d1 / d2, -kPi / kProbes, kPi / kProbes);
    x += step;
    if (std::abs(step) < 1e-13) break;
  }
  return {wrap(x / (2 * kPi)), a.squaredNorm() + b.squaredNorm() - 2 * corr[top]};
}

Points centred(const Points& p) { return p.rowwise() - p.colwise().mean(); }

/// Corners of an aligned section as fractions of the loft's parameter, ascending.
std::vector<double> alignedCorners(const Path& p, const ArcLength& l, const AlignedSection& a, const Tolerances& tol) {
  std::vector<double> out;
  for (double t : p.corners(tol.corner)) {
    const double own = l.fractionAt(t);
    out.push_back(p.closed() ? wrap(a.reversed ? a.start - own : own - a.start) : (a.reversed ? 1 - own : own));
  }
  for (double& f : out)
    if (p.closed() && f > 1 - 1e-9) f = 0.0;
  std::sort(out.begin(), out.end());
  return out;
}

/// A place that pairs or guides tie to one of the sections before: aligned there, by the own length here.
struct Tie {
  double before, own;
};
constexpr double kTurned = 0.05; ///< of a section: ties that say a direction more clearly than this are followed

double circular(double x) { return std::abs(x - std::round(x)); }

double alignedShare(const AlignedSection& a, bool closed, double own) {
  return closed ? wrap(a.reversed ? a.start - own : own - a.start) : (a.reversed ? 1 - own : own);
}

/// What the lines say of section i: of each its place on the last section before that has one.
std::vector<Tie> tiesOf(const std::vector<const std::vector<PairLine>*>& lines, int i, const Alignment& a) {
  std::vector<Tie> out;
  for (const auto* family : lines)
    for (const PairLine& line : *family) {
      if (size_t(i) >= line.size() || !line[size_t(i)]) continue;
      int j = i - 1;
      while (j >= 0 && !line[size_t(j)]) --j;
      if (j >= 0) out.push_back({alignedShare(a.sections[size_t(j)], a.closed, *line[size_t(j)]), *line[size_t(i)]});
    }
  return out;
}

void alignOpen(const Path& before, const AlignedSection& prior, const Path& p, const std::vector<Tie>& ties,
               AlignedSection& a) {
  // Ties of ends say the direction: those between them would let the skin cross itself.
  for (const Tie& t : ties)
    if (std::min(t.before, 1 - t.before) < kTurned && std::min(t.own, 1 - t.own) < kTurned) {
      a.reversed = (t.before < 0.5) != (t.own < 0.5);
      a.start = a.reversed ? 1.0 : 0.0;
      return;
    }
  const Vec3 s0 = prior.reversed ? before.end() : before.start(), e0 = prior.reversed ? before.start() : before.end();
  const double straight = (p.start() - s0).squaredNorm() + (p.end() - e0).squaredNorm();
  const double crossed = (p.end() - s0).squaredNorm() + (p.start() - e0).squaredNorm();
  const double along = (e0 - s0).normalized().dot((p.end() - p.start()).normalized());
  // Distances decide; where they hardly differ the directions of the chords do.
  const bool clear = std::abs(straight - crossed) > 0.05 * (straight + crossed);
  a.reversed = clear ? crossed < straight : along < 0;
  a.start = a.reversed ? 1.0 : 0.0;
  a.changedDirection = a.reversed;
}

/// Ties say where a closed section starts, and which way it runs unless they leave that open.
void alignByTies(const Points& before, const Path& p, const ArcLength& l, const std::vector<Tie>& ties,
                 AlignedSection& a) {
  const Points reference = centred(before);
  double start[2], miss[2], cost[2];
  for (const bool back : {false, true}) {
    const auto shift = [&](const Tie& t) { return back ? t.own + t.before : t.own - t.before; };
    double re = 0, im = 0;
    for (const Tie& t : ties) re += std::cos(2 * kPi * shift(t)), im += std::sin(2 * kPi * shift(t));
    start[back] = wrap(std::hypot(re, im) > 1e-9 ? std::atan2(im, re) / (2 * kPi) : shift(ties.front()));
    miss[back] = 0;
    for (const Tie& t : ties) miss[back] = std::max(miss[back], circular(shift(t) - start[back]));
    cost[back] = (reference - centred(probe(p, l, back, start[back]))).squaredNorm();
  }
  const bool clear = std::abs(miss[0] - miss[1]) > kTurned;
  a.reversed = clear ? miss[1] < miss[0] : cost[1] < cost[0] * (1 - 1e-6);
  a.start = start[a.reversed];
}

void alignClosed(const Points& before, const Path& p, const ArcLength& l, const Section& s,
                 const std::vector<Tie>& ties, AlignedSection& a) {
  if (!ties.empty() && !s.start) return alignByTies(before, p, l, ties, a);
  const Points reference = centred(before);
  const Rotation forward = bestRotation(reference, centred(probe(p, l, false, 0.0)));
  const Rotation backward = bestRotation(reference, centred(probe(p, l, true, 0.0)));
  a.reversed = backward.cost < forward.cost * (1 - 1e-6);
  a.start = a.reversed ? wrap(-backward.shift) : forward.shift;
  if (a.start > 1 - 1e-7) a.start = 0.0;
  a.changedDirection = a.reversed;
  a.changedStart = a.start > 1e-6;
  if (s.start) {
    a.start = wrap(*s.start);
    a.changedStart = false;
  }
}

/// Breaks of a section with fewer corners than the reference: its corners go, in order, to the nearest break; the
/// other breaks keep their place between them.
std::vector<double> matchBreaks(const std::vector<double>& reference, const std::vector<double>& corners) {
  const int n = int(reference.size()) - 1; // last is 1
  std::vector<double> out = reference;
  std::vector<int> pinned{0};
  int from = 1;
  for (size_t c = 0; c < corners.size(); ++c) {
    if (corners[c] < 1e-9) continue;
    const int latest = n - int(corners.size() - c);
    int best = -1;
    for (int k = from; k <= std::max(from, latest) && k < n; ++k)
      if (best < 0 || std::abs(reference[k] - corners[c]) < std::abs(reference[best] - corners[c])) best = k;
    if (best < 0) break;
    out[best] = corners[c];
    pinned.push_back(best);
    from = best + 1;
  }
  pinned.push_back(n);
  for (size_t k = 0; k + 1 < pinned.size(); ++k) {
    const int a = pinned[k], b = pinned[k + 1];
    for (int i = a + 1; i < b; ++i)
      out[i] = out[a] + (out[b] - out[a]) * (reference[i] - reference[a]) / (reference[b] - reference[a]);
  }
  return out;
}

/// A place counted in corners passed, with the part of the way to the next one.
double inCorners(const std::vector<double>& corners, double f) {
  const size_t m = corners.size();
  size_t k = size_t(std::upper_bound(corners.begin(), corners.end(), f + 1e-9) - corners.begin());
  const double from = k == 0 ? corners[m - 1] - 1 : corners[k - 1], to = k == m ? corners[0] + 1 : corners[k];
  return double(k) - 1 + (f - from) / (to - from);
}

/// Turns the start of a closed section with corners to the corner that ties say, or that lies nearest to it.
void startAtCorner(const Path& p, const ArcLength& l, const std::vector<Tie>& ties,
                   const std::vector<double>& cornersBefore, AlignedSection& a, const Tolerances& tol) {
  const std::vector<double> c = alignedCorners(p, l, a, tol);
  if (c.empty()) return;
  if (!ties.empty() && c.size() == cornersBefore.size()) {
    const double m = double(c.size());
    size_t start = 0;
    double least = 1e300;
    for (size_t k = 0; k < c.size(); ++k) {
      double miss = 0;
      for (const Tie& t : ties)
        miss += circular((inCorners(c, alignedShare(a, true, t.own)) - double(k) - inCorners(cornersBefore, t.before)) / m);
      if (miss < least) least = miss, start = k;
    }
    a.start = wrap(a.reversed ? a.start - c[start] : a.start + c[start]);
    return;
  }
  double best = c.front();
  for (double f : c)
    if (std::min(f, 1 - f) < std::min(best, 1 - best)) best = f;
  a.start = wrap(a.reversed ? a.start - best : a.start + best);
}

/// A loft that runs around comes back to its first section: what the starts have turned by then is shared by all.
Expected<void> closeAround(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths,
                           const Points& last, bool tied, Alignment& a) {
  const Path& first = *sections.front().path();
  if (!a.closed) {
    AlignedSection again;
    alignOpen(*sections.back().path(), a.sections.back(), first, {}, again);
    if (again.reversed == a.sections.front().reversed || sections.front().flip) return {};
    return fail(problem("LM-L028", "the loft would close with half a twist")
                    .at(first.start())
                    .tryThis("turn the direction of the sections from one place on, or let the loft be open"));
  }
  if (tied) return {};
  const auto free = [&](size_t i) { return !sections[i].start && sections[i].path()->corners({1.0}).empty(); };
  const double turn = bestRotation(centred(last), centred(probe(first, lengths.front(), a.sections.front().reversed,
                                                                a.sections.front().start)))
                          .shift;
  const double twist = turn - std::round(turn);
  for (size_t i = 1; i < sections.size(); ++i)
    if (free(i)) {
      AlignedSection& s = a.sections[i];
      const double back = twist * double(i) / double(sections.size());
      s.start = wrap(s.reversed ? s.start + back : s.start - back);
    }
  return {};
}

constexpr size_t kPeriodicNodes = 7;
constexpr double kClosePair = 1e-4; ///< shares of a strip nearer than this are one place

Vec3 pairPlace(const Section& s, const ArcLength& l, double fraction) {
  return s.path()->at(std::min(l.parameterAtFraction(std::clamp(fraction, 0.0, 1.0)), s.path()->last()));
}

/// What pairs say of one strip of one section: the loft's parameter and the section's share.
struct Bend {
  double loft, own;
  Vec3 at;
};

class Pairing {
public:
  Pairing(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths, Alignment& a)
      : sections_(sections), lengths_(lengths), a_(a), periodic_(a.closed && a.strips == 1) {}

  Expected<void> run(const AlignOptions& o) {
    bends_.assign(sections_.size(), std::vector<std::vector<Bend>>(size_t(a_.strips)));
    for (const PairLine& l : o.pairs) LUMSK_CHECK(take(l, "a pair"));
    for (const PairLine& l : o.joints) LUMSK_CHECK(take(l, "a joint"));
    for (size_t g = 0; g < o.guides.size(); ++g) LUMSK_CHECK(take(o.guides[g], "guide " + std::to_string(g + 1)));
    for (size_t i = 0; i < sections_.size(); ++i) {
      a_.sections[i].bends.assign(size_t(a_.strips), std::nullopt);
      for (size_t k = 0; k < size_t(a_.strips); ++k)
        if (!bends_[i][k].empty()) LUMSK_CHECK(bend(i, k));
    }
    return {};
  }

private:
  struct Place {
    size_t section;
    int strip;
    double share;
    Vec3 at;
  };

  Expected<void> take(const PairLine& line, const std::string& who) {
    std::vector<Place> places;
    for (size_t i = 0; i < line.size() && i < sections_.size(); ++i) {
      if (!line[i] || !sections_[i].path()) continue;
      const AlignedSection& a = a_.sections[i];
      const double own = alignedShare(a, a_.closed, *line[i]);
      int k = 0;
      while (k + 1 < a_.strips && own >= a.breaks[size_t(k) + 1] - 1e-12) ++k;
      const double from = a.breaks[size_t(k)], to = a.breaks[size_t(k) + 1];
      places.push_back({i, k, (own - from) / (to - from), pairPlace(sections_[i], lengths_[i], *line[i])});
    }
    if (places.size() < 2) return {};
    double mean = 0;
    size_t ends = 0;
    for (Place& p : places) {
      if (periodic_) p.share += std::round(places[0].share - p.share);
      ends += !periodic_ && std::min(p.share, 1 - p.share) < kClosePair;
      mean += p.share / double(places.size());
    }
    if (ends == places.size()) return {}; // at ends or corners, which correspond anyway
    for (const Place& p : places)
      if (ends > 0 || p.strip != places[0].strip)
        return fail(problem("LM-L010", ends > 0 ? who + " joins an end or a corner with a place between corners"
                                                : who + " joins places of sections " +
                                                      std::to_string(places[0].section + 1) + " and " +
                                                      std::to_string(p.section + 1) + " between different corners")
                        .at(places[0].at)
                        .at(places[1].at)
                        .tryThis("move it between the same corners in all sections"));
    for (const Place& p : places) bends_[p.section][size_t(p.strip)].push_back({mean, p.share, p.at});
    return {};
  }

  Expected<void> bend(size_t i, size_t k) {
    std::vector<Bend> b = bends_[i][k];
    if (periodic_)
      for (Bend& x : b) {
        const double turns = std::floor(x.loft);
        x.loft -= turns, x.own -= turns;
      }
    std::sort(b.begin(), b.end(), [](const Bend& x, const Bend& y) { return x.loft < y.loft; });
    std::vector<double> from, to;
    if (!periodic_) from.push_back(0), to.push_back(0);
    for (const Bend& x : b) from.push_back(x.loft), to.push_back(x.own);
    from.push_back(periodic_ ? from.front() + 1 : 1.0);
    to.push_back(periodic_ ? to.front() + 1 : 1.0);
    for (size_t j = 1; j < from.size(); ++j)
      if (from[j] - from[j - 1] < kClosePair || to[j] - to[j - 1] < kClosePair) {
        const Vec3& at = b[std::min(j - (periodic_ ? 0 : 1), b.size() - 1)].at;
        return fail(problem("LM-L011", "pairs or guides cross on section " + std::to_string(i + 1))
                        .at(at)
                        .tryThis("put the pairs in the same order on all sections, or take one out"));
      }
    while (periodic_ && from.size() < kPeriodicNodes) { // between few pairs evenly: the map's own splines need more
      size_t widest = 1;
      for (size_t j = 2; j < from.size(); ++j)
        if (from[j] - from[j - 1] > from[widest] - from[widest - 1]) widest = j;
      const auto middle = [&](const std::vector<double>& x) { return 0.5 * (x[widest] + x[widest - 1]); };
      const double f = middle(from), t = middle(to);
      from.insert(from.begin() + std::ptrdiff_t(widest), f);
      to.insert(to.begin() + std::ptrdiff_t(widest), t);
    }
    LUMSK_TRY(map, MonotoneMap::through(from, to, periodic_));
    a_.sections[i].bends[k] = std::move(map);
    return {};
  }

  const std::vector<Section>& sections_;
  const std::vector<ArcLength>& lengths_;
  Alignment& a_;
  bool periodic_;
  std::vector<std::vector<std::vector<Bend>>> bends_; ///< by section and strip
};

} // namespace

Vec3 alignedPoint(const Section& s, const ArcLength& length, const AlignedSection& a, double f) {
  const Path& p = *s.path();
  return p.at(length.parameterAt(ownFraction(a, f, p.closed()) * length.total()));
}

Vec3 alignedTangent(const Section& s, const ArcLength& length, const AlignedSection& a, double f) {
  const Path& p = *s.path();
  CurveDerivatives d;
  p.derivatives(std::min(length.parameterAt(ownFraction(a, f, p.closed()) * length.total()), p.last()), 1, d);
  const double l = d[1].norm();
  return l > 0 ? Vec3(d[1] * ((a.reversed ? -1 : 1) / l)) : Vec3(Vec3::Zero());
}

double alignedFraction(const AlignedSection& a, int strip, double t) {
  const size_t k = size_t(strip);
  const double share = k < a.bends.size() && a.bends[k] ? (*a.bends[k])(t) : t;
  return a.breaks[k] + share * (a.breaks[k + 1] - a.breaks[k]);
}

double ownFraction(const AlignedSection& a, bool closed, const LoftPlace& at) {
  return ownFraction(a, alignedFraction(a, at.strip, at.t), closed);
}

LoftPlace loftPlace(const AlignedSection& a, bool closed, double own) {
  const double f = alignedShare(a, closed, own);
  LoftPlace p;
  const int strips = int(a.breaks.size()) - 1;
  while (p.strip + 1 < strips && f >= a.breaks[size_t(p.strip) + 1]) ++p.strip;
  // By halving; a periodic bend may begin beyond the start.
  double low = 0, high = 1, goal = f;
  const double first = alignedFraction(a, p.strip, 0);
  if (closed && strips == 1) goal = first + wrap(f - first);
  for (int it = 0; it < 50; ++it) {
    const double m = 0.5 * (low + high);
    (alignedFraction(a, p.strip, m) < goal ? low : high) = m;
  }
  p.t = 0.5 * (low + high);
  return p;
}

Expected<Alignment> alignSections(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths,
                                  const AlignOptions& options, const Tolerances& tol) {
  const int n = int(sections.size());
  if (n < 2)
    return fail(
        problem("LM-L001", "a loft needs at least two sections").measure(count(n)).tryThis("pick another section"));
  Alignment out;
  out.sections.resize(n);
  int firstPath = -1;
  for (int i = 0; i < n; ++i) {
    const Path* p = sections[i].path();
    if (!p) {
      if (i > 0 && i < n - 1)
        return fail(problem("LM-L003", "a point can only be the first or the last section")
                        .at(*sections[i].point())
                        .tryThis("move the point to an end of the list"));
      continue;
    }
    if (firstPath < 0) {
      firstPath = i;
      out.closed = p->closed();
    } else if (p->closed() != out.closed) {
      return fail(problem("LM-L002", "open and closed sections are mixed")
                      .at(p->start())
                      .tryThis("close section " + std::to_string(i + 1) + " or take it out"));
    }
  }
  if (firstPath < 0) return fail(problem("LM-L001", "a loft needs at least one curve").tryThis("pick a curve"));

  const std::vector<const std::vector<PairLine>*> lines{&options.pairs, &options.guides};
  Points before;
  std::vector<double> cornersBefore;
  int previous = -1;
  for (int i = 0; i < n; ++i) {
    const Path* p = sections[i].path();
    if (!p) continue;
    AlignedSection& a = out.sections[i];
    const std::vector<Tie> ties = tiesOf(lines, i, out);
    if (previous < 0)
      a.start = out.closed ? wrap(sections[i].start.value_or(0.0)) : 0.0;
    else if (out.closed)
      alignClosed(before, *p, lengths[i], sections[i], ties, a);
    else
      alignOpen(*sections[previous].path(), out.sections[previous], *p, ties, a);
    if (sections[i].flip) {
      a.reversed = !a.reversed;
      if (!out.closed) a.start = a.reversed ? 1.0 : 0.0;
    }
    if (out.closed && !sections[i].start) startAtCorner(*p, lengths[i], ties, cornersBefore, a, tol);
    if (out.closed) before = probe(*p, lengths[i], a.reversed, a.start);
    if (out.closed) cornersBefore = alignedCorners(*p, lengths[i], a, tol);
    previous = i;
  }

  if (options.around) LUMSK_CHECK(closeAround(sections, lengths, before, !options.pairs.empty() || !options.guides.empty(), out));

  // The section with most corners says how many strips there are; the others follow.
  std::vector<std::vector<double>> corners(n);
  int leader = firstPath;
  for (int i = 0; i < n; ++i) {
    if (!sections[i].path()) continue;
    corners[i] = alignedCorners(*sections[i].path(), lengths[i], out.sections[i], tol);
    if (corners[i].size() > corners[leader].size()) leader = i;
  }
  std::vector<double> reference{0.0};
  for (double f : corners[leader])
    if (f > 1e-9) reference.push_back(f);
  reference.push_back(1.0);
  out.strips = int(reference.size()) - 1;
  for (int i = 0; i < n; ++i) out.sections[i].breaks = i == leader ? reference : matchBreaks(reference, corners[i]);
  LUMSK_CHECK(Pairing(sections, lengths, out).run(options));
  return out;
}

namespace {

/// Short open paths over places with sizes: the cost is the sum of steps between neighbours.
class ShortPath {
public:
  ShortPath(std::vector<Vec3> centres, std::vector<double> sizes)
      : centres_(std::move(centres)), sizes_(std::move(sizes)) {}

  double between(int a, int b) const {
    return std::hypot((centres_[size_t(a)] - centres_[size_t(b)]).norm(), sizes_[size_t(a)] - sizes_[size_t(b)]);
  }
  double cost(const std::vector<int>& order) const {
    double sum = 0;
    for (size_t i = 1; i < order.size(); ++i) sum += between(order[i - 1], order[i]);
    return sum;
  }
  std::vector<int> best(const std::vector<int>& places) const {
    std::vector<int> found = places;
    double least = 1e300;
    const size_t starts = std::min<size_t>(places.size(), kStarts);
    for (size_t k = 0; k < starts; ++k) {
      std::vector<int> order = nearestFrom(places, k * places.size() / starts);
      shorten(order);
      if (const double c = cost(order); c < least) least = c, found = order;
    }
    return found;
  }

private:
  static constexpr size_t kStarts = 24;

  std::vector<int> nearestFrom(std::vector<int> left, size_t first) const {
    std::vector<int> order{left[first]};
    left.erase(left.begin() + std::ptrdiff_t(first));
    while (!left.empty()) {
      const auto next = std::min_element(
          left.begin(), left.end(), [&](int a, int b) { return between(order.back(), a) < between(order.back(), b); });
      order.push_back(*next);
      left.erase(next);
    }
    return order;
  }
  /// Turns stretches round while that makes the path shorter; at its ends only one step changes.
  void shorten(std::vector<int>& o) const {
    const size_t n = o.size();
    const auto step = [&](bool is, size_t a, size_t b) { return is ? between(o[a], o[b]) : 0.0; };
    for (bool better = true; better;) {
      better = false;
      for (size_t i = 0; i < n; ++i)
        for (size_t j = i + 1; j < n; ++j) {
          const double now = step(i > 0, i - 1, i) + step(j + 1 < n, j, j + 1);
          const double then = step(i > 0, i - 1, j) + step(j + 1 < n, i, j + 1);
          if (then > now - 1e-9) continue;
          std::reverse(o.begin() + std::ptrdiff_t(i), o.begin() + std::ptrdiff_t(j) + 1);
          better = true;
        }
    }
  }

  std::vector<Vec3> centres_;
  std::vector<double> sizes_;
};

} // namespace

std::vector<int> shorterOrder(const std::vector<Section>& sections) {
  constexpr int kPlaces = 24;
  constexpr double kClearly = 0.9; ///< of the given path's cost
  constexpr int kMostSorted = 200;  ///< the search takes the square of their number
  const int n = int(sections.size());
  if (n > kMostSorted) return {};
  std::vector<Vec3> centres;
  std::vector<double> sizes;
  std::vector<int> given, curves, tips;
  for (int i = 0; i < n; ++i) {
    const Path* p = sections[size_t(i)].path();
    const std::optional<ArcLength> length = p ? std::make_optional<ArcLength>(*p) : std::nullopt;
    Points pts(kPlaces, 3);
    for (int k = 0; k < kPlaces; ++k)
      pts.row(k) =
          (p ? p->at(length->parameterAtFraction((k + 0.5) / kPlaces)) : *sections[size_t(i)].point()).transpose();
    centres.push_back(pts.colwise().mean().transpose());
    sizes.push_back(std::sqrt((pts.rowwise() - centres.back().transpose()).rowwise().squaredNorm().mean()));
    given.push_back(i);
    (p ? curves : tips).push_back(i);
  }
  if (curves.empty() || tips.size() > 2) return {};
  const ShortPath path(centres, sizes);
  std::vector<int> best = path.best(curves);
  if (!tips.empty()) {
    const double here = path.between(tips[0], best.front()), there = path.between(tips[0], best.back());
    if (there < here) std::reverse(best.begin(), best.end());
    best.insert(best.begin(), tips[0]);
    if (tips.size() > 1) best.push_back(tips[1]);
  }
  // In the sense in which they were given.
  double along = 0;
  for (int i = 0; i < n; ++i) along += (i - 0.5 * (n - 1)) * best[size_t(i)];
  if (along < 0) std::reverse(best.begin(), best.end());
  const bool misplaced = std::any_of(tips.begin(), tips.end(), [&](int t) { return t > 0 && t + 1 < n; });
  if (best == given || (!misplaced && path.cost(best) > kClearly * path.cost(given))) return {};
  return best;
}

} // namespace lumsk::nurbs
