#include "app/ways_tray.h"

#include "app/preferences.h"
#include "app/view/view_widget.h"
#include "app/widgets.h"
#include "app/words.h"

#include <QEvent>
#include <QKeyEvent>
#include <QLabel>
#include <QMouseEvent>
#include <QScrollArea>
#include <QStyle>
#include <QTimer>
#include <QVBoxLayout>
#include <chrono>
#include <nlohmann/json.hpp>

namespace lumsk::app {

namespace {

constexpr QSize kPicture(184, 104);

/// Points of the faces that a way has made: not of the body that it was joined to.
std::vector<Vec3> pointsOf(const recipe::Way& way, const scene::Scene& scene) {
  std::vector<Vec3> out;
  for (const auto& b : scene.bodies)
    for (const auto& f : b.faces)
      if (f->face.rfind(way.step->id + ".", 0) == 0) out.insert(out.end(), f->points.begin(), f->points.end());
  return out;
}

/// The model with a way as its last step, drawn, and seen through a lens.
TriedWay tried(recipe::Way way, const recipe::Model& model, const scene::Scene* before, const scene::LensState& lens,
               const Context& cx) {
  recipe::Model with = model;
  recipe::Recipe r = *model.recipe;
  r.steps.push_back(way.step);
  with.recipe = std::make_shared<const recipe::Recipe>(std::move(r));
  with.results[way.step->id] = way.result;
  recipe::collectBodies(with);
  TriedWay out;
  // Alone: what else there is would hide it.
  auto alone = std::make_shared<scene::Scene>(*scene::draw(with, scene::Quality::Moving, before));
  const auto others = [&](const auto& one) { return one.step != way.step->id; };
  alone->bodies.erase(std::remove_if(alone->bodies.begin(), alone->bodies.end(), others), alone->bodies.end());
  alone->otherHalves.clear();
  alone->otherCurves.clear();
  alone->curves.clear();
  alone->points.clear();
  alone->ghosts.clear();
  alone->pictures.clear();
  alone->low = Vec3::Constant(1e300), alone->high = -alone->low;
  for (const Vec3& p : pointsOf(way, *alone)) alone->low = alone->low.cwiseMin(p), alone->high = alone->high.cwiseMax(p);
  out.scene = alone;
  if (lens.needsWork())
    out.lensResult = std::make_shared<const scene::LensResult>(scene::LensWork().make(out.scene, lens, true, cx));
  out.way = std::move(way);
  return out;
}

} // namespace

WaysTray::WaysTray(Workspace& w, ViewWidget& view)
    : w_(w), view_(view), title_(toned(tr("Ways"), "head")), reason_(toned({}, "soft")), unfit_(toned({}, "soft")),
      scroll_(new QScrollArea), cards_(new QHBoxLayout) {
  setObjectName("ways");
  setAccessibleName(tr("ways to make a skin through the same curves"));
  setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 8, 12, 8);
  row->setSpacing(12);
  auto* words = new QVBoxLayout;
  words->setSpacing(6);
  for (QLabel* l : {title_, reason_, unfit_}) {
    l->setWordWrap(true);
    l->setFixedWidth(176);
    words->addWidget(l);
  }
  auto* keys = toned(tr("Left and Right show another one, Enter keeps it, Esc goes back"), "soft");
  keys->setWordWrap(true);
  keys->setFixedWidth(176);
  words->addStretch();
  words->addWidget(keys);
  row->addLayout(words);
  cards_->setSpacing(8);
  auto* inside = new QWidget;
  auto* all = new QHBoxLayout(inside);
  all->setContentsMargins(0, 0, 0, 0);
  all->addLayout(cards_);
  all->addStretch();
  scroll_->setWidget(inside);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setVerticalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  scroll_->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Preferred);
  row->addWidget(scroll_, 1);
  hide();
  view_.installEventFilter(this);
  connect(&w_, &Workspace::waysWanted, this, &WaysTray::open);
  connect(&w_.focus(), &Focus::focusChanged, this, [this] {
    if (isVisible() && !busy_ && w_.session().draft().empty()) end(); // kept, or dropped
  });
  connect(&w_.file(), &ProjectFile::projectReplaced, this, &WaysTray::end);
}

void WaysTray::open() {
  const json picks = w_.focus().picksForWays();
  const std::string of = w_.focus().open();
  if (picks.empty()) return void(emit w_.told(tr("pick curves or edges first, or one edge of an opening; a row that fills several openings has no other ways")));
  if (isVisible()) giveUp();
  inPlaceOf_ = of;
  start(picks);
}

void WaysTray::start(const json& picks) {
  clear();
  busy_ = true;
  title_->setText(tr("Trying ways"));
  QFrame::show();
  const recipe::ModelPtr now = w_.model();
  const auto model = std::make_shared<const recipe::Model>(
      inPlaceOf_.empty() ? *now : recipe::modelBefore(*now, inPlaceOf_));
  const recipe::Registry& registry = w_.registry();
  using Tried = std::pair<std::vector<TriedWay>, double>;
  work_.run<Tried>(
      [picks, model, &registry, before = w_.scene(), lens = view_.lens()](Context cx) {
        const auto begin = std::chrono::steady_clock::now();
        cx.progress = {};
        cx.tolerances = model->recipe->tolerances;
        std::vector<TriedWay> all;
        for (recipe::Way& w : recipe::tryWays(picks, *model, registry, cx)) {
          if (cx.stopped()) break;
          if (w.fits())
            all.push_back(tried(std::move(w), *model, before.get(), lens, cx));
          else
            all.push_back({std::move(w), nullptr, nullptr});
        }
        return Tried{std::move(all), std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count()};
      },
      [this](Tried tried) {
        if (isVisible() && busy_) finished(std::move(tried.first), tried.second);
      });
}

void WaysTray::finished(std::vector<TriedWay> all, double seconds) {
  busy_ = false;
  QStringList unfit;
  for (TriedWay& t : all) {
    if (t.way.fits())
      ways_.push_back(std::move(t));
    else if (t.way.result.problem)
      unfit << tr("%1: %2").arg(said(t.way.name), said(t.way.result.problem->what));
  }
  title_->setText(ways_.empty() ? tr("No way fits") : tr("%1 ways in %2 s").arg(ways_.size()).arg(seconds, 0, 'f', 2));
  reason_->setText(ways_.empty() ? QString() : tr("%1: %2").arg(said(ways_[0].way.name), said(ways_[0].way.reason)));
  QString shortly = unfit.join("\n");
  if (shortly.size() > 150) shortly = shortly.left(147) + QStringLiteral("…");
  unfit_->setText(shortly);
  unfit_->setToolTip(unfit.join("\n"));
  for (int i = 0; i < int(ways_.size()); ++i) {
    frames_.push_back(card(i));
    cards_->addWidget(frames_.back());
  }
  // As high as the cards, once they are laid out, and their bar.
  QTimer::singleShot(0, scroll_, [this] { scroll_->setFixedHeight(scroll_->widget()->minimumSizeHint().height() + scroll_->style()->pixelMetric(QStyle::PM_ScrollBarExtent)); });
  if (!ways_.empty()) show(0);
}

QString WaysTray::figures(const recipe::Way& w) const {
  const recipe::WayFigures& f = w.figures;
  const auto number = [](double v, int digits) { return QString::fromStdString(formatNumber(v, digits)); };
  QStringList lines;
  lines << tr("off the curves %1").arg(shownLength(f.deviationMm));
  if (f.joins)
    lines << tr("joins %1, %2°, %3 %").arg(shownLength(f.gapMm), number(f.angleDeg, 2), number(100 * f.curvature, 2));
  lines << tr("wrinkles %1, radius %2").arg(number(f.wrinkles, 3), shownLength(f.smallestRadiusMm));
  lines << tr("%1 points, %2 ms").arg(f.controlPoints).arg(number(1000 * w.result.seconds, 2));
  return lines.join("\n");
}

QWidget* WaysTray::card(int i) {
  const TriedWay& t = ways_[size_t(i)];
  auto* frame = new QFrame;
  frame->setObjectName(QString("way-%1").arg(i));
  frame->setProperty("role", "card");
  frame->setAccessibleName(said(t.way.name));
  frame->setCursor(Qt::PointingHandCursor);
  auto* column = new QVBoxLayout(frame);
  column->setContentsMargins(8, 6, 8, 6);
  column->setSpacing(4);
  auto* head = new QHBoxLayout;
  head->addWidget(toned(said(t.way.name), "head"));
  head->addStretch();
  if (t.way.best) {
    auto* badge = toned(QStringLiteral("  ") + tr("best") + QStringLiteral("  "), "badge");
    badge->setObjectName("badge");
    head->addWidget(badge);
  }
  column->addLayout(head);
  auto* picture = toned({}, "picture");
  picture->setFixedSize(kPicture);
  picture->setPixmap(QPixmap::fromImage(view_.pictureOf(t.scene, t.lensResult, kPicture)));
  column->addWidget(picture);
  column->addWidget(toned(figures(t.way), "figures"));
  frame->setMouseTracking(true); // a pointer that happens to rest there chooses nothing
  frame->installEventFilter(this);
  return frame;
}

void WaysTray::show(int i) {
  if (i < 0 || i >= int(ways_.size()) || i == shown_) return;
  shown_ = i;
  for (int k = 0; k < int(frames_.size()); ++k) {
    frames_[size_t(k)]->setProperty("shown", k == i);
    frames_[size_t(k)]->style()->unpolish(frames_[size_t(k)]);
    frames_[size_t(k)]->style()->polish(frames_[size_t(k)]);
  }
  scroll_->ensureWidgetVisible(frames_[size_t(i)]);
  w_.session().showWay(ways_[size_t(i)].way.step.get(), inPlaceOf_);
}

bool WaysTray::eventFilter(QObject* o, QEvent* e) {
  if (o == &view_) {
    if (e->type() != QEvent::KeyPress || !isVisible() || ways_.empty()) return false;
    const auto* key = static_cast<QKeyEvent*>(e);
    if (key->modifiers() != Qt::NoModifier || (key->key() != Qt::Key_Left && key->key() != Qt::Key_Right)) return false;
    show(std::clamp(shown_ + (key->key() == Qt::Key_Left ? -1 : 1), 0, int(ways_.size()) - 1));
    return true;
  }
  const auto card = std::find(frames_.begin(), frames_.end(), o);
  if (card == frames_.end()) return QFrame::eventFilter(o, e);
  if (e->type() == QEvent::MouseMove) show(int(card - frames_.begin()));
  if (e->type() == QEvent::MouseButtonRelease) {
    show(int(card - frames_.begin()));
    w_.session().keepDraft();
    view_.setFocus();
    return true;
  }
  return false;
}

void WaysTray::giveUp() {
  w_.session().showWay(nullptr);
  end();
}

void WaysTray::end() {
  work_.stop();
  busy_ = false;
  hide();
  clear();
}

void WaysTray::clear() {
  for (QWidget* f : frames_) f->hide(), f->deleteLater();
  frames_.clear();
  ways_.clear();
  shown_ = -1;
  for (QLabel* l : {reason_, unfit_}) l->clear();
}

} // namespace lumsk::app
