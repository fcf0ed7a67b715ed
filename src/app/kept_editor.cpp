#include "app/kept_editor.h"

#include "app/list_box.h"
#include "app/words.h"
#include "recipe/expression.h"

#include <QInputDialog>
#include <QMenu>
#include <QSettings>
#include <QToolButton>

namespace lumsk::app {

KeptEditor::KeptEditor(recipe::Field f, Workspace& w) : FieldEditor(std::move(f)), w_(w), box_(new ListBox), edit_(new QToolButton) {
  const QString key = QString::fromStdString(field_.key), label = said(field_.label);
  box_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon);
  box_->setMinimumContentsLength(6);
  box_->setAccessibleName(label);
  box_->setObjectName("choose-" + key);
  edit_->setText("+");
  edit_->setFixedSize(20, 28);
  edit_->setObjectName("kept-" + key);
  edit_->setToolTip(tr("Keep these values under a name, or forget one"));
  edit_->setAccessibleName(edit_->toolTip());
  auto* l = flat(this);
  l->addWidget(box_, 1);
  l->addWidget(edit_);
  fill();
  connect(box_, &QComboBox::activated, this, &KeptEditor::choose);
  connect(edit_, &QToolButton::clicked, this, &KeptEditor::offer);
}

KeptEditor::Kept KeptEditor::kept() const {
  const auto text = QSettings().value("kept/" + QString::fromStdString(field_.key)).toString().toStdString();
  const json all = json::parse(text, nullptr, false);
  Kept out;
  if (!all.is_object()) return out;
  for (const auto& [name, values] : all.items())
    if (values.is_object() && std::all_of(field_.kept.begin(), field_.kept.end(), [&](const recipe::Field& f) { return values.contains(f.key); })) out[name] = values;
  return out;
}

void KeptEditor::keep(const Kept& all) {
  QSettings().setValue("kept/" + QString::fromStdString(field_.key), QString::fromStdString(json(all).dump()));
  fill();
}

void KeptEditor::fill() {
  box_->clear();
  for (const auto& o : field_.options) box_->addItem(said(o.label), QString::fromStdString(o.key));
  const Kept all = kept();
  if (!all.empty()) box_->insertSeparator(box_->count());
  for (const auto& [name, values] : all) box_->addItem(QString::fromStdString(name));
  setValue(option_);
}

json KeptEditor::valuesNow() const {
  json out = json::object();
  for (const recipe::Field& f : field_.kept) {
    json v = others_.contains(f.key) ? others_[f.key] : recipe::defaultValue(f);
    if (f.kind == recipe::FieldKind::Quantity)
      if (const auto q = recipe::evaluate(v.is_string() ? v.get<std::string>() : v.dump(), f.dimension, w_.focus().names())) v = formatNumber(q->value, 9);
    out[f.key] = std::move(v);
  }
  return out;
}

/// A name of the person's own is shown while its values hold, however they came about.
void KeptEditor::setValue(const json& v) {
  if (v.is_string()) option_ = v.get<std::string>();
  int row = box_->findData(QString::fromStdString(option_));
  if (option_ == field_.keptOption) {
    const json now = valuesNow();
    for (const auto& [name, values] : kept())
      if (values == now) row = box_->findText(QString::fromStdString(name));
  }
  box_->setCurrentIndex(row);
}

void KeptEditor::setOthers(const json& values) {
  others_ = values;
  setValue(option_);
}

void KeptEditor::choose(int row) {
  const QVariant option = box_->itemData(row);
  if (option.isValid()) return emit changed(option.toString().toStdString());
  const Kept all = kept();
  const auto k = all.find(box_->itemText(row).toStdString());
  if (k == all.end()) return fill(); // forgotten in another form
  json values = k->second;
  values[field_.key] = field_.keptOption;
  emit changedTogether(values);
}

void KeptEditor::offer() {
  QMenu menu(this);
  QAction* name = menu.addAction(tr("Keep these values under a name…"));
  name->setEnabled(option_ == field_.keptOption);
  const Kept all = kept();
  if (!all.empty()) menu.addSeparator();
  for (const auto& [own, values] : all) {
    const QString shown = QString::fromStdString(own);
    menu.addAction(tr("Forget %1").arg(QString(shown).replace("&", "&&")))->setData(shown); // menus take a lone one for a key
  }
  const QAction* wanted = menu.exec(edit_->mapToGlobal(QPoint(0, edit_->height())));
  if (!wanted) return;
  if (wanted == name) return askForName();
  Kept fewer = all;
  fewer.erase(wanted->data().toString().toStdString());
  keep(fewer);
}

void KeptEditor::askForName() {
  bool ok = false;
  const QString name = QInputDialog::getText(this, said(field_.label), tr("Name"), QLineEdit::Normal, {}, &ok).trimmed();
  if (!ok || name.isEmpty()) return;
  for (int i = 0; i < box_->count(); ++i)
    if (box_->itemText(i) == name && box_->itemData(i).isValid()) return emit w_.told(tr("'%1' is in the list already").arg(name));
  Kept all = kept();
  all[name.toStdString()] = valuesNow();
  keep(all);
}

} // namespace lumsk::app
