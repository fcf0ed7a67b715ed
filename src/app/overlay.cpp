#include "app/overlay.h"

#include "app/preferences.h"
#include "app/words.h"

#include <QPainter>
#include <QPainterPath>
#include <nlohmann/json.hpp>

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;

const Field* fieldOf(const Workspace& w, const Mark& m) {
  const auto* entry = w.recipe().find(m.step);
  const Field* f = entry ? recipe::findField(w.registry().schemaOf(entry->kind), m.field) : nullptr;
  return f && !m.item.empty() ? recipe::findField(f->each, m.key) : f;
}

json valueOf(const Workspace& w, const Mark& m) {
  const auto* entry = w.recipe().find(m.step);
  const Field* f = fieldOf(w, m);
  if (!entry || !f) return {};
  if (m.item.empty()) return entry->inputs->value(m.field, recipe::defaultValue(*f));
  for (const json& item : entry->inputs->value(m.field, json::array()))
    if (item.value("id", "") == m.item && item.contains(m.key)) return item[m.key];
  return recipe::defaultValue(*f);
}

json inputWith(const Workspace& w, const Mark& m, const json& value) {
  if (m.item.empty()) return value;
  json list = w.recipe().find(m.step)->inputs->value(m.field, json::array());
  for (json& item : list)
    if (item.value("id", "") == m.item) item[m.key] = value;
  return list;
}

namespace {

QPointF pixel(const Vec3& screen) { return {screen.x(), screen.y()}; }

double numberOf(const json& v, const Field& f, const recipe::Names& names) {
  if (v.is_number()) return v.get<double>();
  const auto q =
      v.is_string() ? recipe::evaluate(v.get<std::string>(), f.dimension, names) : Expected<Quantity>(Quantity{});
  return q ? q->value : 0.0;
}

void addPoints(const Workspace& w, const recipe::StepEntry& entry, const Field& f, const scene::Camera& c,
               std::vector<Mark>& out) {
  const auto names = w.names();
  const auto place = w.placeOf(entry, f);
  const Field coordinate = recipe::length("", "", "", "0");
  const json points = entry.inputs->value(f.key, json::array());
  for (size_t i = 0; i < points.size(); ++i) {
    Vec3 p;
    for (int k = 0; k < 3; ++k) p[k] = numberOf(points[i]["at"][k], coordinate, names);
    if (!p.allFinite() || p.norm() > 1e7) continue;
    if (place) p = place->toWorld({p.x(), p.y(), 0});
    Mark m{Mark::Kind::Point,
           pixel(c.toScreen(p)),
           {},
           {},
           QString::number(i + 1),
           entry.id,
           f.key,
           points[i]["id"].get<std::string>()};
    m.index = int(i);
    m.world = p;
    out.push_back(m);
  }
}

void addHandles(const Workspace& w, const recipe::StepEntry& entry, const recipe::Outcome& o, const scene::Camera& c,
                std::vector<Mark>& out) {
  const auto& schema = w.registry().schemaOf(entry.kind);
  const auto names = w.names();
  for (const auto& h : o.handles) {
    Mark wanted{Mark::Kind::Handle, {}, {}, {}, {}, entry.id, h.field, h.item};
    wanted.key = h.key;
    const Field* f = fieldOf(w, wanted);
    if (!f || (h.item.empty() && !recipe::applies(*f, schema, *entry.inputs))) continue;
    const double v = numberOf(valueOf(w, wanted), *f, names);
    const Vec3 at = h.at + h.direction * (v * h.mmPerUnit);
    Mark m{Mark::Kind::Handle,
           pixel(c.toScreen(at)),
           pixel(c.toScreen(h.at)),
           {},
           said(f->label).toLower() + " " + shown({v, f->dimension}),
           entry.id,
           h.field,
           h.item};
    m.key = h.key;
    // A handle that would sit on its own foot is moved out, so that it can be grabbed.
    const QPointF d = m.at - m.from;
    if (std::hypot(d.x(), d.y()) < 24) {
      const QPointF out2 = pixel(c.toScreen(h.at + h.direction * c.pixelSize(h.at) * 40)) - m.from;
      const double l = std::hypot(out2.x(), out2.y());
      m.at = m.from + (l > 4 ? out2 * (40 / l) : QPointF(28, -28));
    }
    m.world = h.at;
    m.direction = h.direction;
    m.mmPerUnit = h.mmPerUnit;
    m.value = v;
    out.push_back(m);
  }
}

void addFlags(const recipe::StepEntry& entry, const recipe::Outcome& o, const scene::Camera& c,
              std::vector<Mark>& out) {
  int n = 0;
  for (const auto& f : o.flags) {
    ++n;
    const double reach = c.pixelSize(f.at) * 26;
    Mark m{Mark::Kind::Flag,
           pixel(c.toScreen(f.at)),
           {},
           pixel(c.toScreen(f.at + f.direction * reach)),
           f.mark.empty() ? QString::number(n) : QString::fromStdString(f.mark),
           entry.id,
           f.field,
           f.item};
    m.world = f.at;
    m.direction = f.direction;
    m.startMovable = f.startMovable;
    m.group = f.group;
    m.key = f.key;
    out.push_back(m);
  }
}

void addGrips(const recipe::StepEntry& entry, const recipe::Outcome& o, const scene::Camera& c,
              std::vector<Mark>& out) {
  for (const auto& g : o.grips) {
    Mark m{Mark::Kind::Grip, pixel(c.toScreen(g.at)), {}, {}, {}, entry.id, g.field, g.item};
    m.world = g.at;
    m.direction = g.along;
    m.moved = g.moved;
    m.on = g.on;
    m.plane = g.plane;
    out.push_back(m);
  }
}

} // namespace

std::vector<Mark> marksFor(const Workspace& w, const scene::Camera& c) {
  std::vector<Mark> out;
  const auto addPlaces = [&](const Problem& p, Mark::Kind kind, const std::string& step) {
    for (const Vec3& at : p.where) {
      Mark m{kind, pixel(c.toScreen(at)), {}, {}, said(p), step, "", ""};
      m.world = at;
      const bool known = std::any_of(out.begin(), out.end(), [&](const Mark& o) {
        return o.text == m.text && o.world == m.world && o.kind == m.kind;
      });
      if (!known) out.push_back(m);
    }
  };
  for (const auto& s : w.recipe().steps)
    if (const auto* r = w.model()->result(s->id); r && r->status == recipe::Status::Failed && r->problem)
      addPlaces(*r->problem, Mark::Kind::Problem, s->id);
  const auto* entry = w.recipe().find(w.open());
  if (!entry) return out;
  if (const auto* r = w.model()->result(entry->id); r && r->outcome) {
    if (r->status == recipe::Status::Ok)
      for (const Problem& note : r->outcome->notes) addPlaces(note, Mark::Kind::Note, entry->id);
    addFlags(*entry, *r->outcome, c, out);
    addHandles(w, *entry, *r->outcome, c, out);
    addGrips(*entry, *r->outcome, c, out);
  }
  for (const Field& f : w.registry().schemaOf(entry->kind))
    if (f.kind == FieldKind::Points) addPoints(w, *entry, f, c, out);
  return out;
}

std::vector<std::vector<Vec3>> netsFor(const Workspace& w) {
  const auto* r = w.model()->result(w.open());
  return r && r->outcome ? r->outcome->nets : std::vector<std::vector<Vec3>>{};
}

Overlay::Overlay(QWidget* parent) : QWidget(parent) {
  setAttribute(Qt::WA_TransparentForMouseEvents);
  setAttribute(Qt::WA_NoSystemBackground);
}

void Overlay::set(std::vector<Mark> marks, const scene::Camera& camera) {
  marks_ = std::move(marks);
  camera_ = camera;
  update();
}

void Overlay::setLit(std::vector<Lit> lit) {
  if (lit.empty() && lit_.empty()) return;
  lit_ = std::move(lit);
  update();
}

void Overlay::setLens(std::vector<LensMark> marks) {
  if (marks.empty() && lens_.empty()) return;
  lens_ = std::move(marks);
  update();
}

void Overlay::setBox(const QRectF& box) {
  box_ = box;
  update();
}

void Overlay::setNets(std::vector<std::vector<Vec3>> nets) {
  if (nets.empty() && nets_.empty()) return;
  nets_ = std::move(nets);
  update();
}

void Overlay::setHover(const QString& label, QPointF at) {
  if (hover_ == label && (label.isEmpty() || hoverAt_ == at)) return;
  hover_ = label;
  hoverAt_ = at;
  update();
}

void Overlay::setSnap(const std::optional<Vec3>& at) {
  if (!at && !snap_) return;
  snap_ = at;
  update();
}

int Overlay::markAt(QPointF p) const {
  int best = -1;
  double nearest = 1e9;
  for (size_t i = 0; i < marks_.size(); ++i) {
    if (marks_[i].kind == Mark::Kind::Problem || marks_[i].kind == Mark::Kind::Note) continue;
    const QPointF d = marks_[i].at - p;
    const double l = std::hypot(d.x(), d.y());
    if (l < 12 && l < nearest) nearest = l, best = int(i);
  }
  return best;
}

void Overlay::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  paintLit(p);
  QFont small = font();
  small.setPointSizeF(small.pointSizeF() * 0.92);
  p.setFont(small);
  paintLens(p);
  std::vector<QRectF> labels;
  const auto label = [&](QPointF at, const QString& text, const QColor& ink, const QColor& border) {
    // Long sentences wrap, and the label stays inside the view.
    QRectF r = p.fontMetrics()
                   .boundingRect(QRect(0, 0, 280, 400), Qt::AlignLeft | Qt::TextWordWrap, text)
                   .adjusted(-7, -4, 7, 4);
    r.moveTo(at.x() + 12, at.y() - r.height() / 2);
    if (r.right() > width() - 6) r.moveRight(std::min(at.x() - 12, width() - 6.0));
    r.moveLeft(std::max(6.0, r.left()));
    const double lowest = std::max(6.0, height() - 6.0 - r.height());
    r.moveTop(std::clamp(r.top(), 6.0, lowest));
    // Below those that it would lie on.
    for (size_t tries = 0; tries < labels.size() && r.top() < lowest; ++tries) {
      const auto under = std::find_if(labels.begin(), labels.end(), [&](const QRectF& o) { return o.intersects(r); });
      if (under == labels.end()) break;
      r.moveTop(std::min(under->bottom() + 2, lowest));
    }
    labels.push_back(r);
    p.setPen(QPen(border, 1));
    p.setBrush(tones().over);
    p.drawRoundedRect(r, 5, 5);
    p.setPen(ink);
    p.drawText(r.adjusted(7, 4, -7, -4), Qt::AlignLeft | Qt::AlignVCenter | Qt::TextWordWrap, text);
  };
  QColor faint = tones().text;
  faint.setAlpha(120);
  p.setPen(QPen(faint, 1, Qt::DashLine));
  for (const auto& line : nets_) paintLine(p, line);
  for (const Mark& m : marks_) {
    switch (m.kind) {
    case Mark::Kind::Grip:
      p.setPen(QPen(m.moved ? Qt::white : tones().accent, 1.5));
      p.setBrush(m.moved ? tones().accent : QColor(Qt::white));
      p.drawRect(QRectF(m.at.x() - 4, m.at.y() - 4, 8, 8));
      break;
    case Mark::Kind::Point:
      p.setPen(QPen(tones().text, 1.5));
      p.setBrush(Qt::white);
      p.drawEllipse(m.at, 5, 5);
      break;
    case Mark::Kind::Handle:
    case Mark::Kind::Cut:
    case Mark::Kind::Direction:
      p.setPen(QPen(tones().text, 1.4));
      p.drawLine(m.from, m.at);
      p.setBrush(Qt::white);
      p.drawEllipse(m.at, 6, 6);
      label(m.at, m.text, tones().text, tones().line);
      break;
    case Mark::Kind::Flag: {
      const QColor ground = m.group == 2 ? QColor("#22262A") : tones().accent;
      p.setPen(QPen(ground, 2));
      p.drawLine(m.at, m.tip);
      const QPointF d = m.tip - m.at;
      if (const double l = std::hypot(d.x(), d.y()); l > 8) {
        const QPointF u = d / l, n(-u.y(), u.x());
        p.setBrush(ground);
        p.drawPolygon(QPolygonF{m.tip + u * 4, m.tip - u * 5 + n * 4, m.tip - u * 5 - n * 4});
      }
      p.setPen(QPen(Qt::white, 1.5));
      p.setBrush(ground);
      const double half = std::max(9.0, 0.5 * p.fontMetrics().horizontalAdvance(m.text) + 4);
      const QRectF disc(m.at.x() - half, m.at.y() - 9, 2 * half, 18);
      if (m.group == 2)
        p.drawRoundedRect(disc, 4, 4);
      else
        p.drawRoundedRect(disc, 9, 9);
      p.drawText(disc, Qt::AlignCenter, m.text);
      break;
    }
    case Mark::Kind::Problem:
      p.setPen(QPen(Qt::white, 1.5));
      p.setBrush(tones().attention);
      p.drawPolygon(QPolygonF{m.at + QPointF(0, -9), m.at + QPointF(9, 7), m.at + QPointF(-9, 7)});
      label(m.at, m.text, tones().attentionText, tones().attention);
      break;
    case Mark::Kind::Note:
      p.setPen(QPen(Qt::white, 1.5));
      p.setBrush(tones().caution);
      p.drawPolygon(
          QPolygonF{m.at + QPointF(0, -8), m.at + QPointF(8, 0), m.at + QPointF(0, 8), m.at + QPointF(-8, 0)});
      label(m.at, m.text, tones().text, tones().caution);
      break;
    }
  }
  if (snap_) {
    const QPointF at = pixel(camera_.toScreen(*snap_));
    p.setPen(QPen(tones().accent, 2));
    p.setBrush(Qt::NoBrush);
    p.drawPolygon(QPolygonF{at + QPointF(0, -8), at + QPointF(8, 0), at + QPointF(0, 8), at + QPointF(-8, 0)});
  }
  if (!hover_.isEmpty()) label(hoverAt_ + QPointF(6, -16), hover_, tones().accentText, tones().line);
  if (!box_.isEmpty()) {
    p.setPen(QPen(tones().accentText, 1.2, Qt::DashLine));
    QColor ground = tones().accent;
    ground.setAlpha(36);
    p.setBrush(ground);
    p.drawRect(box_);
  }
  paintAxes(p);
}

/// Only what is in front of the eye.
void Overlay::paintLine(QPainter& p, const std::vector<Vec3>& line) const {
  QPolygonF run;
  for (const Vec3& q : line) {
    if ((q - camera_.eye).dot(camera_.direction) > 0) {
      run << pixel(camera_.toScreen(q));
      continue;
    }
    p.drawPolyline(run);
    run.clear();
  }
  p.drawPolyline(run);
}

void Overlay::paintLit(QPainter& p) const {
  for (const Lit& lit : lit_) {
    p.setPen(QPen(lit.colour, 2.6, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    for (const auto& line : lit.outline.lines) paintLine(p, line);
    p.setPen(QPen(Qt::white, 1.5));
    p.setBrush(lit.colour);
    for (const Vec3& q : lit.outline.points)
      if ((q - camera_.eye).dot(camera_.direction) > 0) p.drawEllipse(pixel(camera_.toScreen(q)), 5.5, 5.5);
  }
}

void Overlay::paintLens(QPainter& p) const {
  for (const LensMark& m : lens_) {
    p.setPen(QPen(m.colour, 3, m.dashed ? Qt::DashLine : Qt::SolidLine, Qt::FlatCap, Qt::RoundJoin));
    p.setBrush(Qt::NoBrush);
    paintLine(p, m.line);
  }
  for (const LensMark& m : lens_) {
    if (m.letter.isEmpty()) continue;
    const QPointF at = pixel(camera_.toScreen(m.middle));
    const double w = p.fontMetrics().horizontalAdvance(m.letter) + 10;
    const QRectF box(at.x() - w / 2, at.y() - 9, w, 18);
    p.setPen(QPen(Qt::white, 1.5));
    p.setBrush(m.colour);
    p.drawRoundedRect(box, 4, 4);
    p.drawText(box, Qt::AlignCenter, m.letter);
  }
  for (const LensMark& m : lens_) {
    if (!m.chosen) continue;
    const QPointF at = pixel(camera_.toScreen(*m.chosen));
    p.setBrush(Qt::NoBrush);
    for (const auto& [colour, width] : {std::pair{QColor(Qt::white), 5.0}, std::pair{tones().attention, 2.5}}) {
      p.setPen(QPen(colour, width));
      p.drawEllipse(at, 13, 13);
    }
  }
}

void Overlay::paintAxes(QPainter& p) const {
  const QPointF o(36, height() - 40);
  const Vec3 right = camera_.direction.cross(camera_.up);
  static const std::pair<Vec3, const char*> axes[] = {{Vec3::UnitX(), "x"}, {Vec3::UnitY(), "y"}, {Vec3::UnitZ(), "z"}};
  const bool dark = theme() == Theme::Slate;
  const QColor colours[] = {QColor(dark ? "#F0937A" : "#B3401F"), QColor(dark ? "#8CC487" : "#3F7A3A"),
                            QColor(dark ? "#8FB0F0" : "#34559C")};
  for (int k = 0; k < 3; ++k) {
    const QPointF d(axes[k].first.dot(right) * 24, -axes[k].first.dot(camera_.up) * 24);
    p.setPen(QPen(colours[k], 2));
    p.drawLine(o, o + d);
    p.drawText(QRectF(o.x() + d.x() * 1.35 - 8, o.y() + d.y() * 1.35 - 8, 16, 16), Qt::AlignCenter, axes[k].second);
  }
}

} // namespace lumsk::app
