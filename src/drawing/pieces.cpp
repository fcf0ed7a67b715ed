#include "drawing/pieces.h"

#include "nurbs/curves/curve_refit.h"

#include <map>

namespace lumsk::drawing {

namespace {

constexpr int kHighestDegree = 7; ///< of splines in a drawing

Vec2 flat(const Frame& f, const Vec3& p) {
  const Vec3 l = f.local(p);
  return {l.x(), l.y()};
}

/// Half axes of an ellipse given by conjugate half diameters (Rytz): the longer first.
std::array<Vec2, 2> axesOf(const Vec2& u, const Vec2& v) {
  const double t = 0.5 * std::atan2(2 * u.dot(v), u.squaredNorm() - v.squaredNorm());
  Vec2 a = std::cos(t) * u + std::sin(t) * v, b = -std::sin(t) * u + std::cos(t) * v;
  if (a.norm() < b.norm()) std::swap(a, b);
  return {a, b};
}

std::optional<Piece> arcPiece(const nurbs::EllipseArc& a, const Frame& f) {
  const Vec3 n = a.u.cross(a.v);
  if (!(n.norm() > 0) || n.cross(f.normal()).norm() > 1e-9 * n.norm()) return {};
  Piece out;
  const double turn = a.toRad - a.fromRad;
  const bool whole = std::abs(turn) > 2 * kPi - 1e-9;
  const auto place = [&](double t) { return flat(f, a.centre + std::cos(t) * a.u + std::sin(t) * a.v); };
  out.at = {flat(f, a.centre)};
  if (!a.circular()) {
    if (!whole) return {};
    const auto axes = axesOf(flat(f, f.origin + a.u), flat(f, f.origin + a.v));
    out.entity.shape = Shape::Ellipse;
    out.entity.size = axes[1].norm();
    out.at.push_back(out.at[0] + axes[0]);
    return out;
  }
  out.entity.size = a.u.norm();
  out.entity.shape = Shape::Circle;
  if (whole) return out;
  out.entity.shape = Shape::Arc;
  out.entity.left = (n.dot(f.normal()) > 0) == (turn > 0);
  out.at.push_back(place(a.fromRad));
  out.at.push_back(place(a.toRad));
  return out;
}

/// What has no exact form here, as a spline within `fit`.
Expected<Piece> refitted(const nurbs::Segment& s, const Frame& f, const Context& cx) {
  LUMSK_TRY(path, nurbs::Path::make({s}, cx.tolerances.point));
  nurbs::RefitOptions o;
  o.within = cx.tolerances.fit;
  LUMSK_TRY(fitted, nurbs::refitted(path, o, cx));
  if (fitted.path.segments().size() != 1)
    return fail(problem("LM-U032", "a curve of a high degree with corners cannot be drawn").at(path.start()).tryThis("split it at its corners first"));
  return pieceOf(fitted.path.segments().front(), f, cx);
}

/// Points by place: ends within reach of one another are one.
class Places {
public:
  Places(Drawing& d, double reach) : d_(d), reach_(std::max(reach, 1e-9)) {
    for (const Point& p : d.points) cells_[cell(p.at)].push_back(p.id);
  }
  Id at(const Vec2& p) {
    const auto [x, y] = cell(p);
    for (long i = x - 1; i <= x + 1; ++i)
      for (long j = y - 1; j <= y + 1; ++j)
        if (const auto it = cells_.find({i, j}); it != cells_.end())
          for (const Id& id : it->second)
            if ((where_.count(id) ? where_[id] : d_.at(id)).isApprox(p) || ((where_.count(id) ? where_[id] : d_.at(id)) - p).norm() < reach_) return id;
    const Id id = d_.addPoint(p);
    where_[id] = p;
    cells_[{x, y}].push_back(id);
    return id;
  }

private:
  std::pair<long, long> cell(const Vec2& p) const { return {long(std::floor(p.x() / reach_)), long(std::floor(p.y() / reach_))}; }
  Drawing& d_;
  double reach_;
  std::map<std::pair<long, long>, std::vector<Id>> cells_;
  std::map<Id, Vec2> where_;
};

} // namespace

Expected<Piece> pieceOf(const nurbs::Segment& s, const Frame& f, const Context& cx) {
  Piece out;
  if (const auto* line = std::get_if<nurbs::LineSegment>(&s)) {
    out.at = {flat(f, line->a), flat(f, line->b)};
    return out;
  }
  if (const auto* arc = std::get_if<nurbs::EllipseArc>(&s)) {
    if (auto piece = arcPiece(*arc, f)) return *piece;
    return refitted(s, f, cx);
  }
  const auto& spline = std::get<nurbs::Spline>(s);
  if (spline.degree() > kHighestDegree) return refitted(s, f, cx);
  out.entity.shape = Shape::Spline;
  out.entity.degree = spline.degree();
  if (spline.spans() > 1) out.entity.knots = spline.knots();
  for (int i = 0; i < spline.size(); ++i) out.at.push_back(flat(f, spline.points().row(i).transpose()));
  return out;
}

Expected<Drawing> withSegments(const Drawing& d, const std::vector<nurbs::Segment>& segments, const Context& cx) {
  Drawing out = d;
  Places places(out, cx.tolerances.point.mm);
  for (const nurbs::Segment& s : segments) {
    LUMSK_TRY(piece, pieceOf(s, {}, cx));
    Entity e = piece.entity;
    // Ends are shared; what lies between them is the entity's own.
    for (size_t i = 0; i < piece.at.size(); ++i) {
      const bool end = e.shape == Shape::Line || (e.shape == Shape::Arc && i > 0) || (e.shape == Shape::Spline && (i == 0 || i + 1 == piece.at.size()));
      e.points.push_back(end ? places.at(piece.at[i]) : out.addPoint(piece.at[i]));
    }
    if (e.shape == Shape::Line && e.points[0] == e.points[1]) continue;
    out.add(std::move(e));
  }
  return out;
}

} // namespace lumsk::drawing
