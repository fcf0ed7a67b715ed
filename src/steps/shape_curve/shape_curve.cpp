#include "nurbs/curve_refit.h"
#include "nurbs/side_conditions.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

constexpr int kMostPoints = 400; ///< more cannot be told apart in the view

Schema schema() {
  return {
      picks("curve", "Curve", "The curve whose control points are moved; it becomes one spline of its stretches.",
            Kind::Curve | Kind::Edge)
          .atMost(1),
      choice("points", "Control points", "Those that it has, or new ones of a degree and number of spans.",
             {{"own", "its own"}, {"new", "new"}}),
      countField("degree", "Degree", "Of the new control points.", "5").within(2, 7).when("points", {"new"}),
      countField("spans", "Spans", "On every stretch between corners.", "3").within(1, 60).when("points", {"new"}),
      choice("along", "Drag", "How control points move when they are dragged in the view.",
             {{"screen", "in the screen"},
              {"normal", "along the normal"},
              {"tangent", "along the curve"},
              {"binormal", "square to both"}}),
      countField("falloff", "Falloff", "How many neighbours on each side follow, less and less.", "0").within(0, 50),
      picks("mirror", "Symmetric about", "A plane: what is moved on one side moves on the other, too.", Kind::Plane)
          .optional()
          .atMost(1),
      table(
          "moves", "Moves", "How far control points are moved from where the curve has them.",
          {length("x", "x", "In space.", "0"), length("y", "y", "In space.", "0"), length("z", "z", "In space.", "0")}),
      hideField("curve")};
}

struct Net {
  std::vector<nurbs::Spline> splines;
  std::vector<Vec3> moves; ///< of all control points, one after the other; joints count once for both sides
  int size() const {
    int n = 0;
    for (const auto& s : splines) n += s.size();
    return n;
  }
};

/// Moves of the table's rows, whose ids are "c" and the number of the control point.
std::vector<std::pair<int, Vec3>> rowsOf(const Inputs& in, int n) {
  const auto ids = in.rowIds("moves");
  const auto x = in.column("moves", "x"), y = in.column("moves", "y"), z = in.column("moves", "z");
  std::vector<std::pair<int, Vec3>> out;
  for (size_t i = 0; i < ids.size() && i < x.size(); ++i) {
    const int k = ids[i].size() > 1 ? std::atoi(ids[i].c_str() + 1) : -1;
    if (k >= 0 && k < n) out.push_back({k, Vec3(x[i], y[i], z[i])});
  }
  return out;
}

/// The control point that mirrors another one, if there is one near.
int imageOf(const std::vector<Vec3>& points, int k, const Frame& plane) {
  const Vec3 m = nurbs::mirroredPoint(points[size_t(k)], plane);
  int best = 0;
  for (int i = 1; i < int(points.size()); ++i)
    if ((points[size_t(i)] - m).norm() < (points[size_t(best)] - m).norm()) best = i;
  const double size = (points.front() - points.back()).norm() + (points.front() - points[points.size() / 2]).norm();
  return (points[size_t(best)] - m).norm() < 0.02 * size ? best : -1;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const nurbs::Path& old = *curveOf(in.picked("curve").front());
  nurbs::Path base = old;
  if (in.text("points") == "new") {
    nurbs::RefitOptions o;
    o.degree = in.integer("degree");
    o.spans = in.integer("spans");
    LUMSK_TRY(made, nurbs::refitted(old, o, cx));
    base = made.path;
  }
  Net net;
  for (const nurbs::Segment& s : base.segments()) {
    LUMSK_TRY(c, nurbs::asSpline(s, cx));
    net.splines.push_back(std::move(c));
  }
  // Control points in a row: the first of a piece is the last of the one before.
  std::vector<Vec3> points;
  std::vector<std::pair<int, int>> where; // piece, index
  for (int p = 0; p < int(net.splines.size()); ++p)
    for (int i = p == 0 ? 0 : 1; i < net.splines[size_t(p)].size(); ++i) {
      points.push_back(net.splines[size_t(p)].points().row(i).transpose());
      where.push_back({p, i});
    }
  if (base.closed()) points.pop_back(), where.pop_back();
  const int n = int(points.size());
  if (n > kMostPoints)
    return fail(problem("LM-P056", "this curve has too many control points to shape them one by one")
                    .measure(count(n))
                    .want(count(kMostPoints))
                    .at(old.start())
                    .inField("points")
                    .tryThis("take new control points: fewer spans"));
  std::vector<Vec3> moves(size_t(n), Vec3::Zero());
  const int reach = in.integer("falloff");
  const auto add = [&](int k, const Vec3& by) {
    for (int i = -reach; i <= reach; ++i) {
      int at = k + i;
      if (base.closed()) at = (at % n + n) % n;
      if (at < 0 || at >= n) continue;
      const double f = std::abs(i) / double(reach + 1);
      moves[size_t(at)] += (1 - f * f) * (1 - f * f) * by;
    }
  };
  const auto rows = rowsOf(in, n);
  std::vector<char> moved(size_t(n), 0);
  for (const auto& [k, by] : rows) {
    add(k, by);
    moved[size_t(k)] = 1;
    if (in.picked("mirror").empty()) continue;
    const Frame plane = in.plane("mirror", {});
    const int image = imageOf(points, k, plane);
    if (image >= 0 && image != k) add(image, by - 2 * by.dot(plane.normal()) * plane.normal());
  }
  Outcome out;
  std::vector<nurbs::Segment> segments;
  int at = 0;
  for (size_t p = 0; p < net.splines.size(); ++p) {
    Points P = net.splines[p].points();
    for (Eigen::Index i = 0; i < P.rows(); ++i) {
      const int k = p > 0 && i == 0 ? at - 1 : at++;
      P.row(i) += moves[size_t(k % n)].transpose();
    }
    std::vector<Vec3> polygon;
    for (Eigen::Index i = 0; i < P.rows(); ++i) polygon.push_back(P.row(i).transpose());
    out.nets.push_back(std::move(polygon));
    segments.push_back(
        nurbs::Spline::trusted(net.splines[p].degree(), net.splines[p].knots(), std::move(P), net.splines[p].closed()));
  }
  LUMSK_TRY(path, nurbs::Path::make(std::move(segments), {2 * cx.tolerances.point.mm}));
  const std::string along = in.text("along");
  for (int k = 0; k < n; ++k) {
    const Vec3 place = points[size_t(k)] + moves[size_t(k)];
    Grip g{"moves", "c" + std::to_string(k), place, Vec3::Zero(), bool(moved[size_t(k)])};
    if (along != "screen") {
      const auto& s = net.splines[size_t(where[size_t(k)].first)];
      nurbs::CurveDerivatives d;
      s.derivatives(nurbs::greville(s.knots(), s.degree())[size_t(where[size_t(k)].second)], 2, d);
      const Vec3 t = d[1].normalized();
      const Vec3 bend = d[2] - d[2].dot(t) * t;
      const Vec3 normal =
          bend.norm() > 1e-9 * d[2].norm() + 1e-12 ? Vec3(bend.normalized()) : Frame::fromNormal(place, t).y;
      g.along = along == "tangent" ? t : along == "normal" ? normal : Vec3(t.cross(normal));
    }
    out.grips.push_back(std::move(g));
  }
  out.outputs = curveOutcome(path, "").outputs;
  double most = 0;
  for (const Vec3& m : moves) most = std::max(most, m.norm());
  out.summary = std::to_string(n) + " points - " + std::to_string(rows.size()) + " moved - by at most " +
                format(millimetres(most), 3);
  noteSelfCrossing(out, path, cx.tolerances);
  hidePicked(in, "curve", out);
  return out;
}

} // namespace

Step shape_curve() { return {"shape_curve", 1, "Shape curve", Stage::Curves, schema, compute}; }

} // namespace lumsk::steps
