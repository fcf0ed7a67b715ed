#include "app/lens_panel.h"

#include "app/theme.h"

#include <QHeaderView>
#include <QLabel>
#include <QTableWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace lumsk::app {

namespace {

constexpr int kWidth = 330, kRowHeight = 24, kMostRows = 6;

const scene::DrawnEdge* drawnEdge(const scene::DrawnBody& b, const std::string& name) {
  for (const auto& e : *b.edges)
    if (e.name == name) return &e;
  return nullptr;
}

/// Smooth edges by how far they miss what was meant, sharp ones last.
double badness(const inspect::Join& j, const Tolerances& t) {
  const double gap = j.gapMm / t.point.mm, angle = j.angleDeg / t.angle.deg,
               curvature = j.curvatureRel / t.curvature.relative;
  if (gap > 1) return 1e9 + gap;
  if (!j.meantSmooth) return -1;
  return angle > 1 ? 1e6 + angle : 1e-3 * angle + curvature;
}

} // namespace

QColor gradeColour(LensItem::Grade g) {
  switch (g) {
  case LensItem::Grade::Good: return clay::accent;
  case LensItem::Grade::Fair: return QColor("#8A6212"); // caution, dark enough for letters
  case LensItem::Grade::Bad: return clay::attentionText;
  case LensItem::Grade::Sharp: return clay::text;
  }
  return clay::text;
}

std::vector<LensItem> joinItems(const Workspace& w) {
  std::vector<std::pair<double, LensItem>> found;
  const Tolerances& tol = w.recipe().tolerances;
  if (!w.drawing()) return {};
  for (const auto& b : w.drawing()->bodies) {
    const auto figures = w.figuresOf(b.body);
    if (!figures) continue;
    for (const auto& j : figures->joins) {
      const scene::DrawnEdge* e = drawnEdge(b, j.edge);
      if (!e || e->points.size() < 2) continue;
      LensItem i;
      i.line = e->points;
      // Letters of edges that run side by side stand beside one another.
      i.middle = e->points[size_t((0.35 + 0.1 * double(found.size() % 4)) * double(e->points.size() - 1))];
      i.letter = QString::fromStdString(j.achieved(tol));
      i.body = QString::fromStdString(b.label);
      const bool gap = j.gapMm > tol.point.mm, bent = j.angleDeg > tol.angle.deg;
      i.at = gap ? j.gapAt : bent || !(j.curvatureRel > 0) ? j.angleAt : j.curvatureAt;
      i.grade = gap                               ? LensItem::Grade::Bad
                : !j.meantSmooth                  ? LensItem::Grade::Sharp
                : bent                            ? LensItem::Grade::Bad
                : i.letter == QLatin1String("G1") ? LensItem::Grade::Fair
                                                  : LensItem::Grade::Good;
      i.figures = {i.letter, QString::fromStdString(formatNumber(j.gapMm, 2)),
                   QString::fromStdString(formatNumber(j.angleDeg, 2)),
                   bent ? QString() : QString::fromStdString(formatNumber(100 * j.curvatureRel, 2)), i.body};
      found.emplace_back(badness(j, tol), std::move(i));
    }
  }
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<LensItem> out;
  for (auto& f : found) out.push_back(std::move(f.second));
  return out;
}

std::vector<LensItem> openingItems(const Workspace& w) {
  std::vector<LensItem> out;
  if (!w.drawing()) return out;
  for (const auto& b : w.drawing()->bodies) {
    const auto figures = w.figuresOf(b.body);
    if (!figures) continue;
    for (const auto& o : figures->state.openings) {
      LensItem i;
      i.line = o.outline;
      i.middle = i.at = o.outline[o.outline.size() / 3];
      i.body = QString::fromStdString(b.label);
      i.grade = LensItem::Grade::Bad;
      i.figures = {{}, i.body, QString::number(o.edges), QString::fromStdString(formatNumber(o.lengthMm, 4))};
      out.push_back(std::move(i));
    }
  }
  std::stable_sort(out.begin(), out.end(),
                   [](const LensItem& a, const LensItem& b) { return a.line.size() > b.line.size(); });
  for (size_t k = 0; k < out.size(); ++k) out[k].letter = out[k].figures[0] = QString::number(k + 1);
  return out;
}

LensPanel::LensPanel(Workspace& w, ViewWidget& view)
    : QFrame(&view), w_(w), view_(view), title_(new QLabel), table_(new QTableWidget) {
  setObjectName("lens-panel");
  setStyleSheet("#lens-panel { background: rgba(251, 250, 247, 235); border: 1px solid #C9C4BB; border-radius: 6px; }");
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(10, 8, 10, 10);
  l->setSpacing(6);
  title_->setWordWrap(true);
  l->addWidget(title_);
  l->addWidget(table_);
  table_->setObjectName("lens-table");
  table_->setAccessibleName(tr("what the lens found, worst first"));
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->verticalHeader()->hide();
  table_->setShowGrid(false);
  connect(table_, &QTableWidget::cellClicked, this, [this](int row, int) { w_.lookAt(places_[size_t(row)]); });
  connect(table_, &QTableWidget::cellActivated, this, [this](int row, int) { w_.lookAt(places_[size_t(row)]); });
  hide();
}

void LensPanel::fill(const QString& title, const QStringList& columns, const std::vector<LensItem>& items) {
  title_->setText(title);
  places_.clear();
  table_->clear();
  table_->setColumnCount(int(columns.size()));
  table_->setHorizontalHeaderLabels(columns);
  table_->setRowCount(int(items.size()));
  for (int r = 0; r < int(items.size()); ++r) {
    const LensItem& i = items[size_t(r)];
    places_.push_back(i.at);
    table_->setRowHeight(r, kRowHeight);
    for (int c = 0; c < int(columns.size()); ++c) {
      auto* cell = new QTableWidgetItem(i.figures[c]);
      if (c == 0) {
        cell->setForeground(gradeColour(i.grade));
        QFont bold = table_->font();
        bold.setBold(true);
        cell->setFont(bold);
      }
      table_->setItem(r, c, cell);
    }
  }
  table_->resizeColumnsToContents();
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->setVisible(!items.empty());
  const int rows = std::min(kMostRows, int(items.size()));
  table_->setFixedHeight(rows * kRowHeight + table_->horizontalHeader()->sizeHint().height() + 4);
}

void LensPanel::showMarks(const std::vector<LensItem>& items) {
  std::vector<LensMark> marks;
  for (const LensItem& i : items) {
    const bool open = i.figures.size() == 4;
    marks.push_back({i.line, i.middle, i.letter, gradeColour(i.grade), open});
  }
  view_.setLensMarks(std::move(marks));
}

void LensPanel::sync(int top) {
  const auto lens = view_.lens();
  setVisible(lens.joins || lens.openings);
  if (!lens.joins && !lens.openings) return view_.setLensMarks({});
  if (lens.joins) {
    const auto items = joinItems(w_);
    showMarks(items);
    const auto bad =
        std::count_if(items.begin(), items.end(), [](const LensItem& i) { return i.grade == LensItem::Grade::Bad; });
    fill(items.empty() ? tr("no two faces meet")
         : bad == 0    ? tr("edges: %1, all as meant").arg(items.size())
                       : tr("edges: %1, not as meant: %2").arg(items.size()).arg(bad),
         {tr("join"), tr("gap mm"), tr("angle °"), tr("curv %"), tr("body")}, items);
  } else {
    const auto items = openingItems(w_);
    showMarks(items);
    fill(items.empty() ? tr("no openings: everything is closed") : tr("openings: %1").arg(items.size()),
         {tr("no"), tr("body"), tr("edges"), tr("length mm")}, items);
  }
  setFixedWidth(kWidth);
  adjustSize();
  move(view_.width() - width() - 12, top);
  raise();
}

} // namespace lumsk::app
