#include "app/parts_panel.h"

#include "app/parts_tree.h"
#include "app/picture_dialog.h"
#include "app/preferences.h"

#include <QColorDialog>
#include <QComboBox>
#include <QDoubleSpinBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {
constexpr int kId = Qt::UserRole, kStep = Qt::UserRole + 1;

QString gramsShown(double grams) {
  return grams < 1000 ? PartsPanel::tr("%1 g").arg(QString::fromStdString(formatNumber(grams, 4))) : PartsPanel::tr("%1 kg").arg(QString::fromStdString(formatNumber(grams / 1000, 4)));
}

QString sizeOf(const Vec3& low, const Vec3& high) {
  const Vec3 s = high - low;
  const auto n = [](double v) { return shownLengthOnly(v); };
  return n(s.x()) + " × " + n(s.y()) + " × " + n(s.z());
}
} // namespace

namespace {

/// Kind and size of what is not a body; empty for what is not listed.
std::pair<QString, QString> rowOf(const recipe::Object& o) {
  Vec3 low = Vec3::Constant(1e300), high = -low;
  const auto reach = [&](const Vec3& p) { low = low.cwiseMin(p), high = high.cwiseMax(p); };
  if (const auto* curve = std::get_if<recipe::CurvePtr>(&o)) {
    const Points p = nurbs::polyline(**curve, 16);
    for (Eigen::Index i = 0; i < p.rows(); ++i) reach(p.row(i).transpose());
    return {(*curve)->closed() ? PartsPanel::tr("curve, closed") : PartsPanel::tr("curve, open"), sizeOf(low, high)};
  }
  if (const auto* ghost = std::get_if<recipe::GhostPtr>(&o)) {
    for (const auto* points : {&(*ghost)->mesh->points, &(*ghost)->corners})
      for (const Vec3& p : *points) reach(p);
    return {PartsPanel::tr("backdrop"), sizeOf(low, high)};
  }
  if (const auto* picture = std::get_if<recipe::PictureObject>(&o))
    return {PartsPanel::tr("backdrop"), sizeOf(Vec3::Zero(), Vec3(picture->widthMm, 0, picture->heightMm))};
  return {};
}

} // namespace

PartsPanel::PartsPanel(Workspace& w, QWidget* parent)
    : QWidget(parent), w_(w), tree_(new PartsTree(w, kId)), kinds_(new QComboBox), finish_(new QComboBox), opacity_(new QComboBox), density_(new QDoubleSpinBox), total_(new QLabel) {
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(6, 6, 6, 6);
  addKinds(l);
  addTree(l);
  addSight(l);
  addLooks(l);
  addWeights(l);
  connect(&w_.results(), &Results::modelChanged, this, &PartsPanel::sync);
  connect(&w_.results(), &Results::figuresChanged, this, &PartsPanel::sync);
}

void PartsPanel::addKinds(QVBoxLayout* l) {
  kinds_->setObjectName("parts-kinds");
  kinds_->setAccessibleName(tr("which parts are listed"));
  for (const auto& [words, begins] :
       {std::pair{tr("all parts"), QString()}, std::pair{tr("solids"), tr("solid")}, std::pair{tr("skins"), tr("skin")},
        std::pair{tr("curves"), tr("curve")}, std::pair{tr("backdrops"), tr("backdrop")}})
    kinds_->addItem(words, begins);
  l->addWidget(kinds_);
  connect(kinds_, &QComboBox::currentIndexChanged, this, &PartsPanel::filter);
}

void PartsPanel::addTree(QVBoxLayout* l) {
  tree_->setColumnCount(4);
  tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  tree_->setRootIsDecorated(false);
  tree_->setSelectionMode(QAbstractItemView::ExtendedSelection);
  tree_->setAccessibleName(tr("parts"));
  tree_->setObjectName("parts");
  tree_->setToolTip(tr("drag a part to another program: it comes as STEP"));
  connect(tree_, &PartsTree::told, this, &PartsPanel::told);
  l->addWidget(tree_);
  connect(tree_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int column) {
    if (filling_ || column != 0) return;
    w_.steps().setVisible({item->data(0, kId).toString().toStdString()}, item->checkState(0) == Qt::Checked);
  });
  connect(tree_, &QTreeWidget::itemDoubleClicked, this,
          [this](QTreeWidgetItem* item) { w_.focus().unfold(item->data(0, kStep).toString().toStdString()); });
  connect(tree_, &QTreeWidget::itemSelectionChanged, this, &PartsPanel::showLook);
}

QPushButton* PartsPanel::button(QHBoxLayout* row, const QString& words, const char* name, const QString& tip) {
  auto* b = new QPushButton(words);
  b->setObjectName(name);
  b->setToolTip(tip);
  row->addWidget(b);
  return b;
}

void PartsPanel::addSight(QVBoxLayout* l) {
  auto* row = new QHBoxLayout;
  auto* only = button(row, tr("Only these"), "parts-only", tr("everything else goes out of sight (Shift+O in the view)"));
  auto* all = button(row, tr("All in sight"), "parts-all", tr("Ctrl+Shift+O in the view"));
  row->addStretch();
  l->addLayout(row);
  connect(only, &QPushButton::clicked, this, [this] {
    if (const auto ids = chosen(); !ids.empty()) w_.steps().showOnly(ids);
  });
  connect(all, &QPushButton::clicked, this, [this] { w_.steps().showAll(); });
}

void PartsPanel::addLooks(QVBoxLayout* l) {
  auto* row = new QHBoxLayout;
  auto* colour = button(row, tr("Colour"), "parts-colour", tr("of the chosen parts"));
  finish_->setObjectName("parts-finish");
  finish_->setAccessibleName(tr("finish of the chosen parts"));
  for (const auto& [words, value] : finishChoices()) finish_->addItem(words, int(value));
  row->addWidget(finish_);
  opacity_->setObjectName("parts-opacity");
  opacity_->setAccessibleName(tr("how much the chosen parts cover"));
  for (int percent : {100, 75, 50, 25})
    opacity_->addItem(percent == 100 ? tr("solid") : tr("%1 %").arg(percent), percent);
  row->addWidget(opacity_);
  row->addStretch();
  l->addLayout(row);
  connect(colour, &QPushButton::clicked, this, [this] {
    const auto ids = chosen();
    if (ids.empty()) return;
    const QColor c = QColorDialog::getColor(QColor("#F3EEE4"), this, tr("Colour"));
    if (c.isValid()) w_.steps().setLook(ids, [&](recipe::Look& look) { look.colour = c.name().toStdString(); }, tr("colour"));
  });
  connect(finish_, &QComboBox::activated, this, [this] {
    const auto value = recipe::Finish(finish_->currentData().toInt());
    w_.steps().setLook(chosen(), [value](recipe::Look& look) { look.finish = value; }, tr("finish"));
  });
  connect(opacity_, &QComboBox::activated, this, [this] {
    const double value = opacity_->currentData().toInt() / 100.0;
    w_.steps().setLook(chosen(), [value](recipe::Look& look) { look.opacity = value; }, tr("transparency"));
  });
}

void PartsPanel::addWeights(QVBoxLayout* l) {
  auto* row = new QHBoxLayout;
  density_->setObjectName("parts-density");
  density_->setAccessibleName(tr("density of the chosen parts"));
  density_->setRange(0, 30);
  density_->setDecimals(3);
  density_->setSingleStep(0.05);
  density_->setSuffix(tr(" g/cm³"));
  density_->setSpecialValueText(tr("no weight"));
  density_->setKeyboardTracking(false);
  density_->setToolTip(tr("of what the chosen solids are made: plastics about 1, aluminium 2.7, steel 7.8"));
  row->addWidget(new QLabel(tr("density")));
  row->addWidget(density_);
  row->addWidget(total_, 1);
  l->addLayout(row);
  connect(density_, &QDoubleSpinBox::valueChanged, this, [this](double value) {
    if (!filling_ && !chosen().empty()) w_.steps().setLook(chosen(), [value](recipe::Look& look) { look.density = value; }, tr("density"));
  });
}

void PartsPanel::showLook() {
  if (filling_) return;
  const auto ids = chosen();
  for (QWidget* b : {static_cast<QWidget*>(finish_), static_cast<QWidget*>(opacity_), static_cast<QWidget*>(density_)}) b->setEnabled(!ids.empty());
  if (ids.empty()) return;
  const auto look = w_.recipe().looks.find(ids.front());
  const recipe::Look now = look == w_.recipe().looks.end() ? recipe::Look() : look->second;
  finish_->setCurrentIndex(int(now.finish));
  opacity_->setCurrentIndex(std::clamp(int(std::lround((1 - now.opacity) * 4)), 0, 3));
  filling_ = true;
  density_->setValue(now.density);
  filling_ = false;
}

std::vector<std::string> PartsPanel::chosen() const {
  std::vector<std::string> out;
  for (const auto* item : tree_->selectedItems()) out.push_back(item->data(0, kId).toString().toStdString());
  return out;
}

void PartsPanel::filter() {
  const QString begins = kinds_->currentData().toString();
  for (int i = 0; i < tree_->topLevelItemCount(); ++i)
    tree_->topLevelItem(i)->setHidden(!tree_->topLevelItem(i)->text(1).startsWith(begins));
}

void PartsPanel::sync() {
  if (w_.session().dragging()) return;
  filling_ = true;
  tree_->setHeaderLabels({tr("Part"), tr("Kind"), tr("Size, %1").arg(lengthUnit()), tr("Weight")});
  double grams = 0;
  const auto before = chosen();
  tree_->clear();
  const auto add = [&](const QString& label, const QString& kind, const QString& size, const std::string& id,
                       const std::string& step, bool visible, const QString& weight = {}) {
    auto* item = new QTreeWidgetItem(tree_, {label, kind, size, weight});
    item->setData(0, kId, QString::fromStdString(id));
    item->setData(0, kStep, QString::fromStdString(step));
    item->setCheckState(0, visible ? Qt::Checked : Qt::Unchecked);
    item->setSelected(std::find(before.begin(), before.end(), id) != before.end());
  };
  for (const auto& b : w_.model()->bodies) {
    const auto figures = w_.results().figuresOf(b.body);
    if (!figures) {
      add(QString::fromStdString(b.label), b.body->solid() ? tr("solid") : tr("skin"), tr("measuring"), b.id, b.step,
          b.visible);
      continue;
    }
    const auto& s = figures->state;
    const double weight = s.solid ? b.density * s.volumeMm3 / 1000 : 0;
    const QString kind = s.solid                  ? tr("solid, closed")
                         : s.openings.size() == 1 ? tr("skin, 1 opening")
                                                  : tr("skin, %1 openings").arg(s.openings.size());
    const QString edges = s.openEdges ? tr(", %1 open edges").arg(s.openEdges) : QString();
    add(QString::fromStdString(b.label), kind + edges + (b.stale ? tr(", stale") : QString()),
        sizeOf(s.boxLow, s.boxHigh), b.id, b.step, b.visible, weight > 0 ? gramsShown(weight) : QString());
    if (b.visible) grams += weight;
  }
  total_->setText(grams > 0 ? tr("in sight: %1").arg(gramsShown(grams)) : QString());
  for (const auto& step : w_.recipe().steps) {
    const auto* r = w_.model()->result(step->id);
    if (!r || !r->outcome) continue;
    for (const auto& o : r->outcome->outputs) {
      const auto [kind, size] = rowOf(o.object);
      if (kind.isEmpty()) continue;
      const auto look = w_.recipe().looks.find(step->id);
      add(QString::fromStdString(step->label), kind, size, step->id, step->id,
          look == w_.recipe().looks.end() || look->second.visible);
      break;
    }
  }
  filter();
  tree_->resizeColumnToContents(1);
  tree_->resizeColumnToContents(2);
  tree_->setColumnHidden(3, total_->text().isEmpty());
  tree_->resizeColumnToContents(3);
  filling_ = false;
}

} // namespace lumsk::app
