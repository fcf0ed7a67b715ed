#include "brep/offset/layer_sheets.h"

#include "nurbs/measure/surface_measure.h"
#include "nurbs/measure/closest.h"

#include <Eigen/SVD>
#include <algorithm>

namespace lumsk::brep::offset {

namespace {

// Point tolerances: offsets of tangent neighbours are no further apart; what does not come as near does not meet; what
// moves less by fits stays.
constexpr double kKeptGap = 2, kMeet = 5, kShift = 3;
constexpr double kLongestReach = 6;   ///< distances: sharper joins are refused
constexpr double kFlattestRim = 2.5;  ///< distances: a rim that has to go further follows the normal
constexpr double kFlatPole = 1e-4;    ///< sine, about: a pole's normal that leaves a rim's plane by less lies in it
constexpr double kFadeLengths = 10;   ///< what an open edge is moved aside at its end fades over so many times that

/// Planes through a place, moved along their normals: the step to where they meet.
class Meeting {
public:
  void add(const Vec3& normal, double mm) {
    rows_.conservativeResize(rows_.rows() + 1, 3);
    rows_.row(rows_.rows() - 1) = normal.transpose();
    sides_.conservativeResize(sides_.size() + 1);
    sides_[sides_.size() - 1] = mm;
  }
  Vec3 step() const {
    return leastSolution<Eigen::Dynamic, 3>(Eigen::Matrix<double, Eigen::Dynamic, 3>(rows_), sides_);
  }
  double missesMm() const { return rows_.rows() == 0 ? 0 : (rows_ * step() - sides_).cwiseAbs().maxCoeff(); }

private:
  Eigen::MatrixXd rows_ = Eigen::MatrixXd(0, 3);
  Eigen::VectorXd sides_ = Eigen::VectorXd(0);
};

/// The nearest place beside a start, not held to the border.
Vec2 footBeside(const nurbs::Surface& s, Vec2 uv, const Vec3& p) {
  for (int it = 0; it < 12; ++it) {
    const Vec2 step = inDomain(s, uv, p - s.at(uv.x(), uv.y()));
    uv += step.cwiseMax(-0.1).cwiseMin(0.1);
    if (step.norm() < 1e-13) break;
  }
  return uv;
}

class Solver {
public:
  Solver(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx)
      : n_(n), ds_(distances), flat_(flatRims), cx_(cx) {}

  Expected<LayerPlaces> run() {
    out_.distances = ds_, out_.flatRims = flat_;
    out_.sheets.resize(n_.net.sheets.size());
    out_.vertices.resize(n_.vertices.size());
    out_.edges.resize(n_.edges.size());
    LUMSK_CHECK(predict());
    LUMSK_CHECK(offsetSheets(n_, reach_, out_, cx_));
    for (size_t v = 0; v < n_.vertices.size(); ++v) LUMSK_CHECK(solveVertex(int(v)));
    for (size_t e = 0; e < n_.edges.size(); ++e) LUMSK_CHECK(solveEdge(int(e)));
    return std::move(out_);
  }

private:
  // Prediction

  Meeting meetingAt(int vertex) const {
    Meeting m;
    for (const SheetAt& s : n_.vertices[size_t(vertex)].sheets) m.add(n_.outside(s.sheet, s.uv), ds_.at(n_, s.sheet, s.uv));
    const KnownVertex& v = n_.vertices[size_t(vertex)];
    if (flat_ && v.rimPlane) m.add(v.rimPlane->normal(), 0);
    if (v.seam >= 0) m.add(acrossSeam(*n_.net.sheets[size_t(v.sheets[size_t(v.seam)].sheet)].surface, v.sheets[size_t(v.seam)].uv).normalized(), 0);
    return m;
  }

  /// Square to a line of constant u in the surface; its length is a unit of u.
  static Vec3 acrossSeam(const nurbs::Surface& s, const Vec2& uv) {
    nurbs::SurfaceDerivatives d;
    s.derivatives(uv.x(), uv.y(), 1, d);
    const Vec3 b = s.normal(uv.x(), uv.y()).cross(d(0, 1)).normalized();
    return d(1, 0).dot(b) * b;
  }

  Expected<void> tooSharp(const Vec3& at) const {
    return fail(problem("LM-T007", "the faces turn too sharply here: their offsets meet too far away")
                    .measure(millimetres(most_))
                    .at(at)
                    .tryThis("round this edge, or take a smaller distance"));
  }

  /// How far every sheet has to reach.
  Expected<void> predict() {
    for (const split::Sheet& s : n_.net.sheets) {
      reach_.low.emplace_back(s.surface->firstU(), s.surface->firstV());
      reach_.high.emplace_back(s.surface->lastU(), s.surface->lastV());
    }
    reach_.places.resize(n_.net.sheets.size());
    if (ds_.none()) return {};
    for (size_t v = 0; v < n_.vertices.size(); ++v) {
      const KnownVertex& x = n_.vertices[v];
      if (x.sheets.empty()) continue;
      const Vec3 step = meetingAt(int(v)).step();
      if (step.norm() > kLongestReach * most_) return tooSharp(n_.net.vertices[v].at);
      for (const SheetAt& s : x.sheets) want(s.sheet, s.uv, step);
    }
    for (size_t e = 0; e < n_.edges.size(); ++e) {
      const KnownEdge& x = n_.edges[e];
      if (n_.net.edges[e].pole || x.kind == EdgeKind::Seam) continue;
      for (double t : x.t) {
        Meeting m;
        for (const FaceAt& f : x.faces) m.add(n_.outside(f.sheet, n_.imageOf(f, t)), ds_.at(n_, f.sheet, n_.imageOf(f, t)));
        if (flat_ && x.rim) m.add(x.rimPlane.normal(), 0);
        const Vec3 step = m.step();
        if (step.norm() > kLongestReach * most_) return tooSharp(n_.at(int(e), t));
        for (const FaceAt& f : x.faces) want(f.sheet, n_.imageOf(f, t), step);
      }
    }
    return {};
  }

  void want(int sheet, const Vec2& uv, const Vec3& step) {
    const split::Sheet& s = n_.net.sheets[size_t(sheet)];
    const double d = ds_.at(n_, sheet, uv);
    const Vec3 within = step - d * n_.outside(sheet, uv);
    if (within.norm() < 1e-6 * most_) return;
    if (ds_.ramps[size_t(sheet)]) return reach_.places[size_t(sheet)].push_back(s.surface->at(uv.x(), uv.y()) + kMargin * within);
    const Vec2 to = uv + kMargin * inDomain(*s.surface, uv, within);
    reach_.low[size_t(sheet)] = reach_.low[size_t(sheet)].cwiseMin(to);
    reach_.high[size_t(sheet)] = reach_.high[size_t(sheet)].cwiseMax(to);
  }

  // Vertices

  Expected<void> solveVertex(int v) {
    const KnownVertex& x = n_.vertices[size_t(v)];
    const Vec3 old = n_.net.vertices[size_t(v)].at;
    Vec3& p = out_.vertices[size_t(v)] = old;
    if (x.sheets.empty() || ds_.none()) return {};
    if (x.pole >= 0 || (x.sheets.size() == 1 && !(flat_ && x.rimPlane))) { // poles are found by their parameters only
      const SheetAt& s = x.sheets[size_t(std::max(x.pole, 0))];
      const OffsetSheet& o = out_.sheets[size_t(s.sheet)];
      const Vec2 uv = o.place(s.uv);
      p = o.surface->at(uv.x(), uv.y());
      return {};
    }
    const Meeting meeting = meetingAt(v);
    p = old + meeting.step();
    std::vector<Vec2> uv;
    for (const SheetAt& s : x.sheets) uv.push_back(out_.sheets[size_t(s.sheet)].place(s.uv));
    double misses = 0;
    for (int it = 0; it < 6; ++it) {
      Meeting now;
      misses = 0;
      for (size_t i = 0; i < x.sheets.size(); ++i) {
        const nurbs::Surface& o = *out_.sheets[size_t(x.sheets[i].sheet)].surface;
        uv[i] = footBeside(o, uv[i], p);
        const nurbs::PointAndNormal at = o.pointAndNormal(uv[i].x(), uv[i].y());
        const double height = (p - at.point).dot(at.normal);
        misses = std::max({misses, std::abs(height), (p - at.point - height * at.normal).norm()});
        now.add(at.normal, -height);
      }
      if (flat_ && x.rimPlane) {
        const double off = (p - x.rimPlane->origin).dot(x.rimPlane->normal());
        misses = std::max(misses, std::abs(off));
        now.add(x.rimPlane->normal(), -off);
      }
      if (x.seam >= 0) {
        const OffsetSheet& o = out_.sheets[size_t(x.sheets[size_t(x.seam)].sheet)];
        const Vec3 b = acrossSeam(*o.surface, uv[size_t(x.seam)]);
        const double off = (uv[size_t(x.seam)].x() - o.place(x.sheets[size_t(x.seam)].uv).x()) * b.norm();
        misses = std::max(misses, std::abs(off));
        now.add(b.normalized(), -off);
      }
      if (misses < 1e-9) break;
      p += now.step();
    }
    if (misses <= kMeet * point_) return {};
    return fail(problem("LM-T003", "the offsets of the faces do not meet in one point at this corner")
                    .measure(millimetres(misses))
                    .want(millimetres(kMeet * point_))
                    .at(old)
                    .tryThis("round this corner, or offset the faces before they are joined"));
  }

  // Edges

  Expected<void> solveEdge(int e) {
    const split::OldEdge& old = n_.net.edges[size_t(e)];
    const KnownEdge& x = n_.edges[size_t(e)];
    OffsetEdge& o = out_.edges[size_t(e)];
    if (old.pole) return {};
    const bool rim = flat_ && x.rim;
    for (int k = 0; k < 2; ++k) {
      const double t = k ? old.last : old.first;
      const Vec3 moved = out_.vertices[size_t(old.paves[size_t(k)].vertex)] - n_.at(e, t), along = n_.along(e, t);
      o.shift[size_t(k)] = moved.dot(along);
      if (x.kind != EdgeKind::Open || rim) continue;
      o.aside[size_t(k)] = moved.dot(n_.outside(x.faces[0].sheet, n_.imageOf(x.faces[0], t)).cross(along));
    }
    if (x.kind == EdgeKind::Inner) // tangent sides leave open where it ends between them
      for (int k = 0; k < 2; ++k) {
        const double t = k ? old.last : old.first;
        const Vec3 off = out_.vertices[size_t(old.paves[size_t(k)].vertex)] - placeOn(n_, out_, e, t).point;
        o.aside[size_t(k)] = off.dot(n_.outside(x.faces[0].sheet, n_.imageOf(x.faces[0], t)).cross(n_.along(e, t)));
      }
    o.kept = !rim;
    for (double moved : {o.shift[0], o.shift[1], o.aside[0], o.aside[1]}) o.kept = o.kept && std::abs(moved) <= kShift * point_;
    if (o.kept && x.kind != EdgeKind::Open)
      for (double t : x.t) o.kept = o.kept && placeOn(n_, out_, e, t).gapMm <= kKeptGap * point_;
    double worst = 0;
    Vec3 at = Vec3::Zero();
    for (size_t i = 0; i < x.t.size(); ++i) {
      o.places.push_back(placeOn(n_, out_, e, x.t[i]));
      if (o.places.back().gapMm > worst) worst = o.places.back().gapMm, at = n_.at(e, x.t[i]);
    }
    if (!(worst <= kMeet * point_))
      return fail(problem("LM-T007", "the offsets of the two sides of an edge do not meet there")
                      .measure(millimetres(worst))
                      .want(millimetres(kMeet * point_))
                      .at(at)
                      .tryThis("take a smaller distance, or round this edge"));
    for (size_t i = 0; i + 1 < o.places.size(); ++i)
      if (!((o.places[i + 1].point - o.places[i].point).dot(n_.at(e, x.t[i + 1]) - n_.at(e, x.t[i])) > 0))
        return fail(problem("LM-T007", "an edge is too short or bends too much: nothing is left of it at this distance")
                        .at(n_.at(e, x.t[i]))
                        .tryThis("take a smaller distance, or smooth this edge"));
    return {};
  }

  const LayerNet& n_;
  const Distances& ds_;
  bool flat_;
  const Context& cx_;
  double point_ = cx_.tolerances.point.mm, most_ = ds_.most();
  Reach reach_;
  LayerPlaces out_;
};

} // namespace

namespace {

/// One place of an edge: what holds there, and Newton's steps to it.
class Place {
public:
  Place(const LayerNet& n, const LayerPlaces& l, int edge, double t)
      : n_(n), l_(l), e_(edge), x_(n.edges[size_t(edge)]), o_(l.edges[size_t(edge)]), t_(t),
        rim_(l.flatRims && x_.rim),
        at_(n.at(edge, t)), along_(n.along(edge, t)) {
    const auto i = std::clamp<std::ptrdiff_t>(std::upper_bound(x_.t.begin(), x_.t.end(), t) - x_.t.begin(), 1, std::ptrdiff_t(x_.t.size()) - 1);
    left_ = size_t(i) - 1;
    f_ = (t - x_.t[left_]) / (x_.t[left_ + 1] - x_.t[left_]);
    const double share = x_.share[left_] + f_ * (x_.share[left_ + 1] - x_.share[left_]);
    shift_ = (1 - share) * o_.shift[0] + share * o_.shift[1];
    for (int k = 0; k < 2; ++k) aside_ += o_.aside[size_t(k)] * fade((k ? 1 - share : share) * x_.lengthMm, o_.aside[size_t(k)]);
  }

  EdgePlace run() {
    start();
    if (!o_.kept) {
      if (x_.kind == EdgeKind::Seam)
        slide();
      else if (x_.kind == EdgeKind::Inner)
        meet();
      else
        settle();
    }
    EdgePlace p;
    p.uv = uv_;
    p.point = on(0);
    if (x_.faces.size() > 1) {
      p.gapMm = (on(0) - on(1)).norm();
      p.point = 0.5 * (on(0) + on(1));
    }
    return p;
  }

private:
  /// From whole to nothing, so that its rate is nought at both ends.
  double fade(double mm, double aside) const {
    const double over = std::min(0.5 * x_.lengthMm, kFadeLengths * std::abs(aside));
    const double f = over > 0 ? std::clamp(mm / over, 0.0, 1.0) : 1.0;
    return (1 - f) * (1 - f) * (1 + 2 * f);
  }
  const nurbs::Surface& surface(size_t k) const { return *l_.sheets[size_t(x_.faces[k].sheet)].surface; }
  Vec3 on(size_t k) const { return surface(k).at(uv_[k].x(), uv_[k].y()); }
  Vec2 image(size_t k, double t) const {
    return l_.sheets[size_t(x_.faces[k].sheet)].place(n_.imageOf(x_.faces[k], t));
  }

  void start() {
    Meeting m;
    for (size_t k = 0; k < x_.faces.size(); ++k) {
      uv_[k] = image(k, t_);
      const Vec2 old = n_.imageOf(x_.faces[k], t_);
      m.add(n_.outside(x_.faces[k].sheet, old), l_.distances.at(n_, x_.faces[k].sheet, old));
    }
    if (o_.kept || x_.kind == EdgeKind::Seam) return;
    if (o_.places.size() == x_.t.size()) { // as between its neighbours
      for (size_t k = 0; k < x_.faces.size(); ++k) {
        const Vec2 a = o_.places[left_].uv[k] - image(k, x_.t[left_]),
                   b = o_.places[left_ + 1].uv[k] - image(k, x_.t[left_ + 1]);
        uv_[k] += (1 - f_) * a + f_ * b;
      }
      return;
    }
    if (rim_) m.add(x_.rimPlane.normal(), 0);
    const Vec3 aside = n_.outside(x_.faces[0].sheet, n_.imageOf(x_.faces[0], t_)).cross(along_);
    const Vec3 to = at_ + m.step() + shift_ * along_ + aside_ * aside;
    for (size_t k = 0; k < x_.faces.size(); ++k) uv_[k] += inDomain(surface(k), uv_[k], to - on(k));
  }

  /// A seam stays one: along its images, or on beyond their ends.
  void slide() {
    const split::OldEdge& old = n_.net.edges[size_t(e_)];
    double t = t_;
    const double h = 1e-4 * (old.last - old.first);
    const auto imageAt = [&](size_t k, double at) -> Vec2 {
      if (at >= old.first && at <= old.last) return image(k, at);
      const double end = at < old.first ? old.first : old.last, in = at < old.first ? old.first + h : old.last - h;
      return image(k, end) + (at - end) / (in - end) * (image(k, in) - image(k, end));
    };
    const auto height = [&](double at) {
      const Vec2 uv = imageAt(0, at);
      return (surface(0).at(uv.x(), uv.y()) - at_).dot(along_) - shift_;
    };
    for (int it = 0; it < 20; ++it) {
      const double y = height(t), slope = (height(t + h) - y) / h;
      if (std::abs(y) < 1e-10 || !(std::abs(slope) > 0)) break;
      t -= y / slope;
    }
    for (size_t k = 0; k < 2; ++k) uv_[k] = imageAt(k, t);
  }

  /// Both offsets meet, square to where the edge is.
  void meet() {
    for (int it = 0; it < 15; ++it) {
      nurbs::SurfaceDerivatives d[2];
      for (size_t k = 0; k < 2; ++k) surface(k).derivatives(uv_[k].x(), uv_[k].y(), 1, d[k]);
      Eigen::Matrix<double, 4, 4> J;
      Eigen::Matrix<double, 4, 1> r;
      r << d[0](0, 0) - d[1](0, 0), (0.5 * (d[0](0, 0) + d[1](0, 0)) - at_).dot(along_) - shift_;
      double scale[4];
      for (int c = 0; c < 4; ++c) {
        const Vec3 q = d[c / 2](c % 2 ? 0 : 1, c % 2 ? 1 : 0);
        scale[c] = std::max(q.norm(), 1e-9);
        J.col(c) << (c < 2 ? 1 : -1) * q / scale[c], 0.5 * q.dot(along_) / scale[c];
      }
      const Eigen::Matrix<double, 4, 1> step = leastSolution<4, 4>(J, r);
      for (int c = 0; c < 4; ++c) uv_[size_t(c / 2)][c % 2] -= std::clamp(step[c] / scale[c], -0.1, 0.1);
      if (step.norm() < 1e-11) break;
    }
  }

  /// An open edge: above its old place, or in the plane of its opening.
  void settle() {
    const Vec3 across = rim_ ? x_.rimPlane.normal()
                             : Vec3(n_.outside(x_.faces[0].sheet, n_.imageOf(x_.faces[0], t_)).cross(along_).normalized());
    for (int it = 0; it < 15; ++it) {
      nurbs::SurfaceDerivatives d;
      surface(0).derivatives(uv_[0].x(), uv_[0].y(), 1, d);
      const double a = std::max(d(1, 0).norm(), 1e-9), b = std::max(d(0, 1).norm(), 1e-9);
      const double off = rim_ ? (d(0, 0) - x_.rimPlane.origin).dot(across) : (d(0, 0) - at_).dot(across) - aside_;
      Eigen::Matrix<double, 2, 2> J;
      J << d(1, 0).dot(along_) / a, d(0, 1).dot(along_) / b, d(1, 0).dot(across) / a, d(0, 1).dot(across) / b;
      const Vec2 r((d(0, 0) - at_).dot(along_) - shift_, off);
      const Vec2 step = leastSolution<2, 2>(J, r);
      uv_[0] -= Vec2(step.x() / a, step.y() / b).cwiseMax(-0.1).cwiseMin(0.1);
      if (step.norm() < 1e-11) break;
    }
  }

  const LayerNet& n_;
  const LayerPlaces& l_;
  int e_;
  const KnownEdge& x_;
  const OffsetEdge& o_;
  double t_;
  bool rim_;
  Vec3 at_, along_;
  size_t left_ = 0;
  double f_ = 0, shift_ = 0, aside_ = 0;
  std::array<Vec2, 2> uv_{};
};

} // namespace

void dropRim(LayerNet& n, const Frame& plane) {
  const auto same = [&](const Frame& f) { return (f.origin - plane.origin).norm() < 1e-9 && (f.normal() - plane.normal()).norm() < 1e-9; };
  for (KnownEdge& e : n.edges) e.rim = e.rim && !same(e.rimPlane);
  for (KnownVertex& v : n.vertices)
    if (v.rimPlane && same(*v.rimPlane)) v.rimPlane.reset();
}

std::optional<Problem> dropSlantedRims(LayerNet& n, double distanceMm) {
  std::optional<Problem> note;
  for (int round = 0; round < int(n.edges.size()); ++round) {
    const KnownEdge* slanted = nullptr;
    for (size_t v = 0; v < n.vertices.size() && !slanted; ++v) { // a pole stays where the normal leads
      const KnownVertex& x = n.vertices[v];
      if (x.pole < 0 || !x.rimPlane) continue;
      const SheetAt& s = x.sheets[size_t(x.pole)];
      if (std::abs(n.outside(s.sheet, s.uv).dot(x.rimPlane->normal())) < kFlatPole) continue;
      for (const KnownEdge& e : n.edges)
        if (e.rim && (e.rimPlane.origin - x.rimPlane->origin).norm() < 1e-9) slanted = &e;
    }
    for (const KnownEdge& e : n.edges) {
      if (slanted) break;
      for (double t : e.rim ? e.t : std::vector<double>()) {
        Meeting m;
        m.add(n.outside(e.faces[0].sheet, n.imageOf(e.faces[0], t)), distanceMm);
        m.add(e.rimPlane.normal(), 0);
        if (m.step().norm() > kFlattestRim * std::abs(distanceMm) || m.missesMm() > 1e-3 * std::abs(distanceMm)) slanted = &e;
      }
    }
    if (!slanted) break;
    if (!note)
      note = problem("LM-T102", "the rim follows the normal: the skin meets its plane at too flat an angle, or in a pole");
    note->at(n.at(int(slanted - n.edges.data()), slanted->t[slanted->t.size() / 2]));
    dropRim(n, Frame(slanted->rimPlane));
  }
  return note;
}

EdgePlace placeOn(const LayerNet& n, const LayerPlaces& l, int edge, double t) {
  return Place(n, l, edge, t).run();
}

Expected<LayerPlaces> placesAt(const LayerNet& n, const Distances& distances, bool flatRims, const Context& cx) {
  return Solver(n, distances, flatRims, cx).run();
}

} // namespace lumsk::brep::offset
