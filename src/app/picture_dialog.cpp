#include "app/picture_dialog.h"
#include "app/widgets.h"
#include "app/words.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QGridLayout>
#include <QLabel>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {

enum Kind { kOne, kTurntable, kPage }; ///< as they are offered

} // namespace

std::vector<std::pair<QString, recipe::Finish>> finishChoices() {
  return {{PictureDialog::tr("matt clay"), recipe::Finish::Matt},
          {PictureDialog::tr("satin"), recipe::Finish::Satin},
          {PictureDialog::tr("gloss"), recipe::Finish::Gloss},
          {PictureDialog::tr("metal"), recipe::Finish::Metal}};
}

PictureDialog::PictureDialog(QSize view, scene::PictureOptions seen, QWidget* parent)
    : QDialog(parent), seen_(std::move(seen)), kind_(named(new QComboBox, "picture-kind")), finish_(named(new QComboBox, "picture-finish")), width_(named(new QSpinBox, "picture-width")),
      height_(named(new QSpinBox, "picture-height")), frames_(named(new QSpinBox, "picture-frames")), framesWords_(new QLabel(tr("Pictures"))), viewsWords_(new QLabel(tr("Seen from"))), views_(new QWidget),
      clear_(named(new QCheckBox(tr("Transparent ground")), "picture-clear")) {
  setObjectName("picture-dialog");
  setWindowTitle(tr("Picture"));
  auto* l = new QVBoxLayout(this);
  l->setSizeConstraint(QLayout::SetFixedSize);
  auto* form = new QFormLayout;
  l->addLayout(form);
  for (const QString& words : {tr("what the view shows"), tr("a turntable"), tr("several views on a page")}) kind_->addItem(words);
  form->addRow(tr("What"), kind_);
  frames_->setRange(sheet::kFewestFrames, sheet::kMostFrames);
  frames_->setValue(36);
  frames_->setToolTip(tr("the form is turned all the way round about an upright axis, each picture a file"));
  form->addRow(framesWords_, frames_);
  auto* row = new QGridLayout(views_);
  row->setContentsMargins({});
  for (const scene::ViewFrom from : {scene::ViewFrom::Front, scene::ViewFrom::Left, scene::ViewFrom::Top, scene::ViewFrom::Corner, scene::ViewFrom::Back, scene::ViewFrom::Right, scene::ViewFrom::Bottom}) {
    auto* box = named(new QCheckBox(said(nameOf(from))), (std::string("picture-") + nameOf(from)).c_str());
    box->setChecked(each_.size() < 4);
    connect(box, &QCheckBox::toggled, this, &PictureDialog::follow);
    row->addWidget(box, int(each_.size()) / 4, int(each_.size()) % 4);
    each_.emplace_back(from, box);
  }
  form->addRow(viewsWords_, views_);
  for (QSpinBox* b : {width_, height_}) b->setRange(16, sheet::kMostPixels);
  width_->setValue(2 * view.width());
  height_->setValue(2 * view.height());
  form->addRow(tr("Width, pixels"), width_);
  form->addRow(tr("Height, pixels"), height_);
  finish_->addItem(tr("as in the view"), -1);
  for (const auto& [words, value] : finishChoices()) finish_->addItem(words, int(value));
  form->addRow(tr("Finish"), finish_);
  clear_->setToolTip(tr("only the form; for PNG files"));
  form->addRow(clear_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Choose the file"));
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(kind_, &QComboBox::currentIndexChanged, this, &PictureDialog::follow);
  follow();
}

void PictureDialog::follow() {
  const int kind = kind_->currentIndex();
  for (QWidget* w : {static_cast<QWidget*>(framesWords_), static_cast<QWidget*>(frames_)}) w->setVisible(kind == kTurntable);
  for (QWidget* w : {static_cast<QWidget*>(viewsWords_), views_}) w->setVisible(kind == kPage);
  const bool any = std::any_of(each_.begin(), each_.end(), [](const auto& e) { return e.second->isChecked(); });
  findChild<QDialogButtonBox*>()->button(QDialogButtonBox::Ok)->setEnabled(kind != kPage || any);
}

sheet::PictureJob PictureDialog::job() const {
  sheet::PictureJob job{seen_, 0, {}};
  job.seen.width = width_->value();
  job.seen.height = height_->value();
  if (const int v = finish_->currentData().toInt(); v >= 0) job.seen.finish = recipe::Finish(v);
  job.seen.clear = clear_->isChecked();
  if (kind_->currentIndex() == kTurntable) job.frames = frames_->value();
  if (kind_->currentIndex() == kPage)
    for (const auto& [from, box] : each_)
      if (box->isChecked()) job.views.push_back(from);
  return job;
}

} // namespace lumsk::app
