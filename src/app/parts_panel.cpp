#include "app/parts_panel.h"

#include "app/theme.h"

#include <QColorDialog>
#include <QHeaderView>
#include <QTreeWidget>

namespace lumsk::app {

namespace {
constexpr int kId = Qt::UserRole, kStep = Qt::UserRole + 1;

QString sizeOf(const Vec3& low, const Vec3& high) {
  const Vec3 s = high - low;
  const auto n = [](double v) { return QString::fromStdString(formatNumber(v, 4)); };
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
    for (const Vec3& p : (*ghost)->mesh->points) reach(p);
    return {PartsPanel::tr("backdrop"), sizeOf(low, high)};
  }
  if (const auto* picture = std::get_if<recipe::PictureObject>(&o))
    return {PartsPanel::tr("backdrop"), sizeOf(Vec3::Zero(), Vec3(picture->widthMm, 0, picture->heightMm))};
  return {};
}

} // namespace

PartsPanel::PartsPanel(Workspace& w, QWidget* parent) : QWidget(parent), w_(w), tree_(new QTreeWidget) {
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(6, 6, 6, 6);
  tree_->setColumnCount(3);
  tree_->setHeaderLabels({tr("Part"), tr("Kind"), tr("Size, mm")});
  tree_->header()->setSectionResizeMode(0, QHeaderView::Stretch);
  tree_->setRootIsDecorated(false);
  tree_->setAccessibleName(tr("parts"));
  tree_->setObjectName("parts");
  l->addWidget(tree_);
  auto* buttons = new QHBoxLayout;
  auto* colour = new QPushButton(tr("Colour"));
  buttons->addWidget(colour);
  buttons->addStretch();
  l->addLayout(buttons);
  connect(&w_, &Workspace::modelChanged, this, &PartsPanel::sync);
  connect(&w_, &Workspace::figuresChanged, this, &PartsPanel::sync);
  connect(tree_, &QTreeWidget::itemChanged, this, [this](QTreeWidgetItem* item, int column) {
    if (filling_ || column != 0) return;
    w_.setVisible(item->data(0, kId).toString().toStdString(), item->checkState(0) == Qt::Checked);
  });
  connect(tree_, &QTreeWidget::itemDoubleClicked, this,
          [this](QTreeWidgetItem* item) { w_.unfold(item->data(0, kStep).toString().toStdString()); });
  connect(colour, &QPushButton::clicked, this, [this] {
    auto* item = tree_->currentItem();
    if (!item) return;
    const QColor c = QColorDialog::getColor(QColor("#F3EEE4"), this, tr("Colour"));
    if (!c.isValid()) return;
    recipe::Recipe next = w_.recipe();
    next.looks[item->data(0, kId).toString().toStdString()].colour = c.name().toStdString();
    w_.edit(std::move(next), tr("colour"));
  });
}

void PartsPanel::sync() {
  if (w_.dragging()) return;
  filling_ = true;
  tree_->clear();
  const auto add = [&](const QString& label, const QString& kind, const QString& size, const std::string& id,
                       const std::string& step, bool visible) {
    auto* item = new QTreeWidgetItem(tree_, {label, kind, size});
    item->setData(0, kId, QString::fromStdString(id));
    item->setData(0, kStep, QString::fromStdString(step));
    item->setCheckState(0, visible ? Qt::Checked : Qt::Unchecked);
  };
  for (const auto& b : w_.model()->bodies) {
    const auto figures = w_.figuresOf(b.body);
    if (!figures) {
      add(QString::fromStdString(b.label), b.body->solid() ? tr("solid") : tr("skin"), tr("measuring"), b.id, b.step,
          b.visible);
      continue;
    }
    const auto& s = figures->state;
    const QString kind = s.solid                  ? tr("solid, closed")
                         : s.openings.size() == 1 ? tr("skin, 1 opening")
                                                  : tr("skin, %1 openings").arg(s.openings.size());
    add(QString::fromStdString(b.label), kind + (b.stale ? tr(", stale") : QString()), sizeOf(s.boxLow, s.boxHigh),
        b.id, b.step, b.visible);
  }
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
  tree_->resizeColumnToContents(1);
  tree_->resizeColumnToContents(2);
  filling_ = false;
}

} // namespace lumsk::app
