#include "exchange/paper.h"

#include "inspect/view_lines.h"
#include "nurbs/core/path.h"

#include <algorithm>

namespace lumsk::exchange {

namespace {

constexpr double kEdgeOn = 1e-6;   ///< of an ellipse's length: seen as a line
constexpr double kFlat = 1e-9;     ///< what is left of the depth while axes are found
constexpr double kFlatFitMm = 1e-3; ///< chords of ellipses that are seen edge-on

struct Direction {
  const char* name;
  Vec3 towardsEye, up;
};
const std::vector<Direction>& directions() {
  static const std::vector<Direction> all{{"front", -Vec3::UnitY(), Vec3::UnitZ()}, {"back", Vec3::UnitY(), Vec3::UnitZ()},
                                          {"left", -Vec3::UnitX(), Vec3::UnitZ()},  {"right", Vec3::UnitX(), Vec3::UnitZ()},
                                          {"top", Vec3::UnitZ(), Vec3::UnitY()},    {"bottom", -Vec3::UnitZ(), -Vec3::UnitY()},
                                          {"corner", Vec3(1, -1, 1), Vec3(-1, 1, 2)}};
  return all;
}

/// Turned so that the paper's x and y are the world's, and the eye looks down z.
Eigen::Affine3d onto(const Vec3& towardsEye, const Vec3& up) {
  Eigen::Matrix3d axes;
  axes.row(2) = towardsEye.normalized();
  axes.row(1) = (up - up.dot(axes.row(2).transpose()) * axes.row(2).transpose()).normalized();
  axes.row(0) = axes.row(1).cross(axes.row(2));
  return Eigen::Affine3d(axes);
}

Expected<Eigen::Affine3d> ontoOwnPlane(const std::vector<NamedCurve>& curves, double nearMm) {
  std::vector<Points> all;
  Eigen::Index rows = 0;
  for (const NamedCurve& c : curves) {
    all.push_back(nurbs::polyline(*c.curve, 16));
    rows += all.back().rows();
  }
  Points p(rows, 3);
  Eigen::Index at = 0;
  for (const Points& one : all) p.middleRows(at, one.rows()) = one, at += one.rows();
  const nurbs::PlaneOfPoints plane = rows ? nurbs::fitPlane(p) : nurbs::PlaneOfPoints{};
  if (rows == 0 || plane.deviationMm > nearMm)
    return fail(problem("LM-F036", rows ? "the curves that are seen do not lie in one plane" : "there is no curve whose plane could be drawn")
                    .measure(millimetres(plane.deviationMm))
                    .want(millimetres(nearMm))
                    .tryThis("take another view, or leave only curves of one plane in sight"));
  // Of both sides the one from which the world's axes look as usual.
  const Vec3 n = plane.frame.normal();
  Eigen::Index most;
  n.cwiseAbs().maxCoeff(&most);
  const Vec3 towards = (most == 1 ? -n : n) * (n[most] < 0 ? -1 : 1);
  const Vec3 up = most == 2 ? Vec3::UnitY() : Vec3::UnitZ();
  Eigen::Affine3d t = onto(towards, up);
  return t;
}

/// A segment, turned and to scale, without its depth.
void addFlat(const nurbs::Segment& s, const Eigen::Affine3d& t, std::vector<nurbs::Segment>& to) {
  const auto flat = [&](const Vec3& p) { return Vec3((t * p).x(), (t * p).y(), 0); };
  if (const auto* l = std::get_if<nurbs::LineSegment>(&s)) {
    to.push_back(nurbs::LineSegment{flat(l->a), flat(l->b)});
  } else if (const auto* e = std::get_if<nurbs::EllipseArc>(&s)) {
    const auto alone = nurbs::Path::make({s}, LengthTolerance{1e-9});
    if (!alone) return;
    const double area = (t.linear() * e->u).head<2>().dot(Vec2((t.linear() * e->v).y(), -(t.linear() * e->v).x()));
    if (std::abs(area) > kEdgeOn * (t.linear() * e->u).norm() * (t.linear() * e->v).norm()) {
      // Nearly flattened, so that it finds the axes that it is seen with.
      const nurbs::Path seen = nurbs::transformed(*alone, Eigen::Scaling(1.0, 1.0, kFlat) * t);
      auto arc = std::get<nurbs::EllipseArc>(seen.segments().front());
      for (Vec3* v : {&arc.centre, &arc.u, &arc.v}) v->z() = 0;
      return to.push_back(arc);
    }
    const Points line = nurbs::polylineWithin(*alone, kFlatFitMm);
    for (Eigen::Index i = 1; i < line.rows(); ++i) to.push_back(nurbs::LineSegment{flat(line.row(i - 1).transpose()), flat(line.row(i).transpose())});
  } else {
    const auto& c = std::get<nurbs::Spline>(s);
    Points p = c.points();
    for (Eigen::Index i = 0; i < p.rows(); ++i) p.row(i) = flat(p.row(i).transpose()).transpose();
    to.push_back(nurbs::Spline::trusted(c.degree(), c.knots(), std::move(p), c.closed()));
  }
}

void addFlat(const nurbs::Path& path, const Eigen::Affine3d& turn, double scale, const std::string& layer, LengthTolerance point, std::vector<PlaneLine>& to) {
  const Eigen::Affine3d t = Eigen::Scaling(scale) * turn;
  std::vector<nurbs::Segment> segments;
  for (const nurbs::Segment& s : path.segments()) addFlat(s, t, segments);
  segments.erase(std::remove_if(segments.begin(), segments.end(), // lines that are seen end-on
                                [&](const nurbs::Segment& s) {
                                  const auto* l = std::get_if<nurbs::LineSegment>(&s);
                                  return l && (l->b - l->a).norm() < point.mm * scale;
                                }),
                 segments.end());
  if (auto whole = nurbs::Path::make(segments, {2 * point.mm * std::max(1.0, scale)})) return to.push_back({std::move(*whole), layer});
  for (const nurbs::Segment& s : segments)
    if (auto one = nurbs::Path::make({s}, {point.mm * scale})) to.push_back({std::move(*one), layer});
}

} // namespace

const std::vector<std::string>& paperViews() {
  static const std::vector<std::string> all = [] {
    std::vector<std::string> names;
    for (const Direction& d : directions()) names.emplace_back(d.name);
    names.emplace_back("flat");
    return names;
  }();
  return all;
}

std::vector<drawing::LayeredPath> layersOf(const Contents& contents) {
  std::vector<drawing::LayeredPath> out;
  for (const PlaneLine& l : contents.lines) out.push_back({l.path, l.layer, l.layer == "hidden"});
  return out;
}

Expected<std::vector<PlaneLine>> linesOnPaper(const std::vector<recipe::BodyEntry>& bodies, const std::vector<NamedCurve>& curves, const PaperView& view, const Context& cx) {
  Eigen::Affine3d turn;
  if (view.from == "flat") {
    LUMSK_TRY(own, ontoOwnPlane(curves, 10 * cx.tolerances.point.mm));
    turn = own;
  } else {
    const auto d = std::find_if(directions().begin(), directions().end(), [&](const Direction& x) { return x.name == view.from; });
    if (d == directions().end()) return fail(problem("LM-F036", "there is no view '" + view.from + "'").tryThis("take front, back, left, right, top, bottom, corner or flat"));
    turn = onto(d->towardsEye, d->up);
  }
  std::vector<PlaneLine> out;
  for (const NamedCurve& c : curves) addFlat(*c.curve, turn, view.scale, "curves", cx.tolerances.point, out);
  if (!view.outlines || bodies.empty()) return out;
  std::vector<brep::BodyPtr> forms;
  for (const auto& b : bodies) forms.push_back(b.body);
  LUMSK_TRY(lines, inspect::viewLines(forms, turn.linear().row(2).transpose(), cx));
  for (const inspect::ViewLine& l : lines)
    if (!l.hidden || view.hidden) addFlat(l.path, turn, view.scale, l.hidden ? "hidden" : "outlines", cx.tolerances.point, out);
  return out;
}

} // namespace lumsk::exchange
