#include "nurbs/loft/loft_strips.h"

#include "nurbs/loft/guide_run.h"
#include "nurbs/loft/loft_sides.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kFirstCrossShare = 30;   ///< of a join's tolerances; then a fifth as much each time
constexpr double kFirstThirdShare = 3000; ///< for ends of third order, whose derivatives hardly count at first
constexpr int kMostCrossTries = 8;
constexpr int kJoinLooks = 53;
constexpr double kCrossShareStep = 0.2;
constexpr double kStripJoinPart = 0.5;                    ///< of what a join may miss: what the fit may use
constexpr int kManySpans = 28;
constexpr double kCountStep = 0.05, kLeastCount = 1e-6; ///< of orders that cannot be met
constexpr double kAtJointsShare = 0.1; ///< of the fit: between joints sections are even, and followed closely with little
constexpr double kSameJump = 1e-6, kSameJoint = 1e-3, kNearJump = 0.03; ///< of a strip

class StripFitter {
public:
  StripFitter(const LoftSurroundings& around, LoftEnds& leaving, double relaxedShare, const Context& cx)
      : places_(around.places), sections_(places_.sections), o_(around.options), spread_(around.spread),
        sides_(around.sides), leaving_(leaving), relaxedShare_(relaxedShare), cx_(cx), n_(places_.count()) {
    for (int i = 0; i < n_; ++i)
      if (sections_[size_t(i)].path() && (!copied() || paths_.empty())) paths_.push_back(i);
    if (copied()) back_ = o_.copies[size_t(paths_.front())].inverse();
  }

  Expected<LoftStrips> run() {
    for (int k = 0; k < stretches(); ++k) {
      if (cx_.stopped()) return fail(cancelled());
      cx_.report(double(k) / stretches(), "fitting sections");
      LUMSK_CHECK(fit(k));
    }
    return std::move(out_);
  }

private:
  bool closed() const { return places_.alignment.closed; }
  int stretches() const { return places_.alignment.strips; }
  bool guided() const { return !spread_.guides().empty(); }
  bool copied() const { return !o_.copies.empty(); }
  bool flows(int side) const { return !closed() && flowsOver(sideOf(side).kind); }
  const LoftEndOptions& sideOf(int side) const { return side ? o_.right : o_.left; }

  /// A strip before it is fitted: how far it is continued.
  LoftStrip continued(int k) const {
    LoftStrip s;
    s.before = k == 0 && sides_[0] ? 1.0 : 0.0;
    s.after = k + 1 == stretches() && sides_[1] ? 1.0 : 0.0;
    return s;
  }

  /// Fitted more closely until ends that flow on or lean do so within their tolerances. Where what they continue jumps,
  /// the highest order counts less and less, before any lower one.
  Expected<void> fit(int k) {
    const int most = std::max(leaving_.order(0), leaving_.order(1));
    double share = most > 2 ? kFirstThirdShare : kFirstCrossShare;
    std::array<double, 4> less{1, 1, 1, 1};
    std::optional<LoftStrip> best;
    SkinJoin join;
    for (int tries = 1; tries <= kMostCrossTries; ++tries) {
      std::array<double, 4> weight = leaving_.weights(share);
      for (size_t q = 0; q < 4; ++q) weight[q] *= less[q];
      auto made = fitOnce(k, weight);
      if (!made && (made.error().code != "LM-L015" || (!best && !countsLess(most, less)))) return fail(made.error());
      if (!made && best) break;
      if (!made) continue;
      const SkinJoin now = joinOf(k, *made);
      if (!best || now.worst(cx_.tolerances) < join.worst(cx_.tolerances)) best = std::move(*made), join = now;
      if (now.worst(cx_.tolerances) <= kStripJoinPart) break;
      share *= kCrossShareStep;
    }
    if (!best) return fail(jumping(k));
    out_.join.take(join, cx_.tolerances);
    out_.deviationMm = std::max(out_.deviationMm, best->fit.deviationMm);
    out_.strips.push_back(std::move(*best));
    return {};
  }

  /// False where nothing is left that may count less.
  static bool countsLess(int most, std::array<double, 4>& less) {
    for (int q = most; q >= 2; --q)
      if (less[size_t(q)] > kLeastCount) return less[size_t(q)] *= kCountStep, true;
    return false;
  }

  Problem jumping(int k) {
    return problem("LM-L015", "an end cannot lean or flow on where its section's bending jumps")
        .at(leaving_.sharpest(k))
        .tryThis("refit that section so that it bends evenly, or take square or free");
  }

  Expected<LoftStrip> fitOnce(int k, std::array<double, 4> weight) {
    LoftStrip made = continued(k);
    if (o_.way == LoftWay::Relaxed) // ends that flow on are met as closely as ever
      for (double& w : weight) w *= std::max(1.0, relaxedShare_ * o_.relaxed.mm / cx_.tolerances.fit.mm);
    CurveFamily family;
    family.curves = int(paths_.size()) + crosses();
    family.closed = closed() && stretches() == 1 && !beginsInCorner(places_, cx_.tolerances.corner);
    family.sample = [&](double x, double* out) { sample(k, made, weight, x, out); };
    auto fitted = fitLean(family, fitting(k, made));
    if (!fitted && crosses() > 0 && fitted.error().code == "LM-G101") {
      Problem p = jumping(k);
      p.measured = fitted.error().measured, p.required = fitted.error().required;
      return fail(std::move(p));
    }
    if (!fitted) return fail(fitted.error());
    made.fit = std::move(*fitted);
    sortRows(made, weight);
    if (guided()) LUMSK_CHECK(leaveAsGuides(k, made));
    return made;
  }

  int crosses() const { return leaving_.order(0) + leaving_.order(1); }
  /// What errors of a section count beside those of others.
  double placeWeight(int i, const std::array<double, 4>& weight) const {
    const int least = o_.way == LoftWay::Relaxed ? 0 : 1;
    const bool flows = (i == 0 && leaving_.order(0) > least) || (i == n_ - 1 && leaving_.order(1) > least);
    return std::max(flows ? weight[0] : 1.0, sections_[size_t(i)].closeness);
  }

  /// Places on all sections, then derivatives at both ends.
  void sample(int k, const LoftStrip& made, const std::array<double, 4>& weight, double x, double* out) {
    double t = x * made.whole() - made.before;
    const std::optional<Frame>* image = nullptr;
    if (made.before > 0 && t < 0) t = -t, image = &sides_[0];
    if (made.after > 0 && t > 1) t = 2 - t, image = &sides_[1];
    for (int i : paths_) {
      const Vec3 p = copied() ? Vec3(back_ * places_.at(i, k, t)) : places_.at(i, k, t);
      Eigen::Map<Vec3>(out, 3) = placeWeight(i, weight) * (image ? mirroredPoint(p, **image) : p);
      out += 3;
    }
    for (int e : {0, 1}) {
      if (leaving_.order(e) == 0) continue;
      std::array<Vec3, 3> r = leaving_.known(e, k, t);
      for (size_t q = 0; q < size_t(leaving_.order(e)); ++q, out += 3) {
        r[q] *= weight[q + 1];
        Eigen::Map<Vec3>(out, 3) = image ? Vec3(r[q] - 2 * r[q].dot((*image)->normal()) * (*image)->normal()) : r[q];
      }
    }
  }

  LeanOptions fitting(int k, const LoftStrip& strip) const {
    LeanOptions lean;
    lean.fit = {o_.way == LoftWay::Relaxed ? relaxedShare_ * o_.relaxed.mm : cx_.tolerances.fit.mm};
    if (!places_.joints.empty()) lean.fit.mm *= kAtJointsShare;
    lean.fair = o_.way == LoftWay::Relaxed;
    lean.removeKnots = guided() || o_.carrier;
    lean.patience = GuideRun::kPatience;
    if (crosses() == 0 && o_.way == LoftWay::Exact) lean.thinBeyond = kManySpans;
    if (guided()) {
      lean.baseSamples = GuideRun::kSamples;
      for (double t : spread_.places(k)) lean.held.push_back(strip.parameter(t));
    }
    lean.degree = 3;
    for (int i : paths_) lean.degree = std::clamp(sections_[size_t(i)].path()->degree(), lean.degree, 5);
    const auto straight = [&](int i) { return sections_[size_t(i)].path()->degree() == 1; };
    if (o_.carrier && !std::all_of(paths_.begin(), paths_.end(), straight)) lean.degree = 5;
    if (strip.whole() > 1) lean.degree = 5; // the third derivative must flow through the plane
    if (guided() || flows(0) || flows(1)) lean.degree = std::max(lean.degree, int(GuideRun::kDegree));
    lean.firstBreaks = breaksFor(k, lean.degree, crosses() > 0 || copied());
    if (const Spline* own = copiedSpline(); own && crosses() == 0 && !guided() && strip.whole() == 1) takeOwnSpace(lean, *own);
    for (int side : {0, 1})
      if (flows(side) && k == (side ? stretches() - 1 : 0) && crosses() == 0 && o_.way == LoftWay::Exact)
        lean.endDerivatives[size_t(side)] = sectionEnds(k, side);
    if (guided() && spread_.around(k))
      lean.firstSpans = std::max<int>(lean.firstSpans, int(spread_.places(k).size()) + 3);
    return lean;
  }

  /// What all sections are copies of, where it is one spline that is run through by its own parameter from its start.
  const Spline* copiedSpline() const {
    if (!copied() || stretches() != 1) return nullptr;
    const size_t i = size_t(paths_.front());
    const auto& segments = sections_[i].path()->segments();
    const AlignedSection& a = places_.alignment.sections[i];
    const Spline* s = segments.size() == 1 ? std::get_if<Spline>(&segments.front()) : nullptr;
    return s && s->degree() >= 2 && sections_[i].counted && !a.reversed && a.start == 0 ? s : nullptr;
  }
  /// A space that holds it exactly.
  void takeOwnSpace(LeanOptions& lean, const Spline& s) const {
    lean.degree = s.degree();
    lean.firstBreaks.clear();
    const double first = s.first(), whole = s.last() - first;
    for (double b : breakpoints(s.knots(), s.degree())) {
      const bool inner = b > first && b < s.last();
      lean.firstBreaks.insert(lean.firstBreaks.end(), size_t(inner ? multiplicity(s.knots(), b) : 1), (b - first) / whole);
    }
    if (s.closed()) lean.firstBreaks.insert(lean.firstBreaks.begin(), size_t(s.degree() - 1), 0.0); // it may be no smoother there
  }

  /// One row a section, points too, and those of derivatives, from the fit of the family.
  void sortRows(LoftStrip& made, const std::array<double, 4>& weight) const {
    const Rows& fitted = made.fit.controls;
    const Eigen::Index controls = fitted.rows();
    const auto column = [&](Eigen::Index c, double by) {
      Eigen::RowVectorXd row(3 * controls);
      for (Eigen::Index j = 0; j < controls; ++j) row.segment<3>(3 * j) = fitted.row(j).segment<3>(3 * c) / by;
      return row;
    };
    Eigen::Index c = 0;
    made.rows = Rows(n_, 3 * controls);
    if (copied()) {
      const Eigen::RowVectorXd own = column(c++, placeWeight(paths_.front(), weight));
      for (int i = 0; i < n_; ++i)
        for (Eigen::Index j = 0; j < controls; ++j)
          made.rows.row(i).segment<3>(3 * j) = (o_.copies[size_t(i)] * Vec3(own.segment<3>(3 * j).transpose())).transpose();
    }
    for (int i = 0; i < n_ && !copied(); ++i)
      if (const Vec3* point = sections_[size_t(i)].point())
        made.rows.row(i) = point->transpose().replicate(1, controls);
      else
        made.rows.row(i) = column(c++, placeWeight(i, weight));
    for (int e : {0, 1}) {
      Rows& cross = made.cross[size_t(e)] = Rows(leaving_.order(e), 3 * controls);
      for (Eigen::Index q = 0; q < cross.rows(); ++q) cross.row(q) = column(c++, weight[size_t(q) + 1]);
    }
  }

  /// Where the skin flows on over a side, its sections leave it exactly as they do.
  Rows sectionEnds(int k, int side) const {
    const Meets kind = sideOf(side).kind;
    const int orders = kind == Meets::G3 ? 3 : kind == Meets::G2 ? 2 : 1;
    Rows out = Rows::Zero(orders, Eigen::Index(3 * paths_.size()));
    for (size_t c = 0; c < paths_.size(); ++c) {
      const auto d = places_.derivatives(paths_[c], k, side);
      for (int q = 0; q < orders; ++q)
        out.row(q).segment<3>(Eigen::Index(3 * c)) = (back_.linear() * d[size_t(q)]).transpose();
    }
    return out;
  }

  /// Breaks that a strip's fit has to have: for many guides; and where an end leans or flows on, or all sections are
  /// copies of one, at places where the curvature of a section jumps, so often that the skin's may jump there too.
  std::vector<double> breaksFor(int k, int degree, bool leans) const {
    std::vector<double> own;
    if (guided() && !spread_.around(k) && spread_.places(k).size() > size_t(GuideRun::kDegree) + 1)
      own = breakpoints(averagedKnots(GuideRun::kDegree, spread_.places(k)), GuideRun::kDegree);
    std::vector<double> jumps;
    if (continued(k).whole() == 1)
      for (const LoftPlace& j : places_.joints)
        if (j.strip == k) jumps.push_back(j.t);
    const std::vector<double> joints = jumps;
    const auto add = [&](double t) { // those of the neighbours' faces are found less exactly
      if (std::none_of(joints.begin(), joints.end(), [&](double j) { return std::abs(t - j - std::round(t - j)) < kSameJoint; })) jumps.push_back(t);
    };
    for (int i : paths_)
      if (leans && continued(k).whole() == 1)
        for (const LoftPlaces::Jump& j : places_.jumps(i))
          if (j.at.strip == k) add(j.at.t - std::floor(j.at.t));
    for (int e : {0, 1})
      if (leans && continued(k).whole() == 1)
        for (double t : leaving_.kinks(e, k)) add(t);
    std::sort(jumps.begin(), jumps.end());
    jumps.erase(std::unique(jumps.begin(), jumps.end(), [](double a, double b) { return b - a < kSameJump; }),
                jumps.end());
    if (jumps.empty()) return own;
    if (own.empty()) own = places_.joints.empty() ? std::vector<double>{0.0, 0.25, 0.5, 0.75, 1.0} : std::vector<double>{0.0, 1.0};
    std::vector<double> out{0.0};
    for (double b : own) {
      const bool near = std::any_of(jumps.begin(), jumps.end(), [&](double j) { return std::abs(j - b) < kNearJump; });
      if (b > 0 && b < 1 && !near) out.push_back(b);
    }
    const auto atSeam = [](double j) { return j < kSameJump || j > 1 - kSameJump; }; // around
    if (std::any_of(jumps.begin(), jumps.end(), atSeam)) out.insert(out.end(), size_t(degree - 2), 0.0);
    for (double j : jumps)
      if (!atSeam(j)) out.insert(out.end(), size_t(degree - 1), j);
    out.push_back(1.0);
    std::sort(out.begin(), out.end());
    return out;
  }

  /// Moves the fitted derivatives at ends to what they are on guides: what is left of the fit's errors there.
  Expected<void> leaveAsGuides(int k, LoftStrip& made) {
    LUMSK_TRY(share, guideShares(spread_, k, made));
    for (size_t e : {0, 1})
      for (Eigen::Index q = 0; q < made.cross[e].rows(); ++q) {
        auto row = made.cross[e].row(q);
        std::vector<Vec3> miss(spread_.guides().size(), Vec3::Zero());
        for (size_t g = 0; g < spread_.guides().size(); ++g)
          if (const auto t = spread_.on(k, g)) miss[g] = leaving_.known(int(e), k, *t)[size_t(q)] - made.at(row, *t);
        for (Eigen::Index j = 0; j < row.cols() / 3; ++j)
          for (size_t g = 0; g < spread_.guides().size(); ++g)
            row.segment<3>(3 * j) += share(Eigen::Index(g), j) * miss[g].transpose();
      }
    return {};
  }
  /// How a fitted strip meets what its ends are to flow into or to lean by, at places between the samples.
  SkinJoin joinOf(int k, const LoftStrip& f) const {
    SkinJoin worst;
    for (int e : {0, 1}) {
      if (leaving_.order(e) == 0) continue;
      const auto spline = [&](const Rows& rows, Eigen::Index row) {
        Points p(rows.cols() / 3, 3);
        for (Eigen::Index j = 0; j < p.rows(); ++j) p.row(j) = rows.row(row).segment<3>(3 * j);
        return Spline::trusted(f.fit.degree, f.fit.knots, std::move(p), f.fit.closed);
      };
      std::vector<Spline> across{spline(f.rows, e ? n_ - 1 : 0)};
      for (Eigen::Index q = 0; q < f.cross[size_t(e)].rows(); ++q) across.push_back(spline(f.cross[size_t(e)], q));
      for (int i = 0; i < kJoinLooks; ++i) {
        const double t = (i + 0.41) / kJoinLooks;
        SurfaceDerivatives d;
        for (int q = 0; q <= 3; ++q)
          for (int l = 0; l + q <= 3; ++l) d(l, q) = Vec3::Zero();
        for (size_t q = 0; q < across.size(); ++q) {
          CurveDerivatives c;
          across[q].derivatives(f.parameter(t), int(3 - q), c);
          for (size_t l = 0; l + q <= 3; ++l) d(int(l), int(q)) = c[l];
        }
        worst.take(leaving_.join(e, k, t, d), cx_.tolerances);
      }
    }
    return worst;
  }

  const LoftPlaces& places_;
  const std::vector<Section>& sections_;
  const LoftOptions& o_;
  const GuideSpread& spread_;
  const std::array<std::optional<Frame>, 2>& sides_; ///< mirror planes
  LoftEnds& leaving_;
  double relaxedShare_;
  const Context& cx_;
  Eigen::Affine3d back_ = Eigen::Affine3d::Identity(); ///< of copies: to what they are copies of
  int n_;
  std::vector<int> paths_; ///< sections that are no points
  LoftStrips out_;
};

} // namespace

Vec3 LoftStrip::at(const Eigen::Ref<const Eigen::RowVectorXd>& row, double t) const {
  double N[kMaxDegree + 1];
  const int first = basisFunctions(fit.knots, fit.degree, parameter(t), N);
  Vec3 at = Vec3::Zero();
  for (int j = 0; j <= fit.degree; ++j) at += N[j] * row.segment<3>(3 * (first + j)).transpose();
  return at;
}

Surface LoftStrip::surface(int degree, const Knots& knots, const Rows& across) const {
  const Eigen::Index nu = across.cols() / 3, nv = across.rows();
  Points grid(nu * nv, 3);
  for (Eigen::Index i = 0; i < nu; ++i)
    for (Eigen::Index j = 0; j < nv; ++j) grid.row(i * nv + j) = across.row(j).segment<3>(3 * i);
  return Surface::trusted(fit.degree, degree, fit.knots, knots, std::move(grid), fit.closed);
}

Expected<LoftStrips> fitStrips(const LoftSurroundings& around, LoftEnds& leaving, double relaxedShare,
                               const Context& cx) {
  return StripFitter(around, leaving, relaxedShare, cx).run();
}

Expected<Rows> guideShares(const GuideSpread& spread, int k, const LoftStrip& strip) {
  return spread.in(k, strip.fit.degree, strip.fit.knots, strip.whole(), strip.before);
}

bool beginsInCorner(const LoftPlaces& places, AngleTolerance corner) {
  return std::any_of(places.sections.begin(), places.sections.end(),
                     [&](const Section& s) { return s.path() && !s.path()->corners(corner).empty(); });
}

} // namespace lumsk::nurbs
