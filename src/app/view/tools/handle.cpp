// Handles: a quantity of the open step, dragged along its direction or written beside it.
#include "app/field_editors.h"
#include "app/preferences.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "recipe/edit.h"

#include <QKeyEvent>
#include <QLineEdit>
#include <QPointer>

namespace lumsk::app::tools {

namespace {

constexpr MarkKind kHandle{"handle", true, true, paintKnob};
constexpr double kFromFoot = 24, kMovedOut = 40; ///< pixels: nearer to its foot it is moved out, to be grabbed
constexpr double kAsGoodAsMost = 0.995;

class HandleTool : public Tool {
public:
  using Tool::Tool;
  ~HandleTool() override { delete editor_; } // which would still call it

  void offer(Offer& o) override {
    shown_.clear();
    const auto* entry = work().recipe().find(work().focus().open());
    const recipe::Outcome* outcome = entry ? openOutcome() : nullptr;
    if (!outcome) return;
    const auto names = work().focus().names();
    const scene::Camera c = view().camera();
    for (const auto& h : outcome->marks.all<recipe::HandlePlace>()) {
      const recipe::ItemRef ref{entry->id, h.field, h.item, h.key};
      const recipe::Field* f = recipe::fieldOf(ref, work().recipe(), work().registry());
      const auto& schema = work().registry().schemaOf(entry->kind);
      if (!f || (h.item.empty() && !recipe::applies(*f, schema, *entry->inputs))) continue;
      const double v = recipe::numberAt(ref, *f, work().recipe(), names);
      Mark m = markAt(kHandle, h.at, ref, shown_.size());
      m.from = m.at;
      m.at = pixelOf(c, h.at + h.direction * (v * h.mmPerUnit));
      m.text = said(f->label).toLower() + " " + shown({v, f->dimension});
      const double high = h.most > 0 ? std::min(f->high, h.most) : f->high;
      if (h.most > 0 && v >= kAsGoodAsMost * h.most) m.text += ", " + ViewWidget::tr("the most that fits");
      const QPointF d = m.at - m.from;
      if (std::hypot(d.x(), d.y()) < kFromFoot) {
        const QPointF out = pixelOf(c, h.at + h.direction * c.pixelSize(h.at) * kMovedOut) - m.from;
        const double l = std::hypot(out.x(), out.y());
        m.at = m.from + (l > 4 ? out * (kMovedOut / l) : QPointF(28, -28));
      }
      shown_.push_back({ref, h, f->low, high, v, said(f->label).toLower()});
      o.marks.push_back(m);
    }
  }

  bool click(const Pointer&, const Mark* mark) override { return mark && mark->tool == this; }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    held_ = shown_[mark->index];
    return true;
  }
  void drag(const Pointer& p) override {
    const scene::Camera c = view().camera();
    const double moved = alongAxis(held_.place.at, held_.place.direction, rayThrough(c, p.at)) -
                         alongAxis(held_.place.at, held_.place.direction, rayThrough(c, p.pressed));
    work().session().dragTo(recipe::withNumber(
        work().recipe(), held_.ref, std::min(held_.high, tidy(std::clamp(held_.value + moved / held_.place.mmPerUnit, held_.low, held_.high)))));
  }
  void letGo(const Pointer&) override { work().session().endDrag(ViewWidget::tr("drag %1").arg(held_.label)); }

  bool doubleClick(const Pointer&, const Mark* mark) override {
    if (!mark || mark->tool != this) return false;
    edit(shown_[mark->index].ref, mark->at);
    return true;
  }

  bool keyPressed(const QKeyEvent& e) override {
    if (e.key() != Qt::Key_Escape || !editor_) return false;
    closeEditor();
    return true;
  }

private:
  struct Shown {
    recipe::ItemRef ref;
    recipe::HandlePlace place;
    double low = 0, high = 0, value = 0;
    QString label;
  };

  void edit(const recipe::ItemRef& ref, QPointF at) {
    const recipe::Field* f = recipe::fieldOf(ref, work().recipe(), work().registry());
    if (!f) return;
    closeEditor();
    editor_ = new QuantityEditor(*f, work());
    editor_->setParent(&view());
    editor_->setObjectName("handle-editor");
    editor_->setValue(recipe::valueAt(ref, *f, work().recipe()));
    editor_->setGeometry(int(at.x()) + 12, int(at.y()) - 15, 130, 30);
    editor_->show();
    auto* line = editor_->findChild<QLineEdit*>();
    line->setFocus();
    line->selectAll();
    QObject::connect(editor_, &FieldEditor::changed, &view(), [this, ref, label = said(f->label).toLower()](const json& v) {
      work().session().edit(recipe::withValue(work().recipe(), ref, v), ViewWidget::tr("set %1").arg(label));
      closeEditor();
    });
    QObject::connect(editor_, &FieldEditor::enterAgain, &view(), [this] { closeEditor(); });
    // Left without a change, or with a text that is no number, it closes; the value before stays.
    QObject::connect(line, &QLineEdit::editingFinished, &view(), [this, line] {
      if (!line->hasFocus()) closeEditor();
    });
  }

  void closeEditor() {
    if (!editor_) return;
    editor_->hide();
    editor_->deleteLater();
    editor_ = nullptr;
    view().setFocus();
  }

  std::vector<Shown> shown_;
  Shown held_;
  QPointer<FieldEditor> editor_;
};

} // namespace

std::unique_ptr<Tool> handle(ViewWidget& view) { return std::make_unique<HandleTool>(view); }

} // namespace lumsk::app::tools
