#include "drawing/sketch.h"

#include "drawing/curves.h"
#include "drawing/measure.h"
#include "nurbs/measure/meet.h"

#include <algorithm>
#include <cmath>

namespace lumsk::drawing {

namespace {

constexpr double kSameMm = 1e-9;

/// Draws into a copy and remembers what is new.
class Hand {
public:
  Hand(const Drawing& d, bool construction) : construction_(construction) { out.drawing = d; }
  Sketched out;

  /// `before`: the point of the click before, which a place may be level with or above.
  Id point(const Place& p, const Id& before = {}) {
    if (!p.point.empty()) return p.point;
    Id id = at(p.at);
    if (p.origin) say(Law::Fixed, {id});
    if (!p.on.empty()) say(Law::On, {id, p.on});
    if (!p.onToo.empty()) say(Law::On, {id, p.onToo});
    if (!p.middleOf.empty()) say(Law::Middle, {id, p.middleOf});
    const auto with = [&](const Id& other) { return other == kBeginning ? before : other; };
    if (const Id other = with(p.levelWith); !other.empty()) say(Law::Level, {id, other});
    if (const Id other = with(p.uprightWith); !other.empty()) say(Law::Upright, {id, other});
    return id;
  }
  Id at(const Vec2& v) {
    out.points.push_back(out.drawing.addPoint(v));
    return out.points.back();
  }
  Id line(const Id& a, const Id& b) { return entity(Shape::Line, {a, b}); }
  Id circle(const Id& centre, double radius) {
    const Id id = entity(Shape::Circle, {centre});
    out.drawing.entity(id)->size = radius;
    return id;
  }
  Id arc(const Id& centre, const Id& a, const Id& b, bool left) {
    const Id id = entity(Shape::Arc, {centre, a, b});
    Entity& e = *out.drawing.entity(id);
    e.left = left;
    e.size = (out.drawing.at(a) - out.drawing.at(centre)).norm();
    return id;
  }
  Id entity(Shape s, std::vector<Id> points) {
    Entity e;
    e.shape = s;
    e.points = std::move(points);
    e.construction = construction_;
    out.entities.push_back(out.drawing.add(e));
    return out.entities.back();
  }
  void helpers() { construction_ = true; }
  void say(Law l, std::vector<Id> of) { out.drawing.say(l, std::move(of)); }

private:
  bool construction_;
};

double cross(const Vec2& a, const Vec2& b) { return a.x() * b.y() - a.y() * b.x(); }
Vec2 left(const Vec2& v) { return {-v.y(), v.x()}; }

std::optional<Vec2> centreThrough(const Vec2& a, const Vec2& b, const Vec2& c) {
  const Vec2 u = b - a, v = c - a;
  const double k = 2 * cross(u, v);
  if (std::abs(k) < 1e-9 * u.norm() * v.norm()) return {};
  return Vec2(a + (left(v) * -u.squaredNorm() + left(u) * v.squaredNorm()) / k);
}

/// A closed chain of lines that are level and upright in turn.
void box(Hand& h, const std::array<Id, 4>& c) {
  std::array<Id, 4> lines;
  for (size_t i = 0; i < 4; ++i) lines[i] = h.line(c[i], c[(i + 1) % 4]);
  for (size_t i = 0; i < 4; ++i) h.say(i % 2 ? Law::Upright : Law::Level, {lines[i]});
  h.out.measures = {{lines[0]}, {lines[1]}};
}

bool lineOf(Hand& h, const std::vector<Place>& p) {
  const Id a = h.point(p[0]);
  Place to = p[1];
  // Level or upright with the line's own beginning is said of the line.
  const bool level = to.levelWith == kBeginning || to.levelWith == a, upright = to.uprightWith == kBeginning || to.uprightWith == a;
  if (level) to.levelWith.clear();
  if (upright) to.uprightWith.clear();
  const Id b = h.point(to);
  if (a == b) return false;
  const Id l = h.line(a, b);
  if (level) h.say(Law::Level, {l});
  if (upright) h.say(Law::Upright, {l});
  h.out.measures = {{l}, {l, a}};
  return true;
}

bool rectangle(Hand& h, const std::vector<Place>& p) {
  const Vec2 a = p[0].at, c = p[1].at;
  if (std::abs(a.x() - c.x()) < kSameMm || std::abs(a.y() - c.y()) < kSameMm) return false;
  Place last = p[1];
  last.levelWith.clear(), last.uprightWith.clear();
  const Id first = h.point(p[0]), second = h.at({c.x(), a.y()}), third = h.point(last), fourth = h.at({a.x(), c.y()});
  box(h, {first, second, third, fourth});
  return true;
}

bool middleRectangle(Hand& h, const std::vector<Place>& p) {
  const Vec2 m = p[0].at, d = p[1].at - m;
  if (std::abs(d.x()) < kSameMm || std::abs(d.y()) < kSameMm) return false;
  Place corner = p[1];
  corner.levelWith.clear(), corner.uprightWith.clear();
  const Id centre = h.point(p[0]), a = h.at(m - d), b = h.at({m.x() + d.x(), m.y() - d.y()}), c = h.point(corner), e = h.at({m.x() - d.x(), m.y() + d.y()});
  box(h, {a, b, c, e});
  h.say(Law::Middle, {centre, a, c});
  return true;
}

bool slantedRectangle(Hand& h, const std::vector<Place>& p) {
  const Vec2 a = p[0].at, b = p[1].at, way = b - a;
  if (way.norm() < kSameMm) return false;
  const Vec2 up = left(way.normalized()) * left(way.normalized()).dot(p[2].at - b);
  if (up.norm() < kSameMm) return false;
  std::vector<Id> lines;
  const Id first = h.point(p[0]), second = h.point(p[1], first), third = h.at(b + up), fourth = h.at(a + up);
  const std::array<Id, 4> c{first, second, third, fourth};
  for (size_t i = 0; i < 4; ++i) lines.push_back(h.line(c[i], c[(i + 1) % 4]));
  h.say(Law::Square, {lines[0], lines[1]});
  h.say(Law::Parallel, {lines[0], lines[2]});
  h.say(Law::Parallel, {lines[1], lines[3]});
  h.out.measures = {{lines[0]}, {lines[1]}};
  return true;
}

bool polygon(Hand& h, const std::vector<Place>& p, int sides) {
  const Vec2 m = p[0].at, r = p[1].at - m;
  if (r.norm() < kSameMm || sides < 3) return false;
  const Id centre = h.point(p[0]);
  std::vector<Id> corners, lines;
  for (int i = 0; i < sides; ++i) {
    const double a = 2 * kPi * i / sides;
    const Vec2 at = m + Vec2(std::cos(a) * r.x() - std::sin(a) * r.y(), std::sin(a) * r.x() + std::cos(a) * r.y());
    corners.push_back(i == 0 ? h.point(p[1], centre) : h.at(at));
  }
  for (int i = 0; i < sides; ++i) lines.push_back(h.line(corners[size_t(i)], corners[size_t(i + 1) % corners.size()]));
  h.helpers();
  const Id round = h.circle(centre, r.norm());
  for (const Id& c : corners) h.say(Law::On, {c, round});
  for (size_t i = 1; i < lines.size(); ++i) h.say(Law::Equal, {lines[0], lines[i]});
  h.out.measures = {{round}};
  return true;
}

bool slot(Hand& h, const std::vector<Place>& p) {
  const Vec2 a = p[0].at, b = p[1].at, way = b - a;
  if (way.norm() < kSameMm) return false;
  const double r = (p[2].at - footOn(p[2].at, a, b)).norm();
  if (r < kSameMm) return false;
  const Vec2 up = left(way.normalized()) * r;
  const Id ca = h.point(p[0]), cb = h.point(p[1], ca), a1 = h.at(a - up), b1 = h.at(b - up), b2 = h.at(b + up), a2 = h.at(a + up);
  const Id low = h.line(a1, b1), right = h.arc(cb, b1, b2, true), high = h.line(b2, a2), back = h.arc(ca, a2, a1, true);
  h.say(Law::Tangent, {low, right}), h.say(Law::Tangent, {right, high}), h.say(Law::Tangent, {high, back}), h.say(Law::Tangent, {back, low});
  h.say(Law::Equal, {right, back});
  h.out.measures = {{ca, cb}, {right}};
  return true;
}

bool circle(Hand& h, const std::vector<Place>& p) {
  const double r = (p[1].at - p[0].at).norm();
  if (r < kSameMm) return false;
  const Id c = h.circle(h.point(p[0]), r);
  if (!p[1].point.empty()) h.say(Law::On, {p[1].point, c});
  h.out.measures = {{c}};
  return true;
}

bool arcByThree(Hand& h, const std::vector<Place>& p) {
  const auto c = centreThrough(p[0].at, p[1].at, p[2].at);
  if (!c) return false;
  const bool turn = cross(p[2].at - p[0].at, p[1].at - p[0].at) > 0; // start, end, a place between
  const Id a = h.point(p[0]), b = h.point(p[1], a), e = h.arc(h.at(*c), a, b, !turn);
  h.out.measures = {{e}};
  return true;
}

bool arcByCentre(Hand& h, const std::vector<Place>& p) {
  const Vec2 u = p[1].at - p[0].at, v = p[2].at - p[0].at;
  if (u.norm() < kSameMm || v.norm() < kSameMm) return false;
  const Id c = h.point(p[0]), a = h.point(p[1], c);
  const Id b = p[2].point.empty() ? h.at(p[0].at + v.normalized() * u.norm()) : p[2].point;
  h.out.measures = {{h.arc(c, a, b, cross(u, v) > 0)}};
  return true;
}

bool ellipse(Hand& h, const std::vector<Place>& p) {
  const double second = (p[2].at - footOn(p[2].at, p[0].at, p[1].at)).norm();
  if ((p[1].at - p[0].at).norm() < kSameMm || second < kSameMm) return false;
  const Id c = h.point(p[0]), tip = h.point(p[1], c), e = h.entity(Shape::Ellipse, {c, tip});
  h.out.drawing.entity(e)->size = second;
  return true;
}

bool text(Hand& h, const std::vector<Place>& p, const std::string& what) {
  if ((p[1].at - p[0].at).norm() < kSameMm || what.empty()) return false;
  const Id a = h.point(p[0]), b = h.point(p[1], a);
  h.out.drawing.entity(h.entity(Shape::Text, {a, b}))->text = what;
  h.out.measures = {{a, b}};
  return true;
}

bool conic(Hand& h, const std::vector<Place>& p) {
  if (std::abs(cross(p[1].at - p[0].at, p[2].at - p[0].at)) < kSameMm) return false;
  const Id a = h.point(p[0]), b = h.point(p[1], a), corner = h.point(p[2], b);
  h.entity(Shape::Conic, {a, corner, b});
  return true;
}

bool spline(Hand& h, const std::vector<Place>& p, Shape s, int degree) {
  std::vector<Id> points;
  for (const Place& q : p)
    if (const Id id = h.point(q, points.empty() ? Id() : points.back()); points.empty() || id != points.back()) points.push_back(id);
  const bool closed = points.size() > 3 && points.front() == points.back();
  if (closed && s == Shape::Through) points.pop_back();
  if (points.size() < 2) return false;
  const Id e = h.entity(s, points);
  Entity& made = *h.out.drawing.entity(e);
  made.degree = std::min(degree, int(points.size()) - 1);
  made.closed = closed && s == Shape::Through;
  return true;
}

} // namespace

const std::vector<Sketch>& sketches() {
  static const std::vector<Sketch> all{
      {"line", "Line", {"first point", "next point; press and pull for an arc"}, 2, 2, {Law::Length, Law::EndAngle}},
      {"rectangle", "Rectangle", {"a corner", "the corner across"}, 2, 2, {Law::Length, Law::Length}},
      {"rectangle_middle", "Middle rectangle", {"the middle", "a corner"}, 2, 2, {Law::Length, Law::Length}},
      {"rectangle_slanted", "Slanted rectangle", {"a corner", "the end of its first side", "how far it reaches"}, 3, 3, {Law::Length, Law::Length}},
      {"circle", "Circle", {"the centre", "a place on the rim"}, 2, 2, {Law::Diameter}},
      {"arc", "Arc by places", {"the start", "the end", "a place between"}, 3, 3, {Law::Radius}},
      {"arc_centre", "Arc by centre", {"the centre", "the start", "the end"}, 3, 3, {Law::Radius}},
      {"ellipse", "Ellipse", {"the centre", "the end of an axis", "how far it reaches across"}, 3, 3, {}},
      {"polygon", "Polygon", {"the centre", "a corner"}, 2, 2, {Law::Diameter}},
      {"slot", "Slot", {"the centre of one end", "the centre of the other", "a place on its rim"}, 3, 3, {Law::Length, Law::Radius}},
      {"spline", "Spline through", {"a point that it passes through; Enter ends it"}, 2, 10000, {}},
      {"spline_control", "Spline by control", {"a control point; Enter ends it"}, 2, 10000, {}},
      {"conic", "Conic", {"the start", "the end", "where the tangents meet"}, 3, 3, {}},
      {"text", "Text", {"where the line begins", "how high a capital letter is"}, 2, 2, {Law::Length}},
      {"point", "Point", {"a place"}, 1, 1, {}}};
  return all;
}

const Sketch* sketchOf(const std::string& key) {
  for (const Sketch& s : sketches())
    if (key == s.key) return &s;
  return nullptr;
}

std::optional<Sketched> sketched(const Drawing& d, const std::string& key, const std::vector<Place>& p, const SketchOptions& o) {
  const Sketch* s = sketchOf(key);
  if (!s || int(p.size()) < s->least) return {};
  Hand h(d, o.construction);
  bool done = false;
  if (key == "line") done = lineOf(h, p);
  if (key == "rectangle") done = rectangle(h, p);
  if (key == "rectangle_middle") done = middleRectangle(h, p);
  if (key == "rectangle_slanted") done = slantedRectangle(h, p);
  if (key == "circle") done = circle(h, p);
  if (key == "arc") done = arcByThree(h, p);
  if (key == "arc_centre") done = arcByCentre(h, p);
  if (key == "ellipse") done = ellipse(h, p);
  if (key == "polygon") done = polygon(h, p, o.sides);
  if (key == "slot") done = slot(h, p);
  if (key == "spline") done = spline(h, p, Shape::Through, o.degree);
  if (key == "spline_control") done = spline(h, p, Shape::Spline, o.degree);
  if (key == "conic") done = conic(h, p);
  if (key == "text") done = text(h, p, o.text);
  if (key == "point") done = !h.point(p[0]).empty();
  if (!done) return {};
  return std::move(h.out);
}

Vec2 byNumbers(const std::string& key, const std::vector<Place>& places, const Vec2& pointer,
               const std::vector<std::optional<double>>& numbers) {
  const auto number = [&](size_t i) { return i < numbers.size() ? numbers[i] : std::nullopt; };
  if (places.empty()) return pointer;
  const Vec2 from = places[0].at;
  const auto along = [](const Vec2& a, const Vec2& to, double length) {
    const Vec2 way = to - a;
    return Vec2(a + (way.norm() > 0 ? Vec2(way.normalized()) : Vec2::UnitX()) * length);
  };
  if (key == "rectangle" || key == "rectangle_middle") {
    const double half = key == "rectangle" ? 1 : 0.5;
    Vec2 by = pointer - from;
    for (size_t k : {size_t(0), size_t(1)})
      if (const auto n = number(k)) by[Eigen::Index(k)] = (by[Eigen::Index(k)] < 0 ? -1 : 1) * half * *n;
    return from + by;
  }
  if (key == "circle" || key == "polygon") return number(0) ? along(from, pointer, *number(0) / 2) : pointer;
  if (key == "line" && number(1)) return from + number(0).value_or((pointer - from).norm()) * Vec2(std::cos(*number(1)), std::sin(*number(1)));
  if (key == "line" || key == "text") return number(0) ? along(from, pointer, *number(0)) : pointer;
  if (key == "arc_centre") return places.size() == 1 && number(0) ? along(from, pointer, *number(0)) : pointer;
  if (key == "slot" || key == "rectangle_slanted") {
    if (places.size() == 1) return number(0) ? along(from, pointer, *number(0)) : pointer;
    if (const auto n = number(1)) {
      const Vec2 foot = footOn(pointer, from, places[1].at);
      return along(foot, pointer, *n);
    }
  }
  return pointer;
}

std::optional<Sketched> tangentArc(const Drawing& d, const Id& entity, const Id& end, const Place& to, bool construction) {
  const Entity* e = d.entity(entity);
  const auto way = e ? leavingDirection(d, *e, end) : std::nullopt;
  if (!way) return {};
  // It goes on where the entity ends: away from it.
  const Vec2 from = d.at(end), go = -*way, by = to.at - from, side = left(go);
  const double across = side.dot(by);
  if (std::abs(across) < 1e-6 * by.norm() || by.norm() < kSameMm) return {};
  const double radius = by.squaredNorm() / (2 * across); // positive: the centre lies to the left
  Hand h(d, construction);
  Place last = to;
  last.levelWith.clear(), last.uprightWith.clear();
  const Id b = h.point(last), a = h.arc(h.at(from + side * radius), end, b, radius > 0);
  h.say(Law::Tangent, {entity, a});
  h.out.measures = {{a}};
  return std::move(h.out);
}

// Snapping ------------------------------------------------------------------------------------------------------------

namespace {

Vec2 nearestOn(const std::vector<Vec2>& line, const Vec2& p) {
  Vec2 best = line.front();
  for (size_t i = 0; i + 1 < line.size(); ++i) {
    const Vec2 way = line[i + 1] - line[i];
    const double square = way.squaredNorm(), t = square > 0 ? std::clamp(way.dot(p - line[i]) / square, 0.0, 1.0) : 0;
    if (const Vec2 q = line[i] + t * way; (q - p).norm() < (best - p).norm()) best = q;
  }
  return best;
}

/// Where two of some entities cross within reach.
std::optional<Place> crossingNear(const Drawing& d, const std::vector<const Entity*>& near, const Vec2& at, double reach) {
  std::optional<Place> out;
  for (size_t i = 0; i < near.size(); ++i)
    for (size_t j = i + 1; j < near.size(); ++j) {
      const auto a = pathOf(d, *near[i]), b = pathOf(d, *near[j]);
      if (!a || !b) continue;
      for (const auto& m : nurbs::meetings(*a, *b, 1e-6).list) {
        const Vec2 q(m.a.x(), m.a.y());
        if ((q - at).norm() >= reach) continue;
        reach = (q - at).norm();
        out = Place{q};
        out->on = near[i]->id, out->onToo = near[j]->id;
      }
    }
  return out;
}

/// The nearest of what a place may take, looked for in order of worth: the first that finds something has it.
class Snapper {
public:
  Snapper(const Drawing& d, const Vec2& at, const SnapOptions& o) : d_(d), at_(at), o_(o) { out_.place.at = at; }

  Snapped run() {
    if (points() || outside() || middles() || crossing() || outermost() || entities()) return out_;
    align();
    if (o_.gridMm > 0)
      for (int k = 0; k < 2; ++k)
        if ((k == 0 ? out_.place.uprightWith : out_.place.levelWith).empty()) out_.place.at[k] = std::round(at_[k] / o_.gridMm) * o_.gridMm;
    return out_;
  }

private:
  /// Takes a place if it is nearer than what was found so far.
  bool nearer(Place place, const std::string& words) {
    const double off = (place.at - at_).norm();
    if (off >= best_) return false;
    best_ = off;
    out_ = {std::move(place), words};
    return true;
  }
  /// Not of what is dragged itself.
  bool counts(const Entity& e) const { return std::find(e.points.begin(), e.points.end(), o_.but) == e.points.end(); }
  bool carries(const Entity& e) const { return e.shape != Shape::Text && counts(e); }

  bool points() {
    bool found = false;
    for (const Point& p : d_.points)
      if (p.id != o_.but) found = nearer({p.at, p.id}, "together") || found;
    return found;
  }
  bool outside() {
    Place origin;
    origin.origin = true;
    bool found = o_.but.empty() && nearer(origin, "origin");
    for (const auto& [where, name] : o_.outside) found = nearer({where}, name) || found;
    return found;
  }
  bool middles() {
    bool found = false;
    for (const Entity& e : d_.entities) {
      if (e.shape != Shape::Line || !counts(e)) continue;
      Place middle{0.5 * (d_.at(e.points[0]) + d_.at(e.points[1]))};
      middle.middleOf = e.id;
      found = nearer(middle, "middle") || found;
    }
    return found;
  }
  bool crossing() {
    for (const Entity& e : d_.entities)
      if (carries(e) && (nearestOn(alongEntity(d_, e, kLooks), at_) - at_).norm() < o_.reachMm) near_.push_back(&e);
    const auto cross = crossingNear(d_, near_, at_, best_);
    return cross && nearer(*cross, "crossing");
  }
  bool outermost() {
    bool found = false;
    for (const Entity* e : near_) {
      if (e->shape != Shape::Circle) continue;
      for (const Vec2& way : {Vec2(1, 0), Vec2(-1, 0), Vec2(0, 1), Vec2(0, -1)}) {
        Place p{d_.at(e->points[0]) + e->size * way};
        p.on = e->id;
        (way.y() == 0 ? p.levelWith : p.uprightWith) = e->points[0];
        found = nearer(p, "outermost") || found;
      }
    }
    return found;
  }
  bool entities() {
    bool found = false;
    for (const Entity* e : near_) {
      Place p{nearestOn(alongEntity(d_, *e, kLooks), at_)};
      p.on = e->id;
      found = nearer(p, "on") || found;
    }
    return found;
  }

  /// Level with or above the line's beginning, else another point: each direction by itself.
  void align() {
    double nearest[2] = {0.7 * o_.reachMm, 0.7 * o_.reachMm};
    const auto with = [&](const Vec2& p, const Id& id, double weight) {
      for (int k = 0; k < 2; ++k) {
        const int other = 1 - k; // level: the same y
        const double off = std::abs(p[other] - at_[other]) * weight;
        if (off >= nearest[k] || std::abs(p[k] - at_[k]) < o_.reachMm) continue;
        nearest[k] = off;
        out_.place.at[other] = p[other];
        (k == 0 ? out_.place.levelWith : out_.place.uprightWith) = id;
      }
    };
    if (o_.from) with(*o_.from, o_.fromPoint.empty() ? kBeginning : o_.fromPoint, 0.5);
    for (const Point& p : d_.points)
      if (p.id != o_.but && p.id != o_.fromPoint) with(p.at, p.id, 1);
    if (!out_.place.levelWith.empty()) out_.words = "level";
    if (!out_.place.uprightWith.empty()) out_.words += out_.words.empty() ? "upright" : ", upright";
  }

  static constexpr int kLooks = 96; ///< places along a curve
  const Drawing& d_;
  Vec2 at_;
  const SnapOptions& o_;
  Snapped out_;
  double best_ = o_.reachMm;
  std::vector<const Entity*> near_; ///< within reach
};

} // namespace

Snapped snapped(const Drawing& d, const Vec2& at, const SnapOptions& o) { return Snapper(d, at, o).run(); }

} // namespace lumsk::drawing
