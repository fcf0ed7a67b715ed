#include "nurbs/correspond.h"

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

void alignOpen(const Path& before, const AlignedSection& prior, const Path& p, AlignedSection& a) {
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

void alignClosed(const Points& before, const Path& p, const ArcLength& l, const Section& s, AlignedSection& a) {
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

/// Turns the start of a closed section with corners to the corner that lies nearest to it.
void startAtCorner(const Path& p, const ArcLength& l, AlignedSection& a, const Tolerances& tol) {
  const std::vector<double> c = alignedCorners(p, l, a, tol);
  if (c.empty()) return;
  double best = c.front();
  for (double f : c)
    if (std::min(f, 1 - f) < std::min(best, 1 - best)) best = f;
  a.start = wrap(a.reversed ? a.start - best : a.start + best);
}

} // namespace

Vec3 alignedPoint(const Section& s, const ArcLength& length, const AlignedSection& a, double f) {
  const Path& p = *s.path();
  if (!p.closed()) return p.at(length.parameterAt(ownFraction(a, f, false) * length.total()));
  return p.at(length.parameterAt(ownFraction(a, f, true) * length.total()));
}

Expected<Alignment> alignSections(const std::vector<Section>& sections, const std::vector<ArcLength>& lengths,
                                  const Tolerances& tol) {
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

  Points before;
  int previous = -1;
  for (int i = 0; i < n; ++i) {
    const Path* p = sections[i].path();
    if (!p) continue;
    AlignedSection& a = out.sections[i];
    if (previous < 0)
      a.start = out.closed ? wrap(sections[i].start.value_or(0.0)) : 0.0;
    else if (out.closed)
      alignClosed(before, *p, lengths[i], sections[i], a);
    else
      alignOpen(*sections[previous].path(), out.sections[previous], *p, a);
    if (sections[i].flip) {
      a.reversed = !a.reversed;
      if (!out.closed) a.start = a.reversed ? 1.0 : 0.0;
    }
    if (out.closed && !sections[i].start) startAtCorner(*p, lengths[i], a, tol);
    if (out.closed) before = probe(*p, lengths[i], a.reversed, a.start);
    previous = i;
  }

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
  return out;
}

} // namespace lumsk::nurbs
