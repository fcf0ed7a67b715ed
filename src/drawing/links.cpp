#include "drawing/links.h"

#include "drawing/pieces.h"

#include <algorithm>
#include <set>

namespace lumsk::drawing {

namespace {

/// Points that are there already are used again, so that what was said of them stays.
void place(Drawing& d, Entity& e, const Piece& piece) {
  std::vector<Id> points = e.points;
  e.shape = piece.entity.shape;
  e.size = piece.entity.size;
  e.left = piece.entity.left;
  e.degree = piece.entity.degree;
  e.knots = piece.entity.knots;
  e.points.clear();
  for (size_t i = 0; i < piece.at.size(); ++i) {
    if (i < points.size())
      d.point(points[i])->at = piece.at[i];
    else
      points.push_back(d.addPoint(piece.at[i]));
    e.points.push_back(points[i]);
  }
}

Id placePoint(Drawing& d, const Link& link, const Frame& plane) {
  const Vec3 at = plane.local(*link.point);
  const auto known = std::find_if(d.points.begin(), d.points.end(), [&](const Point& p) { return p.link == link.id; });
  const Id id = known != d.points.end() ? known->id : d.addPoint({at.x(), at.y()});
  d.point(id)->at = {at.x(), at.y()};
  d.point(id)->link = link.id;
  return id;
}

} // namespace

Expected<Drawing> withLinks(const Drawing& d, const std::vector<Link>& links, const Frame& plane, const Context& cx) {
  Drawing out = d;
  std::set<Id> used;
  for (const Link& link : links) {
    if (link.point) used.insert(placePoint(out, link, plane));
    std::vector<Id> own;
    for (const Entity& e : d.entities)
      if (e.linked && e.link == link.id) own.push_back(e.id);
    size_t k = 0;
    std::vector<nurbs::Segment> segments;
    for (const nurbs::Path& p : link.paths) segments.insert(segments.end(), p.segments().begin(), p.segments().end());
    for (const nurbs::Segment& s : segments) {
      LUMSK_TRY(piece, pieceOf(s, plane, cx));
      double across = 0;
      for (const Vec2& p : piece.at) across = std::max(across, (p - piece.at.front()).norm());
      if (piece.at.size() > 1 && across < cx.tolerances.point.mm)
        return fail(problem("LM-U030", "what is linked is seen end on from this plane").at(link.paths[0].start()).tryThis("take it out of the links"));
      if (k >= own.size()) {
        Entity e;
        e.linked = e.construction = true;
        e.link = link.id;
        own.push_back(out.add(e));
      }
      Entity e = *out.entity(own[k]);
      place(out, e, piece);
      *out.entity(own[k]) = e;
      used.insert(own[k++]);
    }
  }
  std::vector<Id> gone;
  for (const Entity& e : out.entities)
    if (e.linked && !used.count(e.id)) gone.push_back(e.id);
  for (const Point& p : out.points)
    if (!p.link.empty() && !used.count(p.id)) gone.push_back(p.id);
  return gone.empty() ? out : without(out, gone);
}

} // namespace lumsk::drawing
