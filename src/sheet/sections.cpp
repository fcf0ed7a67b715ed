#include "sheet/sections.h"

#include "inspect/cut.h"
#include "scene/lenses/cut/cut.h"
#include "scene/scene.h"
#include "sheet/paper.h"
#include "sheet/sheet.h"

#include <QCoreApplication>
#include <QPainterPath>

#include <fmt/format.h>

namespace lumsk::sheet {

namespace {

constexpr double kTall = 78, kBetween = 8;  ///< of a section's place on the paper and between two, mm
constexpr double kLeft = 20, kRight = 6, kTop = 6, kBelow = 11; ///< around the form in it: dimensions and words

QString tr(const char* words) { return QCoreApplication::translate("Sheet", words); }

/// A level frame across a world axis, to be looked at from the front, the right or the top.
Frame across(int axis, double at) {
  const Vec3 origin = Vec3::Unit(axis) * at;
  if (axis == 2) return {origin, Vec3::UnitX(), Vec3::UnitY()};
  return {origin, axis == 0 ? Vec3(Vec3::UnitY()) : Vec3(Vec3::UnitX()), Vec3::UnitZ()};
}

/// The bodies' lines in a plane.
struct Section {
  struct Part {
    inspect::Cut cut;
    bool solid = false;
  };
  std::vector<Part> parts;
  Vec2 low = Vec2::Constant(1e300), high = Vec2::Constant(-1e300);
  double areaMm2 = 0.0;
  std::optional<inspect::CutWall> thinnest;
};

Section sectionOf(const scene::Scene& scene, const Frame& plane, const Context& cx) {
  Section out;
  for (const scene::DrawnBody& b : scene.bodies) {
    if (cx.stopped()) break;
    inspect::Cut cut = inspect::cutOf(inspect::MeasuredForm(b.body, b.faces), plane);
    if (cut.empty()) continue;
    out.low = out.low.cwiseMin(cut.low), out.high = out.high.cwiseMax(cut.high);
    out.areaMm2 += cut.areaMm2;
    if (cut.thinnest && (!out.thinnest || cut.thinnest->mm < out.thinnest->mm)) out.thinnest = cut.thinnest;
    out.parts.push_back({std::move(cut), b.solid});
  }
  return out;
}

void drawSection(Paper& p, const QRectF& place, const SheetSection& s, const Section& made, const Figures& f) {
  p.text({place.x(), place.y(), place.width(), 5}, QString::fromStdString(s.name), 9, Qt::AlignLeft, true);
  if (made.parts.empty()) return p.text({place.x(), place.y() + 6, place.width(), 5}, tr("It meets nothing that is in sight."), 7.5, Qt::AlignLeft, false, Paper::Tone::Soft);
  const Vec2 size = made.high - made.low;
  const QSizeF room(place.width() - kLeft - kRight, place.height() - 5 - kTop - kBelow - 5);
  const Scale scale = largestScale([&](double k) { return size.x() * k <= room.width() && size.y() * k <= room.height(); });
  const double k = scale.paperPerMm;
  const QRectF box(place.x() + kLeft, place.y() + 5 + kTop + 0.5 * (room.height() - size.y() * k), size.x() * k, size.y() * k);
  const auto onPaper = [&](const Vec2& q) { return QPointF(box.x() + (q.x() - made.low.x()) * k, box.bottom() - (q.y() - made.low.y()) * k); };
  const auto inPlane = [&](const Vec3& q) { return Vec2(s.plane.local(q).head<2>()); };
  int number = 0;
  for (const Section::Part& part : made.parts) {
    QPainterPath path;
    for (const inspect::CutLine& line : part.cut.lines) {
      QPolygonF polygon;
      for (const Vec3& q : line.points) polygon << onPaper(inPlane(q));
      path.addPolygon(polygon);
      if (line.closed) path.closeSubpath();
    }
    p.outline(path, part.solid ? std::optional(number++ % 2 == 0 ? 45.0 : -45.0) : std::nullopt);
  }
  QString words = tr("at %1").arg(QString::fromStdString(scale.name));
  if (made.areaMm2 > 0) words += tr(", material %1").arg(f.area(made.areaMm2));
  if (made.thinnest) {
    p.line(onPaper(inPlane(made.thinnest->from)), onPaper(inPlane(made.thinnest->to)), 1.2);
    words += tr(", thinnest %1 (bold)").arg(f.length(made.thinnest->mm));
  }
  p.text({place.x(), place.bottom() - 5, place.width(), 5}, words, 7.5, Qt::AlignLeft, false, Paper::Tone::Soft);
  p.dimension(box.bottomLeft() + QPointF(-5, 0), box.topLeft() + QPointF(-5, 0), f.length(size.y()));
  p.dimension(box.bottomLeft() + QPointF(0, 8), box.bottomRight() + QPointF(0, 8), f.length(size.x()));
}

} // namespace

std::vector<SheetSection> sectionPlanes(const recipe::Model& model, const scene::LensState& lens) {
  std::vector<SheetSection> out;
  for (const auto& s : model.recipe->steps) {
    const recipe::StepResult* r = model.result(s->id);
    if (!r || !r->outcome || r->status != recipe::Status::Ok) continue;
    for (const recipe::Output& o : r->outcome->outputs)
      if (const auto* plane = std::get_if<recipe::PlaneObject>(&o.object)) out.push_back({s->label + (o.name.empty() ? "" : " " + o.name), plane->frame});
  }
  if (scene::isOn(lens, scene::CutLook::kLens)) {
    const auto& look = lens.look<scene::CutLook>();
    for (int k = 0; k < look.count; ++k) out.push_back({look.count == 1 ? "as the lens Cut stands" : fmt::format("as the lens Cut stands, {}", k + 1), look.at(k)});
  }
  const auto scene = scene::draw(model, scene::Quality::Moving, nullptr);
  const Vec3 middle = 0.5 * (scene->low + scene->high);
  for (int axis = 0; axis < 3; ++axis) out.push_back({fmt::format("through the middle, across {}", "xyz"[axis]), across(axis, middle[axis])});
  return out;
}

Expected<SheetSection> sectionFor(const std::string& words, const recipe::Model& model) {
  for (const SheetSection& s : sectionPlanes(model, {}))
    if (s.name == words) return s;
  for (const auto& s : model.recipe->steps)
    if (s->id == words)
      if (const recipe::StepResult* r = model.result(words); r && r->outcome && r->status == recipe::Status::Ok)
        for (const recipe::Output& o : r->outcome->outputs)
          if (const auto* plane = std::get_if<recipe::PlaneObject>(&o.object)) return SheetSection{s->label, plane->frame};
  const auto eq = words.find('=');
  const auto axis = std::string("xyz").find(words.substr(0, eq));
  if (eq == 1 && axis != std::string::npos) {
    const auto at = recipe::evaluate(words.substr(2), Dimension::Length, model.namesBefore(""));
    if (at) return SheetSection{fmt::format("{} = {:g} mm", words[0], at->value), across(int(axis), at->value)};
  }
  return fail(problem("LM-D007", "there is no plane '" + words + "' for a section").tryThis("name a plane of the recipe, or x=12.5"));
}

void drawSections(Paper& p, const recipe::Model& model, const std::vector<SheetSection>& sections, const Figures& figures, const Context& cx) {
  if (sections.empty()) return;
  const auto scene = scene::draw(model, scene::Quality::Fine, nullptr);
  const double wide = 0.5 * (p.width() - kBetween);
  p.need(kTall + 12); // the first ones under their heading
  p.heading(tr("Sections"));
  double y = p.y();
  for (size_t k = 0; k < sections.size() && !cx.stopped(); ++k) {
    if (k % 2 == 0 && k > 0) {
      p.setY(y + kTall + kBetween);
      p.need(kTall);
      y = p.y();
    }
    drawSection(p, {k % 2 == 0 ? 0 : wide + kBetween, y, wide, kTall}, sections[k], sectionOf(*scene, sections[k].plane, cx), figures);
  }
  p.setY(y + kTall + kBetween);
}

} // namespace lumsk::sheet
