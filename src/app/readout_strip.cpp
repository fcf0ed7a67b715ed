#include "app/readout_strip.h"

#include "app/preferences.h"
#include "inspect/circle.h"
#include "inspect/combs.h"
#include "inspect/curve_joints.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/curves/curve_refit.h"

#include <QPainter>

namespace lumsk::app {

namespace {
constexpr int kPatienceMs = 150;
}

ProgressLine::ProgressLine(QWidget* parent) : QWidget(parent) {
  setFixedHeight(3);
  setAccessibleName(tr("progress"));
  patience_.setSingleShot(true);
  patience_.setInterval(kPatienceMs);
  connect(&patience_, &QTimer::timeout, this, [this] {
    shown_ = true;
    update();
  });
}

void ProgressLine::busy(bool on) {
  if (on) {
    if (!shown_ && !patience_.isActive()) patience_.start();
    return;
  }
  patience_.stop();
  fraction_ = 0;
  if (shown_) update();
  shown_ = false;
}

void ProgressLine::setFraction(double f) {
  const bool seen = shown_ && int(f * width()) != int(fraction_ * width());
  fraction_ = f;
  if (seen) update();
}

void ProgressLine::paintEvent(QPaintEvent*) {
  if (shown_) QPainter(this).fillRect(QRectF(0, 0, std::max(0.06, fraction_) * width(), height()), tones().accent);
}

ReadoutStrip::ReadoutStrip(Workspace& w, QWidget* parent)
    : QWidget(parent), w_(w), words_(new QLabel), figures_(new QHBoxLayout), progress_(new ProgressLine) {
  setObjectName("strip");
  setAttribute(Qt::WA_StyledBackground);
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(0, 0, 0, 0);
  outer->setSpacing(0);
  outer->addWidget(progress_);
  auto* l = new QHBoxLayout;
  l->setContentsMargins(12, 4, 12, 5);
  words_->setObjectName("instruction");
  l->addWidget(words_, 1);
  figures_->setSpacing(16);
  l->addLayout(figures_);
  outer->addLayout(l);
  // One height with and without figures: the view above must not change its size for them.
  auto* probe = link("0", Vec3::Zero(), "probe");
  probe->ensurePolished();
  setFixedHeight(std::max(probe->sizeHint().height(), words_->sizeHint().height()) + 3 + 9);
  delete probe;
  connect(&w_.results(), &Results::modelChanged, this, &ReadoutStrip::sync);
  connect(&w_.results(), &Results::figuresChanged, this, &ReadoutStrip::sync);
  connect(&w_.focus(), &Focus::focusChanged, this, &ReadoutStrip::sync);
  connect(&w_.focus(), &Focus::instructionChanged, this, &ReadoutStrip::sync);
  connect(&w_.results(), &Results::busyChanged, progress_, &ProgressLine::busy);
  connect(&w_.results(), &Results::progressed, this,
          [this](double f, const QString& words) { progress(f, w_.results().lastSeconds() > 0.3 ? words : QString()); });
  sync();
}

void ReadoutStrip::progress(double fraction, const QString& words) {
  progress_->busy(fraction > 0);
  progress_->setFraction(fraction);
  if (!words.isEmpty()) words_->setText(words);
}

void ReadoutStrip::tell(const QString& sentence) {
  told_ = sentence;
  toldDuring_ = w_.focus().instruction();
  words_->setText(sentence);
}

QPushButton* ReadoutStrip::link(const QString& text, const Vec3& at, const QString& name) {
  auto* b = new QPushButton(text);
  b->setProperty("role", "link");
  b->setObjectName("figure-" + name);
  b->setToolTip(tr("turn the view to this place"));
  connect(b, &QPushButton::clicked, this, [this, at] { w_.lookAt(at); });
  return b;
}

void ReadoutStrip::sync() {
  if (w_.focus().instruction() != toldDuring_) told_.clear(); // news stay until the person goes on
  words_->setText(told_.isEmpty() ? w_.focus().instruction() : told_);
  if (w_.session().dragging()) return;
  while (auto* item = figures_->takeAt(0)) {
    if (item->widget()) item->widget()->deleteLater();
    delete item;
  }
  if (w_.board().open()) {
    const auto& free = w_.board().freedom();
    auto* ways = new QPushButton(free.ways == 0 ? tr("nothing free") : free.ways == 1 ? tr("1 way to move left") : tr("%1 ways to move left").arg(free.ways));
    ways->setProperty("role", "link");
    ways->setObjectName("figure-free");
    ways->setEnabled(free.ways > 0);
    ways->setToolTip(tr("show one of them"));
    const double size = drawing::sizeOf(w_.board().drawing());
    connect(ways, &QPushButton::clicked, this, [this, size] { w_.board().wiggle(0.04 * size); });
    figures_->addWidget(ways);
  }
  std::string step = w_.focus().open();
  if (step.empty() && !w_.focus().selection().empty()) step = w_.focus().selection().back().step;
  if (step.empty() && !w_.model()->bodies.empty()) step = w_.model()->bodies.back().step;
  const auto* r = w_.model()->result(step);
  if (!r || !r->outcome || r->outcome->outputs.empty()) return;
  // Below a millionth the figure is rounding, not shape.
  const auto number = [](double v) { return v < 1e-6 ? QString("0") : QString::fromStdString(formatNumber(v, 2)); };
  const auto& object = r->outcome->outputs.front().object;
  if (const auto* body = std::get_if<brep::BodyPtr>(&object)) {
    const auto figures = w_.results().figuresOf(*body);
    if (!figures) {
      figures_->addWidget(new QLabel(tr("measuring")));
      return;
    }
    const auto& joins = figures->joins;
    const auto& s = figures->state;
    figures_->addWidget(new QLabel(s.solid ? tr("solid, %1").arg(shown({s.volumeMm3, Dimension::Volume}))
                                   : s.openings.size() == 1 ? tr("skin, 1 opening")
                                                            : tr("skin, %1 openings").arg(s.openings.size())));
    figures_->addWidget(new QLabel(tr("%1 points").arg(s.controlPoints)));
    if (!joins.empty()) {
      const auto worst = inspect::summarise(joins);
      Vec3 gapAt = joins.front().gapAt, curvatureAt = joins.front().curvatureAt;
      for (const auto& j : joins) {
        if (j.gapMm >= worst.gapMm) gapAt = j.gapAt;
        if (j.meantSmooth && j.curvatureRel >= worst.curvatureRel) curvatureAt = j.curvatureAt;
      }
      figures_->addWidget(
          link(worst.gapMm < 1e-6 ? tr("gap 0 %1").arg(lengthUnit()) : tr("gap %1").arg(shownLength(worst.gapMm, 2)),
               gapAt, "gap"));
      if (worst.smoothEdges) {
        figures_->addWidget(link(tr("angle %1°").arg(number(worst.angleDeg)), worst.worstAt, "angle"));
        figures_->addWidget(link(tr("curvature %1 %").arg(number(worst.curvatureRel * 100)), curvatureAt, "curvature"));
      }
    }
  } else if (const auto* curve = std::get_if<recipe::CurvePtr>(&object)) {
    const auto c = inspect::comb(**curve, 40, 1.0);
    const nurbs::ArcLength l(**curve);
    const auto f = nurbs::figuresOf(**curve);
    const auto& tol = w_.recipe().tolerances;
    if (const auto circle = inspect::circleOf(**curve, tol)) {
      // All there is to say of it.
      figures_->addWidget(new QLabel(tr("radius %1").arg(shownLength(circle->radiusMm))));
      figures_->addWidget(new QLabel(tr("length %1").arg(shownLength(l.total()))));
      return;
    }
    figures_->addWidget(
        new QLabel(tr("degree %1, spans %2, points %3").arg(f.degree).arg(f.spans).arg(f.controlPoints)));
    const auto joints = inspect::curveJoints({curve->get()}, 0.0, tol);
    if (!joints.empty()) {
      const auto worst = std::max_element(
          joints.begin(), joints.end(), [&](const auto& a, const auto& b) { return a.badness(tol) < b.badness(tol); });
      figures_->addWidget(
          link(tr("worst joint %1, %2°").arg(QString::fromStdString(worst->achieved(tol)), number(worst->angleDeg)),
               worst->at, "joint"));
    }
    figures_->addWidget(new QLabel(tr("length %1").arg(shownLength(l.total()))));
    if (c.largest > 0)
      figures_->addWidget(link(tr("tightest radius %1").arg(shownLength(c.smallestRadiusMm)), c.largestAt, "radius"));
  }
}

} // namespace lumsk::app
