#include "brep/split/dividers.h"

#include "brep/convert.h"
#include "brep/history.h"
#include "brep/skin.h"
#include "brep/split/read.h"
#include "nurbs/curves/curve_ends.h"
#include "nurbs/on_skin/surface_curves.h"

#include <BRepBuilderAPI_MakeFace.hxx>
#include <BRep_Builder.hxx>
#include <TopoDS_Shell.hxx>
#include <gp_Pln.hxx>

#include <algorithm>

namespace lumsk::brep::split {

namespace {

constexpr double kPastMm = 1.0; ///< besides a share of the size
constexpr double kPast = 0.05;
constexpr double kReachShare = 0.125; ///< of a divider's size: so far it is carried on by itself

double sizeOf(const nurbs::Extent& e) { return (e.high - e.low).norm(); }

void grow(nurbs::Extent& e, const nurbs::Extent& by) {
  e.low = e.low.cwiseMin(by.low), e.high = e.high.cwiseMax(by.high);
}

} // namespace

Expected<ReadyDivider> ready(Net& net, const Divider& d, int number, const std::vector<BodyPtr>& targets,
                             const std::vector<std::vector<int>>& sheetsOf, const nurbs::Extent& box, double reachMm,
                             const Context& cx) {
  ReadyDivider r;
  r.sheets.number = number;
  BodyPtr body = d.body;
  if (d.plane) {
    LUMSK_TRY(made, asBody(*d.plane, box, cx));
    body = made;
  } else if (d.path && d.direction) {
    LUMSK_TRY(made, curtain(*d.path, *d.direction, box, cx));
    body = made;
  }
  nurbs::Extent size;
  const auto same = std::find(targets.begin(), targets.end(), d.body);
  if (d.body && same != targets.end() && d.face < 0) {
    r.target = int(same - targets.begin());
    r.sheets.sheets = sheetsOf[size_t(r.target)];
  } else if (body) {
    LUMSK_TRY(sheets, read(net, *body, -1 - number, d.face, cx));
    r.sheets.sheets = std::move(sheets);
  }
  for (int s : r.sheets.sheets) grow(size, net.sheets[size_t(s)].box);
  if (d.path) { // the height of a curtain does not count
    const Points line = nurbs::polyline(*d.path, 8);
    size = {line.colwise().minCoeff().transpose(), line.colwise().maxCoeff().transpose()};
  }
  r.sheets.reachMm = d.plane ? 0 : reachMm >= 0 ? reachMm : kReachShare * sizeOf(size);
  return r;
}

Expected<BodyPtr> asBody(const Frame& plane, const nurbs::Extent& past, const Context&) {
  const Vec3 middle = 0.5 * (past.low + past.high), n = plane.normal();
  const Vec3 foot = middle - (middle - plane.origin).dot(n) * n;
  const double reach = (0.5 + kPast) * sizeOf(past) + kPastMm;
  const gp_Ax3 ax(toPnt(foot), gp_Dir(n.x(), n.y(), n.z()), gp_Dir(plane.x.x(), plane.x.y(), plane.x.z()));
  TopoDS_Shell shell;
  BRep_Builder builder;
  builder.MakeShell(shell);
  const TopoDS_Face face = BRepBuilderAPI_MakeFace(gp_Pln(ax), -reach, reach, -reach, reach).Face();
  builder.Add(shell, face);
  auto body = std::make_shared<Body>();
  body->shape = shell;
  FaceHistory history;
  history.keep({face, "cut", {}});
  history.finish(*body);
  return body;
}

Expected<BodyPtr> curtain(const nurbs::Path& path, const Vec3& direction, const nurbs::Extent& past,
                          const Context& cx) {
  const Vec3 d = direction.normalized();
  const Points line = nurbs::polyline(path, 16);
  double low = 1e300, high = -1e300, first = 1e300, last = -1e300;
  for (int k = 0; k < 8; ++k) {
    const double h = Vec3(k & 1 ? past.high.x() : past.low.x(), k & 2 ? past.high.y() : past.low.y(),
                          k & 4 ? past.high.z() : past.low.z())
                         .dot(d);
    low = std::min(low, h), high = std::max(high, h);
  }
  Vec3 area = Vec3::Zero();
  for (Eigen::Index i = 0; i < line.rows(); ++i) {
    const double h = line.row(i).dot(d);
    first = std::min(first, h), last = std::max(last, h);
    if (i > 0) area += (line.row(i - 1) - line.row(0)).transpose().cross((line.row(i) - line.row(0)).transpose());
  }
  const double more = kPast * sizeOf(past) + kPastMm;
  const Vec3 from = (low - last - more) * d, to = (high - first + more) * d;
  // S_u x S_v is tangent x direction: to the right of the path seen against the direction.
  const bool reversed = path.closed() ? area.dot(d) > 0 : true;
  std::vector<NamedSurface> all;
  for (const nurbs::Segment& s : path.segments()) {
    LUMSK_TRY(c, nurbs::asSpline(s, cx, true));
    all.push_back({std::make_shared<const nurbs::Surface>(nurbs::extrudedSurface(c, from, to)),
                   faceName("curtain", std::to_string(all.size()), ""), reversed});
  }
  return skinFromSurfaces(all, cx);
}

} // namespace lumsk::brep::split
