// Pieces of what the open step cuts: a click on a piece, or on its mark, keeps it or takes it away.
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "recipe/edit.h"

namespace lumsk::app::tools {

namespace {

/// A tick for what stays, a cross for what goes: not by their colours alone.
void paintPiece(MarkPainter& mp, const Mark& m) {
  QPainter& p = mp.painter;
  p.setPen(QPen(tones().text, 1));
  p.drawLine(m.from, m.at); // where it is, when it made room
  p.setPen(QPen(Qt::white, 1.5));
  p.setBrush(m.strong ? tones().accent : tones().text);
  p.drawEllipse(m.at, 9, 9);
  p.setPen(QPen(Qt::white, 2, Qt::SolidLine, Qt::RoundCap, Qt::RoundJoin));
  if (m.strong)
    p.drawPolyline(QPolygonF{m.at + QPointF(-4, 0), m.at + QPointF(-1, 3.5), m.at + QPointF(4.5, -3.5)});
  else
    for (int side : {-1, 1}) p.drawLine(m.at + QPointF(-3.5, -3.5 * side), m.at + QPointF(3.5, 3.5 * side));
}

constexpr MarkKind kPiece{"piece", true, true, paintPiece};

/// How far along a line of sight a triangle is met; nothing where it is missed (Moeller & Trumbore 1997).
std::optional<double> met(const Ray& ray, const Vec3& a, const Vec3& b, const Vec3& c) {
  const Vec3 e = b - a, f = c - a, p = ray.second.cross(f), s = ray.first - a;
  const double det = e.dot(p);
  if (std::abs(det) < 1e-15) return {};
  const double u = s.dot(p) / det, v = ray.second.dot(s.cross(e)) / det;
  if (u < 0 || v < 0 || u + v > 1) return {};
  return f.dot(s.cross(e)) / det;
}

class RegionTool : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    shown_.clear();
    const recipe::Outcome* outcome = openOutcome();
    if (!outcome) return;
    shown_ = outcome->marks.all<recipe::Region>();
    for (size_t i = 0; i < shown_.size(); ++i) {
      const recipe::Region& r = shown_[i];
      Mark m = markAt(kPiece, r.at, {work().focus().open(), r.field, r.row, ""}, i);
      m.from = m.at;
      m.strong = r.kept;
      o.marks.push_back(m);
      QColor c = r.kept ? tones().accent : tones().text;
      c.setAlpha(r.kept ? 46 : 70);
      o.tints.push_back({r.triangles, c});
    }
  }

  void hover(const Pointer& p, const Mark* mark, Hover& h) override {
    const int i = mark ? (mark->tool == this ? int(mark->index) : -1) : under(p.at);
    if (i >= 0 && h.label.isEmpty())
      h.label = shown_[size_t(i)].kept ? ViewWidget::tr("stays: click to take it away") : ViewWidget::tr("goes: click to keep it");
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (p.button != Qt::LeftButton || (mark && mark->tool != this)) return false;
    const int i = mark ? int(mark->index) : under(p.at);
    if (i < 0) return false;
    work().session().edit(recipe::withPieceTurned(work().recipe(), work().focus().open(), shown_, size_t(i)),
                          shown_[size_t(i)].kept ? ViewWidget::tr("take a piece away") : ViewWidget::tr("keep a piece"));
    return true;
  }

private:
  /// The piece under the pointer; -1 where there is something to be picked for the field that has the focus.
  int under(QPointF p) const {
    if (shown_.empty()) return -1;
    const recipe::Kind wanted = work().focus().wanted();
    if (wanted != recipe::Kind::None) // planes reach far: what lies on them is meant before they are
      if (const auto hits = scene::pickAt(*work().scene(), view().camera(), p.x(), p.y(), wanted);
          !hits.empty() && hits.front().kind != recipe::Kind::Plane)
        return -1;
    const Ray ray = rayThrough(view().camera(), p);
    int best = -1;
    double nearest = 1e300;
    for (size_t i = 0; i < shown_.size(); ++i)
      for (size_t k = 0; k + 2 < shown_[i].triangles.size(); k += 3)
        if (const auto d = met(ray, shown_[i].triangles[k], shown_[i].triangles[k + 1], shown_[i].triangles[k + 2]); d && *d < nearest)
          nearest = *d, best = int(i);
    return best;
  }

  std::vector<recipe::Region> shown_;
};

} // namespace

std::unique_ptr<Tool> region(ViewWidget& view) { return std::make_unique<RegionTool>(view); }

} // namespace lumsk::app::tools
