#include "drawing/curves.h"

#include "drawing/glyphs.h"
#include "nurbs/curves/chains.h"
#include "nurbs/curves/curve_refit.h"
#include "nurbs/fit/interpolate.h"
#include "nurbs/on_skin/planar.h"

#include <algorithm>
#include <map>
#include <set>

namespace lumsk::drawing {

namespace {


Points rows(const Drawing& d, const Entity& e) {
  Points out(Eigen::Index(e.points.size()), 3);
  for (size_t i = 0; i < e.points.size(); ++i) out.row(Eigen::Index(i)) = in3(d.at(e.points[i])).transpose();
  return out;
}

nurbs::EllipseArc arcOf(const Drawing& d, const Entity& e) {
  const Vec2 c = d.at(e.points[0]), a = d.at(e.points[1]) - c, b = d.at(e.points[2]) - c;
  nurbs::EllipseArc arc{in3(c), e.size * Vec3::UnitX(), (e.left ? e.size : -e.size) * Vec3::UnitY()};
  const double side = e.left ? 1 : -1;
  arc.fromRad = std::atan2(side * a.y(), a.x());
  arc.toRad = std::atan2(side * b.y(), b.x());
  if (arc.toRad <= arc.fromRad + 1e-12) arc.toRad += 2 * kPi;
  return arc;
}

/// Points that are one: the same, or said to be together and lying so.
std::map<Id, int> nodesOf(const Drawing& d, double pointMm) {
  std::map<Id, Id> root;
  const auto find = [&](Id p) {
    for (auto it = root.find(p); it != root.end(); it = root.find(p)) p = it->second;
    return p;
  };
  for (const Relation& r : d.relations)
    if (r.law == Law::Together && r.holds() && r.of.size() == 2 && d.point(r.of[0]) && d.point(r.of[1]) && (d.at(r.of[0]) - d.at(r.of[1])).norm() < pointMm)
      if (const Id a = find(r.of[0]), b = find(r.of[1]); a != b) root[b] = a;
  std::map<Id, int> numbers, out;
  for (const Point& p : d.points) out[p.id] = numbers.try_emplace(find(p.id), int(numbers.size())).first->second;
  return out;
}

int ageOf(const Id& id) { return id.size() > 1 ? std::atoi(id.c_str() + 1) : 0; }

Vec3 leavingDirection(const std::vector<nurbs::Segment>& s, bool first) {
  auto p = nurbs::Path::make(s, LengthTolerance{1e-9});
  if (!p) return Vec3::UnitX();
  nurbs::CurveDerivatives c;
  p->derivatives(first ? 0 : p->last(), 1, c);
  return (first ? c[1] : Vec3(-p->tangentBefore(p->last()))).normalized();
}

std::vector<nurbs::Segment> turnedRound(const std::vector<nurbs::Segment>& s) {
  std::vector<nurbs::Segment> out;
  for (auto it = s.rbegin(); it != s.rend(); ++it)
    out.push_back(std::visit(
        [](const auto& x) -> nurbs::Segment {
          using T = std::decay_t<decltype(x)>;
          if constexpr (std::is_same_v<T, nurbs::LineSegment>)
            return nurbs::LineSegment{x.b, x.a};
          else if constexpr (std::is_same_v<T, nurbs::EllipseArc>)
            return nurbs::EllipseArc{x.centre, x.u, -x.v, -x.toRad, -x.fromRad};
          else
            return nurbs::reversed(x);
        },
        *it));
  return out;
}

/// Ends of chains that nearly meet are meant to, as a rule.
void noteGaps(const std::vector<Chain>& chains, const Tolerances& tol, std::vector<Problem>& notes) {
  const double near = 100 * tol.point.mm;
  std::vector<Vec3> ends;
  for (const Chain& c : chains)
    if (!c.path.closed()) ends.push_back(c.path.start()), ends.push_back(c.path.end());
  for (size_t i = 0; i < ends.size(); ++i)
    for (size_t j = i + 1; j < ends.size(); ++j)
      if (const double gap = (ends[i] - ends[j]).norm(); gap < near && gap > 1e-9)
        notes.push_back(problem("LM-U101", "two ends of the drawing nearly meet").measure(millimetres(gap)).at(ends[i]).tryThis("say that they are together"));
}

} // namespace

Expected<std::vector<nurbs::Segment>> segmentsOf(const Drawing& d, const Entity& e, const Context& cx) {
  const auto at = [&](size_t i) { return in3(d.at(e.points[i])); };
  switch (e.shape) {
  case Shape::Line: return std::vector<nurbs::Segment>{nurbs::LineSegment{at(0), at(1)}};
  case Shape::Arc: return std::vector<nurbs::Segment>{arcOf(d, e)};
  case Shape::Circle: return std::vector<nurbs::Segment>{nurbs::EllipseArc{at(0), e.size * Vec3::UnitX(), e.size * Vec3::UnitY()}};
  case Shape::Ellipse: {
    const Vec3 u = at(1) - at(0);
    return std::vector<nurbs::Segment>{nurbs::EllipseArc{at(0), u, e.size * Vec3::UnitZ().cross(u.normalized())}};
  }
  case Shape::Spline: {
    LUMSK_TRY(s, nurbs::Spline::make(e.degree, knotsOf(e), rows(d, e)));
    return std::vector<nurbs::Segment>{s};
  }
  case Shape::Through: {
    nurbs::InterpolationOptions o;
    o.degree = e.degree;
    o.closed = e.closed;
    LUMSK_TRY(s, nurbs::interpolate(rows(d, e), o));
    return std::vector<nurbs::Segment>{s};
  }
  case Shape::Conic: {
    LUMSK_TRY(p, nurbs::conic(at(0), at(1), at(2), e.rho, cx));
    return p.segments();
  }
  case Shape::Text: break; // several curves: `lettersOf`
  }
  return std::vector<nurbs::Segment>{};
}

Expected<nurbs::Spline> oneSpline(const nurbs::Path& p, const Context& cx) {
  if (p.segments().size() == 1)
    if (const auto* s = std::get_if<nurbs::Spline>(&p.segments()[0]); s && s->degree() <= 7) return *s;
  nurbs::RefitOptions o;
  o.within = cx.tolerances.fit;
  LUMSK_TRY(fitted, nurbs::refitted(p, o, cx));
  if (const auto& s = fitted.path.segments(); s.size() == 1 && std::holds_alternative<nurbs::Spline>(s[0])) return std::get<nurbs::Spline>(s[0]);
  return fail(problem("LM-U035", "one spline cannot have corners").at(p.start()).tryThis("split it where it turns"));
}

Expected<Letters> lettersOf(const Drawing& d, const Entity& e, const Tolerances& tol) {
  const Vec2 from = d.at(e.points[0]), up = d.at(e.points[1]) - from;
  TextOptions o;
  o.capitalHeightMm = up.norm();
  auto made = textOutlines(e.text, ownFont(), o, tol);
  if (!made) return fail(std::move(made.error().at(in3(from))));
  const Eigen::Isometry3d onLine = Eigen::Translation3d(in3(from)) * Eigen::AngleAxisd(std::atan2(-up.x(), up.y()), Vec3::UnitZ());
  Letters out{{}, std::move(made->missing)};
  for (const nurbs::Path& p : made->loops) out.loops.push_back(nurbs::transformed(p, onLine));
  return out;
}

std::optional<nurbs::Path> pathOf(const Drawing& d, const Entity& e) {
  const auto s = segmentsOf(d, e, {});
  if (!s) return {};
  auto p = nurbs::Path::make(*s, LengthTolerance{1e-9});
  return p ? std::optional(std::move(*p)) : std::nullopt;
}

Expected<Chains> chainsOf(const Drawing& d, const Context& cx) {
  Chains out;
  const double point = cx.tolerances.point.mm;
  const std::map<Id, int> nodes = nodesOf(d, point);
  std::vector<const Entity*> open;
  std::vector<std::vector<nurbs::Segment>> segments;
  std::vector<std::array<int, 2>> ends;
  std::set<Id> named;
  const auto keep = [&](std::vector<Id> entities, std::vector<nurbs::Segment> s) -> Expected<void> {
    auto p = nurbs::Path::make(std::move(s), cx.tolerances.point);
    if (!p) return fail(std::move(p.error()));
    Id oldest = *std::min_element(entities.begin(), entities.end(), [](const Id& a, const Id& b) { return ageOf(a) < ageOf(b); });
    out.chains.push_back({std::move(entities), std::move(*p), std::move(oldest)});
    return {};
  };
  for (const Entity& e : d.entities) {
    named.insert(e.points.begin(), e.points.end());
    if (e.construction || e.linked) continue;
    if (e.shape == Shape::Text) {
      LUMSK_TRY(letters, lettersOf(d, e, cx.tolerances));
      for (size_t k = 0; k < letters.loops.size(); ++k)
        out.chains.push_back({{e.id}, std::move(letters.loops[k]), k ? e.id + "." + std::to_string(k + 1) : e.id});
      if (!letters.missing.empty())
        out.notes.push_back(problem("LM-P113", "the font has no sign for '" + letters.missing + "'").at(in3(d.at(e.points[0]))).tryThis("write it in another way"));
      continue;
    }
    auto s = segmentsOf(d, e, cx);
    if (!s) return fail(std::move(s.error()));
    const auto its = endsOf(e);
    if (!its) {
      LUMSK_CHECK(keep({e.id}, std::move(*s)));
      continue;
    }
    open.push_back(&e);
    segments.push_back(std::move(*s));
    ends.push_back({nodes.at(its->first), nodes.at(its->second)});
  }
  const auto leaving = [&](int i, bool first) { return leavingDirection(segments[size_t(i)], first); };
  for (const nurbs::Chain& c : nurbs::chainsOf(ends, leaving)) {
    std::vector<Id> ids;
    std::vector<nurbs::Segment> all;
    // The oldest says which way the whole goes.
    const auto oldest = std::min_element(c.links.begin(), c.links.end(), [&](const auto& a, const auto& b) { return ageOf(open[size_t(a.arc)]->id) < ageOf(open[size_t(b.arc)]->id); });
    std::vector<nurbs::ChainLink> links = c.links;
    if (c.closed) std::rotate(links.begin(), links.begin() + (oldest - c.links.begin()), links.end());
    if (!oldest->forward) {
      std::reverse(links.begin(), links.end());
      for (auto& l : links) l.forward = !l.forward;
      if (c.closed) std::rotate(links.begin(), links.end() - 1, links.end());
    }
    for (const nurbs::ChainLink& l : links) {
      const auto& s = segments[size_t(l.arc)];
      const auto run = l.forward ? s : turnedRound(s);
      all.insert(all.end(), run.begin(), run.end());
      ids.push_back(open[size_t(l.arc)]->id);
    }
    LUMSK_CHECK(keep(std::move(ids), std::move(all)));
  }
  std::stable_sort(out.chains.begin(), out.chains.end(), [](const Chain& a, const Chain& b) { return ageOf(a.name) < ageOf(b.name); });
  for (const Point& p : d.points)
    if (!named.count(p.id) && !p.construction && p.link.empty()) out.loosePoints.push_back(p.id);
  noteGaps(out.chains, cx.tolerances, out.notes);
  for (const Chain& c : out.chains)
    if (const auto at = nurbs::selfCrossings(c.path, cx.tolerances.point); !at.empty()) {
      out.notes.push_back(problem("LM-U102", "a chain of the drawing crosses itself").tryThis("trim what is over"));
      out.notes.back().where = at;
    }
  return out;
}

} // namespace lumsk::drawing
