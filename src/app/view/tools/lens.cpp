// Lenses: the plane of a cut and the direction of isophotes and draft are dragged in the view; what is under the pointer
// is measured; a key that is held turns a lens on until it is let go.
#include "app/preferences.h"
#include "app/view/rays.h"
#include "app/view/tool.h"
#include "app/view/view_widget.h"
#include "app/words.h"
#include "scene/lenses/cut/cut.h"

#include <QKeyEvent>

namespace lumsk::app::tools {

namespace {

/// A dot in front of the form, as large and as red as its share, and words beside it.
void paintWords(MarkPainter& p, const Mark& m) {
  const double share = m.group / 100.0, r = 3.5 + 3 * share;
  const auto c = scene::fieldColour(0.5 + 0.5 * share);
  p.painter.setPen(QPen(tones().ink, 1));
  p.painter.setBrush(QColor::fromRgbF(float(c[0]), float(c[1]), float(c[2])));
  p.painter.drawEllipse(m.at, r, r);
  p.keepFree(QRectF(m.at - QPointF(r, r), m.at + QPointF(r, r)));
  p.label(m.at, m.text, tones().text, tones().border);
}

constexpr MarkKind kWords{"words", false, false, paintWords};
constexpr MarkKind kCut{"cut", true, true, paintKnob}, kDirection{"direction", true, true, paintKnob};
constexpr double kDirectionPixels = 90; ///< length of a direction
constexpr double kCutPixels = 46;   ///< of a cut's

class Lens : public Tool {
public:
  using Tool::Tool;

  void offer(Offer& o) override {
    if (!work().scene()) return;
    if (scene::isOn(view().lens(), scene::CutLook::kLens)) o.marks.push_back(cutMark());
    if (const auto d = scene::directionOf(view().lens()); d && peeking_ == 0) o.marks.push_back(directionMark(*d));
    for (const auto& w : wordsShown()) {
      Mark m{&kWords, pixelOf(view().camera(), w.at)};
      m.text = QString::fromStdString(w.text);
      m.group = int(100 * w.share);
      m.world = w.at;
      m.tool = this;
      o.marks.push_back(std::move(m));
    }
  }

  void hover(const Pointer& p, const Mark*, Hover&) override {
    view().probe(p.at);
    if (!hasWords()) return;
    const auto hits = scene::pickAt(*work().scene(), view().camera(), p.at.x(), p.at.y(), recipe::Kind::Skin | recipe::Kind::Solid);
    std::string body;
    if (!hits.empty())
      for (const auto& b : work().scene()->bodies)
        if (b.step == hits.front().step) body = b.id;
    if (body == pointed_) return;
    pointed_ = body;
    view().remark();
  }

  bool click(const Pointer&, const Mark* mark) override { return mark && mark->tool == this; }

  bool grab(const Pointer& p, const Mark* mark) override {
    if (!isMine(p, mark)) return false;
    held_ = *mark;
    axis_ = mark->kind == &kCut ? cutting().at(0).normal() : *scene::directionOf(view().lens());
    offsetMm_ = cutting().offsetMm;
    return true;
  }

  void drag(const Pointer& p) override {
    view().setPulling(true);
    const scene::Camera c = view().camera();
    if (held_.kind == &kCut)
      return emit view().cutMoved(tidy(offsetMm_ + alongAxis(held_.world, axis_, rayThrough(c, p.at)) -
                                       alongAxis(held_.world, axis_, rayThrough(c, p.pressed))));
    // As if a ball about the form's middle were held at the tip, on the side of it that was grabbed.
    Vec2 off = Vec2(p.at.x() - held_.from.x(), held_.from.y() - p.at.y()) / kDirectionPixels;
    if (off.norm() > 1) off.normalize();
    const double deep = std::sqrt(std::max(0.0, 1 - off.squaredNorm())) * (axis_.dot(c.direction) < 0 ? -1 : 1);
    emit view().directionPulled(off.x() * c.direction.cross(c.up) + off.y() * c.up + deep * c.direction);
  }

  void letGo(const Pointer&) override { view().setPulling(false); }
  void cancel() override { view().setPulling(false); }

  bool keyPressed(const QKeyEvent& e) override {
    return e.modifiers() == Qt::NoModifier && peek(e.key(), true);
  }
  bool keyReleased(const QKeyEvent& e) override { return peek(e.key(), false); }

private:
  const scene::CutLook& cutting() const { return view().lens().look<scene::CutLook>(); }

  /// As long as what the lenses found is what is asked for now.
  bool hasWords() const {
    const auto& found = view().lensResult();
    return found && !found->art.words.empty() && found->lens.over == view().lens().over;
  }
  /// Of the body under the pointer; before it points at one, of the only one that has some.
  std::vector<scene::LensArt::Words> wordsShown() const {
    if (!hasWords()) return {};
    const auto& all = view().lensResult()->art.words;
    const bool one = std::all_of(all.begin(), all.end(), [&](const auto& w) { return w.body == all.front().body; });
    std::vector<scene::LensArt::Words> out;
    for (const auto& w : all)
      if (w.body == pointed_ || (one && pointed_.empty())) out.push_back(w);
    return out;
  }

  /// An arrow of one length from the middle of the form, which is turned by its tip.
  Mark directionMark(const Vec3& d) {
    const scene::Camera c = view().camera();
    Mark m{&kDirection, {}};
    m.world = 0.5 * (work().scene()->low + work().scene()->high);
    m.from = pixelOf(c, m.world);
    m.at = m.from + kDirectionPixels * QPointF(d.dot(c.direction.cross(c.up)), -d.dot(c.up));
    m.text = said(scene::surfaceLensOf(view().lens()).directionWord());
    m.tool = this;
    return m;
  }

  Mark cutMark() {
    const Frame plane = cutting().at(0);
    const scene::Scene& d = *work().scene();
    const Vec3 middle = 0.5 * (d.low + d.high), half = 0.5 * (d.high - d.low), n = plane.normal();
    const scene::Camera c = view().camera();
    // Where the plane leaves the form's box uppermost, as seen: there nothing hides it.
    Mark m{&kCut, {}};
    double top = 1e300;
    for (int k = 0; k < 6; ++k) {
      Vec3 p = middle;
      p[k / 2] += (k % 2 ? 1 : -1) * half[k / 2];
      p -= plane.local(p).z() * n;
      if (const double y = pixelOf(c, p).y(); y < top) top = y, m.world = p;
    }
    m.from = pixelOf(c, m.world);
    const QPointF out = pixelOf(c, m.world + n * c.pixelSize(m.world) * kCutPixels) - m.from;
    const double l = std::hypot(out.x(), out.y());
    m.at = m.from + (l > 4 ? out * (kCutPixels / l) : QPointF(32, -32));
    m.text = ViewWidget::tr("cut at %1").arg(shownLength(cutting().offsetMm));
    m.tool = this;
    return m;
  }

  bool peek(int key, bool on) {
    const auto& all = scene::lenses();
    const auto kind = std::find_if(all.begin(), all.end(), [&](const auto& l) { return l->peek() && int(l->peek()) == key; });
    if (kind == all.end()) return false; // keys of letters are their capitals
    if (on && peeking_ == 0) {
      peeking_ = key;
      beforePeek_ = view().lens();
      scene::LensState l = view().lens();
      scene::turnOn(l, (*kind)->key(), true);
      view().setLens(l);
    } else if (!on && peeking_ == key) {
      peeking_ = 0;
      // Only what the key turned on goes; a setting that was changed meanwhile stays.
      scene::LensState back = view().lens();
      scene::turnOn(back, (*kind)->key(), false);
      for (const auto& l : all)
        if (const bool was = scene::isOn(beforePeek_, l->key()); was != scene::isOn(back, l->key()))
          scene::turnOn(back, l->key(), was);
      view().setLens(back);
    }
    return true;
  }

  Mark held_{&kCut, {}};
  Vec3 axis_ = Vec3::Zero();
  double offsetMm_ = 0;
  scene::LensState beforePeek_;
  int peeking_ = 0;
  std::string pointed_; ///< id of the body under the pointer, as long as words are shown
};

} // namespace

std::unique_ptr<Tool> lens(ViewWidget& view) { return std::make_unique<Lens>(view); }

} // namespace lumsk::app::tools
