#include "app/picture_dialog.h"

#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QPushButton>
#include <QSpinBox>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {
constexpr int kMostPixels = 8192;
}

std::vector<std::pair<QString, recipe::Finish>> finishChoices() {
  return {{PictureDialog::tr("matt clay"), recipe::Finish::Matt},
          {PictureDialog::tr("satin"), recipe::Finish::Satin},
          {PictureDialog::tr("gloss"), recipe::Finish::Gloss},
          {PictureDialog::tr("metal"), recipe::Finish::Metal}};
}

PictureDialog::PictureDialog(QSize view, QWidget* parent)
    : QDialog(parent), width_(new QSpinBox), height_(new QSpinBox), finish_(new QComboBox) {
  setObjectName("picture-dialog");
  setWindowTitle(tr("Picture"));
  auto* l = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  l->addLayout(form);
  for (QSpinBox* b : {width_, height_}) b->setRange(16, kMostPixels);
  width_->setObjectName("picture-width");
  height_->setObjectName("picture-height");
  width_->setValue(2 * view.width());
  height_->setValue(2 * view.height());
  form->addRow(tr("Width, pixels"), width_);
  form->addRow(tr("Height, pixels"), height_);
  finish_->setObjectName("picture-finish");
  finish_->addItem(tr("as in the view"), -1);
  for (const auto& [words, value] : finishChoices()) finish_->addItem(words, int(value));
  form->addRow(tr("Finish"), finish_);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Choose the file"));
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
}

QSize PictureDialog::size() const { return {width_->value(), height_->value()}; }

std::optional<recipe::Finish> PictureDialog::finish() const {
  const int v = finish_->currentData().toInt();
  return v < 0 ? std::nullopt : std::optional(recipe::Finish(v));
}

} // namespace lumsk::app
