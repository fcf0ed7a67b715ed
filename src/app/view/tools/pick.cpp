// Picking: what lies under the pointer, in a box, along a chain.
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "scene/pick_many.h"

#include <QColorDialog>
#include <QKeyEvent>
#include <QMenu>

namespace lumsk::app::tools {

using recipe::Kind;

namespace {

class Pick : public Tool {
public:
  using Tool::Tool;

  void hover(const Pointer& p, const Mark* mark, Hover& h) override {
    last_ = p.at;
    if (mark)
      under_.clear();
    else
      look(p.at);
    if (under_.empty() || h.lit) return;
    const scene::Hit& hit = chosen();
    h.lit = scene::Highlight{hit.kind, hit.step, hit.part};
    if (h.label.isEmpty()) h.label = labelOf(hit, true);
  }

  void leave() override { under_.clear(); }

  bool grab(const Pointer& p, const Mark* mark) override {
    return !mark && p.button == Qt::LeftButton && p.keys & Qt::AltModifier;
  }
  void drag(const Pointer& p) override { view().showBox(QRectF(p.pressed, p.at).normalized()); }
  void cancel() override { view().showBox({}); }
  void letGo(const Pointer& p) override {
    view().showBox({});
    const auto hits = scene::pickInside(*work().scene(), view().camera(), {p.pressed.x(), p.pressed.y()},
                                        {p.at.x(), p.at.y()}, work().focus().wanted());
    if (hits.empty()) emit work().told(ViewWidget::tr("nothing that can be picked now lies whole in the box"));
    work().focus().pickAll(hits);
  }

  bool click(const Pointer& p, const Mark* mark) override {
    if (mark || p.button != Qt::LeftButton) return false;
    look(p.at);
    const bool more = p.keys & Qt::ControlModifier;
    if (!under_.empty())
      work().focus().pick(chosen(), more);
    else if (!more && !work().focus().selection().empty())
      work().focus().clearSelection();
    return true;
  }

  bool doubleClick(const Pointer& p, const Mark*) override {
    look(p.at);
    if (!under_.empty() && chosen().kind == Kind::Edge) return pickChain(chosen()), true;
    if (under_.empty() && work().focus().wanted() != Kind::None) return view().fitAll(), true;
    return false;
  }

  /// Tab goes through what lies under the pointer.
  bool keyPressed(const QKeyEvent& e) override {
    if (e.key() != Qt::Key_Tab || under_.empty()) return false;
    ++cycle_;
    view().say(labelOf(chosen(), false), last_);
    view().lightUp(scene::Highlight{chosen().kind, chosen().step, chosen().part});
    return true;
  }

  void addActions(QMenu& menu) override {
    if (under_.empty()) return;
    const scene::Hit hit = chosen();
    const auto add = [&](const QString& words, std::function<void()> done) {
      menu.addAction(words, &view(), std::move(done));
    };
    if (hit.kind == Kind::Edge) {
      add(ViewWidget::tr("Pick its tangent chain"), [this, hit] { pickChain(hit); });
      add(ViewWidget::tr("Pick similar edges"), [this, hit] { pickSimilar(hit); });
    }
    if (const int n = work().focus().curvesOf(hit.step); n > 1 && hit.kind == Kind::Curve) {
      scene::Hit all = hit;
      all.part.clear();
      add(ViewWidget::tr("Pick all %1 curves of %2").arg(n).arg(QString::fromStdString(hit.label)),
          [this, all] { work().focus().pick(all, true); });
    }
    add(ViewWidget::tr("Pick %1").arg(QString::fromStdString(hit.label)), [this, hit] { work().focus().pick(hit, true); });
    if (hit.kind == Kind::Face) {
      // Of all picked ones where it is one of them.
      std::vector<scene::Hit> faces = work().focus().selection();
      if (std::none_of(faces.begin(), faces.end(), [&](const scene::Hit& h) { return recipe::same(h, hit); })) faces = {hit};
      add(ViewWidget::tr("Colour of this face"), [this, faces] {
        const QColor c = QColorDialog::getColor(QColor("#F3EEE4"), &view(), ViewWidget::tr("Colour of the face"));
        if (c.isValid()) work().steps().colourFaces(faces, c.name().toStdString());
      });
      if (work().steps().hasOwnColour(hit)) add(ViewWidget::tr("Its body's colour again"), [this, faces] { work().steps().colourFaces(faces, {}); });
    }
    if (hit.step != "world" && (hit.kind == Kind::Curve || hit.kind == Kind::Face))
      add(ViewWidget::tr("Iron out"), [this, hit] {
        const auto& picked = work().focus().selection();
        if (std::none_of(picked.begin(), picked.end(), [&](const scene::Hit& h) { return recipe::same(h, hit); })) work().focus().pick(hit, false);
        emit work().ironWanted();
      });
    if (hit.step != "world") {
      add(ViewWidget::tr("Open its step"), [this, hit] { work().focus().unfold(hit.step); });
      add(ViewWidget::tr("Out of sight"), [this, hit] {
        std::string id = hit.step;
        for (const auto& b : work().model()->bodies)
          if (b.step == hit.step) id = b.id;
        work().steps().setVisible({id}, false);
      });
    }
    menu.addSeparator();
  }

private:
  const scene::Hit& chosen() const { return under_[cycle_ % under_.size()]; }

  void look(QPointF p) {
    auto hits = scene::pickAt(*work().scene(), view().camera(), p.x(), p.y(), work().focus().wanted());
    hits.erase(std::remove_if(hits.begin(), hits.end(), [&](const scene::Hit& h) { return !work().focus().canMean(h); }), hits.end());
    if (const auto* f = work().focus().activeField(); f && f->preferred != Kind::None)
      std::stable_partition(hits.begin(), hits.end(),
                            [&](const scene::Hit& h) { return recipe::has(f->preferred, h.kind); });
    // What is wanted itself comes before edges from which it would be made; lone curves are seldom hit by chance.
    std::stable_partition(hits.begin(), hits.end(), [&](const scene::Hit& h) { return h.kind != recipe::Kind::Edge || !work().focus().madeBy(h); });
    const bool sameAsBefore =
        hits.size() == under_.size() && std::equal(hits.begin(), hits.end(), under_.begin(), recipe::same);
    under_ = std::move(hits);
    if (!sameAsBefore) cycle_ = 0;
  }

  QString labelOf(const scene::Hit& h, bool more) const {
    QString label = QString::fromStdString(h.label);
    if (const recipe::Step* made = work().focus().madeBy(h)) label = ViewWidget::tr("%1 here: %2").arg(said(made->label), label);
    if (more && under_.size() > 1) label += ViewWidget::tr("  (Tab: %1 more)").arg(under_.size() - 1);
    return label;
  }

  void pickChain(const scene::Hit& edge) {
    work().focus().pickChain(edge, scene::tangentChain(*work().scene(), edge, work().recipe().tolerances.corner));
  }

  void pickSimilar(const scene::Hit& edge) {
    for (const auto& b : work().scene()->bodies)
      if (b.step == edge.step) {
        const auto figures = work().results().figuresOf(b.body); // of a fresh body they may not be there yet
        return work().focus().pickAll(scene::similarEdges(*work().scene(), edge, figures ? figures->joins : inspect::joins(*b.body, work().recipe().tolerances)));
      }
  }

  std::vector<scene::Hit> under_;
  size_t cycle_ = 0;
  QPointF last_;
};

} // namespace

std::unique_ptr<Tool> pick(ViewWidget& view) { return std::make_unique<Pick>(view); }

} // namespace lumsk::app::tools
