// Problems and notes, where they are.
#include "app/theme.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"

namespace lumsk::app::tools {

namespace {

void paintProblem(MarkPainter& mp, const Mark& m) {
  mp.painter.setPen(QPen(Qt::white, 1.5));
  mp.painter.setBrush(tones().attention);
  mp.painter.drawPolygon(QPolygonF{m.at + QPointF(0, -9), m.at + QPointF(9, 7), m.at + QPointF(-9, 7)});
  if (m.index == 0) mp.label(m.at, m.text, tones().attentionText, tones().attention);
}

void paintNote(MarkPainter& mp, const Mark& m) {
  mp.painter.setPen(QPen(Qt::white, 1.5));
  mp.painter.setBrush(tones().caution);
  mp.painter.drawPolygon(
      QPolygonF{m.at + QPointF(0, -8), m.at + QPointF(8, 0), m.at + QPointF(0, 8), m.at + QPointF(-8, 0)});
  if (m.index == 0) mp.label(m.at, m.text, tones().text, tones().caution);
}

constexpr MarkKind kProblem{"problem", false, false, paintProblem}, kNote{"note", false, false, paintNote};

class Told : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    for (const auto& s : work().recipe().steps)
      if (const auto* r = work().model()->result(s->id); r && r->status == recipe::Status::Failed && r->problem)
        add(*r->problem, kProblem, s->id, o);
    const auto* r = work().model()->result(work().focus().open());
    if (r && r->outcome && r->status == recipe::Status::Ok)
      for (const Problem& note : r->outcome->notes) add(note, kNote, work().focus().open(), o);
  }

private:
  /// Once for each place; the sentence stands at the first one only.
  void add(const Problem& p, const MarkKind& kind, const std::string& step, Offer& o) {
    for (const Vec3& at : p.where) {
      Mark m{&kind, pixelOf(view().camera(), at)};
      m.text = said(p);
      m.world = at;
      m.step = step;
      m.tool = this;
      m.index = size_t(&at - p.where.data());
      const bool known = std::any_of(o.marks.begin(), o.marks.end(), [&](const Mark& other) {
        return other.text == m.text && other.world == m.world && other.kind == m.kind;
      });
      if (!known) o.marks.push_back(m);
    }
  }
};

} // namespace

std::unique_ptr<Tool> told(ViewWidget& view) { return std::make_unique<Told>(view); }

} // namespace lumsk::app::tools
