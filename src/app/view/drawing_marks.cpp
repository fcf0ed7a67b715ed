#include "app/view/drawing_marks.h"

#include "app/drawing_board.h"
#include "app/preferences.h"
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/words.h"
#include "drawing/curves.h"
#include "drawing/measure.h"
#include "drawing/relate.h"
#include "inspect/combs.h"

namespace lumsk::app {

using drawing::Drawing;
using drawing::Id;
using drawing::Law;

namespace {

constexpr int kSteps = 48;
constexpr int kTeeth = 16, kFineTeeth = 200; ///< on every span: drawn, and looked at for the tightest place
constexpr double kToothPixels = 70;   ///< of the longest
enum Group { kFree, kFixed, kAgainst, kOff };

QColor colourOfGroup(int group) {
  switch (group) {
  case kFixed: return tones().accentText;
  case kAgainst: return tones().attention;
  case kOff: return tones().soft;
  default: return tones().text;
  }
}

void paintPoint(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  const QColor c = colourOfGroup(m.group);
  p.setPen(QPen(m.strong ? tones().attention : c, m.strong ? 2.4 : 1.3));
  p.setBrush(m.group == kFixed ? c : QColor(Qt::white));
  p.drawEllipse(m.at, m.strong ? 4.5 : 3.5, m.strong ? 4.5 : 3.5);
  if (m.group != kFixed) return;
  // A pin: it stays.
  p.setPen(QPen(c, 1.3));
  p.drawLine(m.at + QPointF(0, 3), m.at + QPointF(0, 9));
}

// Signs, 14 pixels wide, each drawn round its middle.

void lineSign(QPainter& p, QPointF a, QPointF b) { p.drawLine(a, b); }

void paintLaw(QPainter& p, Law law, QPointF c) {
  const auto at = [&](double x, double y) { return c + QPointF(x, y); };
  switch (law) {
  case Law::Level: lineSign(p, at(-5, 0), at(5, 0)); lineSign(p, at(-5, -2.5), at(-5, 2.5)); break;
  case Law::Upright: lineSign(p, at(0, -5), at(0, 5)); lineSign(p, at(-2.5, 5), at(2.5, 5)); break;
  case Law::Together: p.drawEllipse(c, 4, 4); p.drawPoint(c); break;
  case Law::On: lineSign(p, at(-5, 3), at(5, 3)); p.drawEllipse(at(0, 0), 2.5, 2.5); break;
  case Law::Parallel: lineSign(p, at(-5, 2), at(2, -5)); lineSign(p, at(-2, 5), at(5, -2)); break;
  case Law::Square: lineSign(p, at(-4, -4), at(-4, 4)); lineSign(p, at(-4, 4), at(4, 4)); lineSign(p, at(-4, 1), at(-1, 1)); lineSign(p, at(-1, 1), at(-1, 4)); break;
  case Law::InLine: lineSign(p, at(-6, 4), at(-2, 1)); lineSign(p, at(1, -1), at(6, -4)); break;
  case Law::Equal: lineSign(p, at(-4, -2), at(4, -2)); lineSign(p, at(-4, 2), at(4, 2)); break;
  case Law::SameCentre: p.drawEllipse(c, 5, 5); p.drawEllipse(c, 2, 2); break;
  case Law::Tangent: p.drawEllipse(at(0, 2), 3, 3); lineSign(p, at(-5, -2), at(5, -2)); break;
  case Law::SameCurvature: p.drawArc(QRectF(at(-6, -3), at(0, 5)), 0, 180 * 16); p.drawArc(QRectF(at(0, -5), at(6, 3)), 180 * 16, 180 * 16); break;
  case Law::Mirrored: lineSign(p, at(0, -5), at(0, 5)); p.drawPolyline(QPolygonF{at(-5, -3), at(-2, 0), at(-5, 3)}); p.drawPolyline(QPolygonF{at(5, -3), at(2, 0), at(5, 3)}); break;
  case Law::Middle: lineSign(p, at(-5, 2), at(5, 2)); p.drawPolyline(QPolygonF{at(-2, -4), at(0, -1), at(2, -4)}); break;
  case Law::Fixed: p.drawEllipse(at(0, -2), 2.5, 2.5); lineSign(p, at(0, 1), at(0, 6)); break;
  case Law::Flat: p.drawPolyline(QPolygonF{at(-5, 0), at(1, 0), at(4, -2), at(5, -5)}); break;
  case Law::SameStep: for (int k = -1; k < 2; ++k) p.drawEllipse(at(4 * k, 0), 1.5, 1.5); break;
  case Law::SameTurn: p.drawArc(QRectF(at(-5, -5), at(5, 5)), 30 * 16, 240 * 16); p.drawEllipse(at(4, -3), 1.5, 1.5); break;
  default: break;
  }
}

void paintSign(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  const QColor c = colourOfGroup(m.group);
  p.setPen(QPen(m.strong ? tones().attention : tones().line, m.strong ? 1.8 : 1));
  p.setBrush(tones().over);
  p.drawRoundedRect(QRectF(m.at.x() - 8, m.at.y() - 8, 16, 16), 4, 4);
  p.setPen(QPen(c, 1.3, m.group == kOff ? Qt::DotLine : Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  p.setBrush(Qt::NoBrush);
  if (const auto law = drawing::lawOf(m.key)) paintLaw(p, *law, m.at);
  if (m.group == kAgainst) p.drawPolyline(QPolygonF{m.at + QPointF(-8, 12), m.at + QPointF(-4, 9), m.at + QPointF(0, 12), m.at + QPointF(4, 9), m.at + QPointF(8, 12)});
}

void paintNumber(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  const QColor c = colourOfGroup(m.group);
  const QSizeF size(p.fontMetrics().horizontalAdvance(m.text) + 10, p.fontMetrics().height() + 2);
  const QRectF box(m.at - QPointF(size.width() / 2, size.height() / 2), size);
  p.setPen(m.strong ? QPen(tones().attention, 1.6) : m.group == kAgainst ? QPen(c, 1.2) : QPen(Qt::NoPen));
  p.setBrush(tones().over);
  p.drawRoundedRect(box, 4, 4);
  p.setPen(c);
  p.drawText(box, Qt::AlignCenter, m.text);
}

constexpr MarkKind kPointKind{"drawing-point", true, false, paintPoint};
constexpr MarkKind kSignKind{"relation-sign", true, true, paintSign};
constexpr MarkKind kNumberKind{"dimension", true, false, paintNumber};

void paintTightest(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  p.setPen(QPen(tones().attention, 1.4));
  p.setBrush(Qt::NoBrush);
  p.drawEllipse(m.at, 5, 5);
  const QSizeF size(p.fontMetrics().horizontalAdvance(m.text) + 8, p.fontMetrics().height());
  const QRectF box(m.at + QPointF(9, -size.height() - 2), size);
  p.setPen(Qt::NoPen);
  p.setBrush(tones().over);
  p.drawRoundedRect(box, 4, 4);
  p.setPen(tones().attention);
  p.drawText(box, Qt::AlignCenter, m.text);
}
constexpr MarkKind kTightestKind{"comb-tightest", true, false, paintTightest};

/// A line that is in conflict: with a zigzag in its middle, so that it is not seen by its colour alone.
std::vector<Vec2> zigzag(const std::vector<Vec2>& line, double size) {
  if (line.size() < 2) return {};
  const Vec2 a = line[(line.size() - 1) / 2], b = line[(line.size() - 1) / 2 + 1], way = (b - a).norm() > 0 ? Vec2((b - a).normalized()) : Vec2::UnitX(), up(-way.y(), way.x());
  std::vector<Vec2> out;
  for (int k = -3; k <= 3; ++k) out.push_back(0.5 * (a + b) + way * (size * k) + up * (k % 2 ? size : -size));
  return out;
}

} // namespace

bool DrawingMarks::isOne(const Mark& m) { return m.kind == &kPointKind || m.kind == &kSignKind || m.kind == &kNumberKind || m.kind == &kTightestKind; }
const MarkKind& DrawingMarks::point() { return kPointKind; }
const MarkKind& DrawingMarks::sign() { return kSignKind; }
const MarkKind& DrawingMarks::number() { return kNumberKind; }
const MarkKind& DrawingMarks::tightest() { return kTightestKind; }

double DrawingMarks::beside(const scene::Camera& c, const Frame& f) { return 26 * c.pixelSize(f.origin); }

bool DrawingMarks::picked(const Id& id) const {
  const auto& s = board_.selection();
  return std::find(s.begin(), s.end(), id) != s.end();
}

DrawingMarks::State DrawingMarks::stateOf(const Id& thing) const {
  const auto against = board_.contradicting();
  for (const auto& r : board_.drawing().relations)
    if (against.count(r.id) && std::find(r.of.begin(), r.of.end(), thing) != r.of.end()) return State::Against;
  if (against.count(thing)) return State::Against;
  if (const auto* r = board_.drawing().relation(thing)) return r->off ? State::Off : State::Free;
  return against.empty() && !board_.freedom().free.count(thing) ? State::Fixed : State::Free;
}

QColor DrawingMarks::colourOf(State s) const { return colourOfGroup(int(s)); }

Mark DrawingMarks::mark(const MarkKind& kind, const Vec2& at, const Id& id) const {
  const Vec3 world = board_.toWorld(at);
  Mark m{&kind, pixelOf(camera_, world)};
  m.world = world;
  m.item = id;
  m.tool = &tool_;
  m.strong = picked(id);
  m.group = int(stateOf(id));
  return m;
}

std::vector<Vec3> DrawingMarks::lifted(const std::vector<Vec2>& line) const {
  std::vector<Vec3> out;
  for (const Vec2& p : line) out.push_back(board_.toWorld(p));
  return out;
}

void DrawingMarks::strokes(const Drawing& d, Offer& o) const {
  QColor halo = tones().attention;
  halo.setAlpha(90);
  const double pixel = camera_.pixelSize(board_.frame().origin);
  for (const auto& e : d.entities) {
    const State s = stateOf(e.id);
    for (const auto& line : drawing::linesOf(d, e, kSteps)) {
      if (picked(e.id)) o.strokes.push_back({lifted(line), halo, 8});
      o.strokes.push_back({lifted(line), e.id == hovered_ ? tones().accent : colourOf(s), e.construction || e.linked ? 1.1 : 2.0, e.construction});
      if (s == State::Against) o.strokes.push_back({lifted(zigzag(line, 4 * pixel)), colourOf(s), 1.6});
    }
    // The polygon of what is made by control points.
    if ((e.shape == drawing::Shape::Spline || e.shape == drawing::Shape::Conic) && (picked(e.id) || hovered_ == e.id)) {
      std::vector<Vec2> polygon;
      for (const Id& p : e.points) polygon.push_back(d.at(p));
      o.strokes.push_back({lifted(polygon), tones().soft, 1, true});
    }
  }
}

void DrawingMarks::combs(const Drawing& d, const Id& held, Offer& o) const {
  using drawing::Shape;
  const double pixel = camera_.pixelSize(board_.frame().origin);
  const auto on = [&](const drawing::Entity& e) { return e.id == held || std::find(e.points.begin(), e.points.end(), held) != e.points.end(); };
  std::vector<std::pair<const drawing::Entity*, nurbs::Path>> shown;
  double most = 0;
  for (const auto& e : d.entities) {
    const bool curve = e.shape == Shape::Spline || e.shape == Shape::Through || e.shape == Shape::Conic;
    if (!curve || !(picked(e.id) || e.id == hovered_ || on(e))) continue;
    const auto path = drawing::pathOf(d, e);
    if (!path) continue;
    most = std::max(most, inspect::comb(*path, kTeeth, 1).largest);
    shown.emplace_back(&e, *path);
  }
  if (!(most > 0)) return;
  QColor thin = tones().accent;
  thin.setAlpha(130);
  for (const auto& [e, path] : shown) {
    // All by one scale, so that they can be compared; the longest tooth is long enough to be read and covers nothing.
    const auto comb = inspect::comb(path, kTeeth, kToothPixels * pixel / most);
    const auto lift = [&](const Vec3& p) { return board_.toWorld({p.x(), p.y()}); };
    std::vector<Vec3> tips;
    for (size_t i = 0; i < comb.base.size(); ++i) {
      o.strokes.push_back({{lift(comb.base[i]), lift(comb.tip[i])}, thin, 0.8});
      tips.push_back(lift(comb.tip[i]));
    }
    o.strokes.push_back({tips, tones().accent, 1.1});
    const auto fine = inspect::comb(path, kFineTeeth, 0);
    Mark m = mark(kTightestKind, {fine.largestAt.x(), fine.largestAt.y()}, e->id);
    m.text = "r " + shownLength(fine.smallestRadiusMm, 4);
    m.strong = false;
    o.marks.push_back(std::move(m));
  }
}

void DrawingMarks::points(const Drawing& d, Offer& o) const {
  for (const auto& p : d.points) o.marks.push_back(mark(kPointKind, p.at, p.id));
}

/// Signs stand off what they are of: to the left of what is upright, else above.
QPointF DrawingMarks::beside(const Drawing& d, const drawing::Relation& r) const {
  const auto* e = d.entity(r.of[0]);
  if (!e || e->shape != drawing::Shape::Line) return {0, -14};
  const QPointF a = pixelOf(camera_, board_.toWorld(d.at(e->points[0]))), b = pixelOf(camera_, board_.toWorld(d.at(e->points[1])));
  return std::abs(b.x() - a.x()) < std::abs(b.y() - a.y()) ? QPointF(-14, 0) : QPointF(0, -14);
}

void DrawingMarks::relations(const Drawing& d, Offer& o) const {
  const auto near = [&](const drawing::Relation& r) {
    return picked(r.id) || std::any_of(r.of.begin(), r.of.end(), [&](const Id& id) { return picked(id) || id == hovered_; });
  };
  for (const auto& r : d.relations) {
    if (drawing::isDimension(r.law)) {
      const auto at = drawing::placeOf(d, r, beside(camera_, board_.frame()));
      if (!at) continue;
      Mark m = mark(kNumberKind, at->number, r.id);
      const auto now = drawing::measured(d, r);
      const bool angle = drawing::dimensionOf(r.law) == Dimension::Angle;
      const double v = now.value_or(r.value);
      m.text = angle ? QString::fromUtf8("%1°").arg(QString::fromStdString(formatNumber(degFromRad(v), 5))) : shownLength(v, 6);
      if (!r.measured && r.text.find_first_not_of("0123456789.") != std::string::npos) m.text = QString::fromStdString(r.text) + " = " + m.text;
      if (r.law == Law::Diameter) m.text = QString::fromUtf8("⌀ ") + m.text;
      if (r.law == Law::Radius || r.law == Law::EndRadius) m.text = "r " + m.text;
      if (r.measured) m.text = "[" + m.text + "]";
      m.key = drawing::lawName(r.law);
      QColor thin = colourOfGroup(m.group);
      thin.setAlpha(150);
      for (const auto& l : at->leaders) o.strokes.push_back({lifted({l[0], l[1]}), thin, 0.9});
      o.marks.push_back(std::move(m));
      continue;
    }
    const bool against = stateOf(r.id) == State::Against;
    if (!board_.signs() && !near(r) && !against) continue;
    Mark m = mark(kSignKind, drawing::signPlace(d, r), r.id);
    m.at += beside(d, r);
    m.key = drawing::lawName(r.law);
    o.marks.push_back(std::move(m));
  }
}

} // namespace lumsk::app
