#include "app/sheet_dialog.h"

#include "app/preferences.h"
#include "app/theme.h"
#include "app/widgets.h"
#include "app/words.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QLineEdit>
#include <QListWidget>
#include <QLocale>

namespace lumsk::app {

namespace {

QListWidget* choices(const char* name, const QString& accessible) {
  auto* list = new QListWidget;
  list->setObjectName(name);
  list->setAccessibleName(accessible);
  return list;
}

QListWidgetItem* choice(QListWidget& list, const QString& words, bool chosen) {
  auto* item = new QListWidgetItem(words, &list);
  item->setSizeHint({0, withText(22)});
  item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
  item->setCheckState(chosen ? Qt::Checked : Qt::Unchecked);
  return item;
}

/// As tall as what it lists, within reason.
void fitHeight(QListWidget& list) {
  constexpr int kFewest = 3, kMost = 8;
  list.setFixedHeight(std::clamp(list.count(), kFewest, kMost) * std::max(20, list.sizeHintForRow(0)) + 10);
}

} // namespace

SheetDialog::SheetDialog(Workspace& w, const scene::LensState& lens, QWidget* parent)
    : QDialog(parent), w_(w), sections_(choices("sheet-sections", tr("planes for sections"))), measured_(choices("sheet-measured", tr("measurements"))), at_(new QLineEdit),
      joins_(new QCheckBox(tr("The table of joins"))), paper_(new QComboBox), wrong_(toned({}, "bad")) {
  setObjectName("sheet-dialog");
  setWindowTitle(tr("Report sheet"));
  setMinimumWidth(420);
  auto* l = new QVBoxLayout(this);
  l->setSpacing(8);
  l->addWidget(toned(tr("Sections"), "head"));
  l->addWidget(sections_);
  auto* row = new QHBoxLayout;
  at_->setObjectName("sheet-at");
  at_->setAccessibleName(tr("another section"));
  at_->setPlaceholderText(tr("another one: z = 12.5 mm"));
  auto* add = new QPushButton(tr("Add"));
  add->setObjectName("sheet-add");
  add->setAutoDefault(false);
  row->addWidget(at_, 1);
  row->addWidget(add);
  l->addLayout(row);
  wrong_->setWordWrap(true);
  wrong_->hide();
  l->addWidget(wrong_);
  for (const auto& s : sheet::sectionPlanes(*w.model(), lens)) list(s, s.name.rfind("as the lens", 0) == 0);
  fitHeight(*sections_);
  std::vector<std::pair<QString, QString>> measured;
  for (const auto& s : w.recipe().steps)
    if (const auto* r = w.model()->result(s->id); r && r->outcome && r->status == recipe::Status::Ok)
      for (const auto& [name, q] : r->outcome->measured) measured.emplace_back(QString::fromStdString(name), shown(q));
  if (!measured.empty()) {
    l->addWidget(toned(tr("Measurements"), "section"));
    l->addWidget(measured_);
    for (const auto& [name, value] : measured) {
      choice(*measured_, name + "  " + value, true);
      names_ << name;
    }
    fitHeight(*measured_);
  } else {
    delete std::exchange(measured_, nullptr);
  }
  joins_->setObjectName("sheet-joins");
  joins_->setChecked(true);
  l->addWidget(joins_);
  auto* paper = new QHBoxLayout;
  paper_->setObjectName("sheet-paper");
  paper_->setAccessibleName(tr("paper"));
  paper_->addItem(tr("A4"));
  paper_->addItem(tr("Letter"));
  paper_->setCurrentIndex(QLocale().measurementSystem() == QLocale::ImperialUSSystem);
  paper->addWidget(new QLabel(tr("Paper")));
  paper->addWidget(paper_);
  paper->addStretch();
  l->addLayout(paper);
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel);
  buttons->button(QDialogButtonBox::Ok)->setText(tr("Choose the file"));
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::accepted, this, [this] {
    if (!at_->text().trimmed().isEmpty()) addSection(); // it was typed to be meant
    if (wrong_->isHidden()) accept();
  });
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
  connect(add, &QPushButton::clicked, this, &SheetDialog::addSection);
}

void SheetDialog::list(const sheet::SheetSection& s, bool chosen) {
  choice(*sections_, said(s.name), chosen);
  planes_.push_back(s);
}

void SheetDialog::addSection() {
  const auto made = sheet::sectionFor(at_->text().remove(' ').toStdString(), *w_.model());
  wrong_->setVisible(!made);
  if (!made) return wrong_->setText(said(made.error()));
  list(*made, true);
  fitHeight(*sections_);
  sections_->scrollToBottom();
  at_->clear();
}

void SheetDialog::fill(sheet::SheetOptions& o) const {
  for (size_t k = 0; k < planes_.size(); ++k)
    if (sections_->item(int(k))->checkState() == Qt::Checked) o.sections.push_back(planes_[k]);
  if (measured_) {
    o.measured.emplace();
    for (int k = 0; k < names_.size(); ++k)
      if (measured_->item(k)->checkState() == Qt::Checked) o.measured->insert(names_[k].toStdString());
  }
  o.joins = joins_->isChecked();
  o.letter = paper_->currentIndex() == 1;
}

} // namespace lumsk::app
