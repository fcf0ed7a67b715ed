#include "app/lens_bar.h"
#include "app/words.h"

#include <QSettings>

namespace lumsk::app {

LensBar::LensBar(ViewWidget& view) : QWidget(&view), view_(view), head_(new QPushButton(tr("Lenses"))) {
  setObjectName("lenses");
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(0, 0, 0, 0);
  l->setSpacing(3);
  head_->setProperty("role", "head");
  head_->setObjectName("lens-bar-head");
  head_->setToolTip(tr("show or fold the lenses"));
  head_->setCheckable(true);
  head_->setChecked(QSettings().value("lens/open", true).toBool());
  head_->setFocusPolicy(Qt::TabFocus);
  l->addWidget(head_);
  connect(head_, &QPushButton::toggled, this, [this](bool on) {
    QSettings().setValue("lens/open", on);
    sync();
  });
  bool surfaces = true;
  for (const auto& lens : scene::lenses()) {
    const bool surface = dynamic_cast<const scene::SurfaceLens*>(lens.get());
    if (surfaces && !surface) l->addSpacing(5); // what lies over the surfaces
    surfaces = surface;
    auto* b = new QPushButton(said(lens->label()));
    b->setProperty("role", "tag");
    b->setObjectName("tag-" + QString::fromStdString(lens->key()));
    const QString help = said(lens->help());
    b->setToolTip(lens->peek() ? tr("%1 (hold %2 to peek)").arg(help, QChar(lens->peek())) : help);
    b->setAccessibleName(tr("lens %1").arg(b->text()));
    b->setCheckable(true);
    b->setFocusPolicy(Qt::TabFocus);
    l->addWidget(b);
    tags_[lens->key()] = b;
    connect(b, &QPushButton::clicked, this, [this, key = lens->key(), surface](bool on) {
      auto state = view_.lens();
      scene::turnOn(state, key, surface || on); // a click on the surface lens that is on keeps it
      view_.setLens(state);
    });
  }
  connect(&view_, &ViewWidget::lensChanged, this, &LensBar::sync);
  sync();
}

void LensBar::sync() {
  const auto state = view_.lens();
  for (const auto& [key, tag] : tags_) {
    const bool on = scene::isOn(state, key);
    tag->setChecked(on);
    tag->setVisible(head_->isChecked() || (on && key != "shade"));
  }
  head_->setText(head_->isChecked() ? tr("Lenses −") : tr("Lenses +"));
  adjustSize();
  emit resized();
}

} // namespace lumsk::app
