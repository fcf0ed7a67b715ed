#include "app/view/compare_view.h"

#include "app/view/view_widget.h"

#include <QCoreApplication>
#include <QMouseEvent>

namespace lumsk::app {

CompareView::CompareView(ViewWidget& view) : view_(view) {
  setObjectName("before-view");
  setAccessibleName(tr("the form as it was before"));
  setMinimumSize(160, 200);
  setMouseTracking(true);
  connect(&view_, &ViewWidget::beforeChanged, this, &CompareView::takeState);
  connect(&view_, &ViewWidget::lensChanged, this, &CompareView::takeLens);
  connect(&view_, &ViewWidget::lensResultChanged, this, &CompareView::showState);
  connect(&view_, &GlView::cameraMoved, this, [this] { followCamera(view_); });
  connect(this, &GlView::cameraMoved, &view_, [this] { view_.followCamera(*this); });
  connect(this, &GlView::cannotDraw, &view_, &GlView::cannotDraw);
  connect(&lensRunner_, &LensRunner::ready, this, [this](const scene::LensResultPtr& r) {
    result_ = r;
    showState();
  });
  connect(&lensRunner_, &LensRunner::probed, this, &CompareView::probed);
}

void CompareView::made() {
  shown_ = nullptr;
  takeState();
  followCamera(view_);
}

void CompareView::sized() { followCamera(view_); }

void CompareView::showEvent(QShowEvent* e) {
  GlView::showEvent(e);
  takeState();
  followCamera(view_);
}

void CompareView::takeState() {
  shown_ = view_.before();
  takeLens();
  showState();
}

void CompareView::takeLens() {
  if (!viewer() || !shown_ || isHidden()) return;
  makeCurrent();
  viewer()->setLens(view_.lens());
  viewer()->showOtherHalf(view_.showsOtherHalf());
  if (view_.lens().needsWork()) lensRunner_.request(shown_, view_.lens(), false);
  moved();
}

void CompareView::showState() {
  if (!viewer() || !shown_ || isHidden()) return;
  makeCurrent();
  scene::LensResultPtr as = result_;
  if (as && view_.lensResult()) { // the same colours mean the same values
    auto ranged = std::make_shared<scene::LensResult>(*as);
    ranged->spread = view_.lensResult()->spread;
    as = ranged;
  }
  viewer()->show(shown_, as);
  changed();
}

void CompareView::mousePressEvent(QMouseEvent* e) {
  last_ = e->position();
  if (!shown_) return;
  const auto hits = scene::pickAt(*shown_, camera(), last_.x(), last_.y(), recipe::Kind::Face | recipe::Kind::Curve);
  pivot_ = hits.empty() ? Vec3(0.5 * (shown_->low + shown_->high)) : hits.front().at;
}

void CompareView::mouseMoveEvent(QMouseEvent* e) {
  const QPointF d = e->position() - last_;
  last_ = e->position();
  if (e->buttons() & Qt::LeftButton) return turnBy(d, pivot_);
  if (e->buttons()) return panBy(d);
  if (!shown_ || !view_.lens().tellsOfPlaces()) return;
  lensRunner_.probe(shown_, view_.lens(), camera(), last_.x(), last_.y());
}

void CompareView::wheelEvent(QWheelEvent* e) { zoomBy(e->angleDelta().y(), e->position()); }

void CompareView::keyPressEvent(QKeyEvent* e) { QCoreApplication::sendEvent(&view_, e); }
void CompareView::keyReleaseEvent(QKeyEvent* e) { QCoreApplication::sendEvent(&view_, e); }

} // namespace lumsk::app
