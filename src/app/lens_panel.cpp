#include "app/lens_panel.h"

#include "app/preferences.h"
#include "app/words.h"
#include "inspect/curve_joints.h"
#include "scene/lenses/cut/cut.h"
#include "scene/lenses/deviation/deviation.h"

#include <QCoreApplication>
#include <QHeaderView>
#include <QScrollArea>
#include <QSettings>
#include <QTableWidget>
#include <QTimer>

#include <algorithm>

namespace lumsk::app {

namespace {

constexpr double kEndsMeetTolerances = 10; ///< ends within so many point tolerances are meant to meet

constexpr int kAboveAxes = 84;        ///< pixels from the view's lower border
constexpr double kWorthMoving = 0.01; ///< of the form: so much less hidden
constexpr int kWidth = 268, kTableWidth = 330, kWideTable = 440, kRowHeight = 24, kMostRows = 6;
constexpr double kSamePlaceMm = 1e-6;

const scene::DrawnEdge* drawnEdge(const scene::DrawnBody& b, const std::string& name) {
  for (const auto& e : *b.edges)
    if (e.name == name) return &e;
  return nullptr;
}

} // namespace

QColor gradeColour(inspect::Join::Grade g) {
  switch (g) {
  case inspect::Join::Grade::Good: return tones().accent;
  case inspect::Join::Grade::Fair: return tones().cautionText;
  case inspect::Join::Grade::Bad: return tones().attentionText;
  case inspect::Join::Grade::Sharp: return tones().text;
  }
  return tones().text;
}

namespace {

/// What a joint's list row, letter and colour say.
void describe(LensItem& i, const inspect::Join& j, const Tolerances& tol) {
  i.letter = QString::fromStdString(j.achieved(tol));
  const bool bent = j.angleDeg > tol.angle.deg;
  i.at = j.worstAt(tol);
  i.grade = j.grade(tol);
  i.less = !j.reached(tol);
  const QString asked = QString::fromStdString(j.askedFor());
  if (!j.measured) {
    i.figures = {i.letter, QCoreApplication::translate("lens", "could not be measured"), {}, {}, i.body};
    return;
  }
  i.figures = {j.reached(tol) ? i.letter
                              : QCoreApplication::translate("lens", "asked %1, reached %2").arg(asked, i.letter), QString::fromStdString(formatNumber(j.gapMm, 2)),
               QString::fromStdString(formatNumber(j.angleDeg, 2)),
               bent ? QString() : QString::fromStdString(formatNumber(100 * j.curvatureRel, 2)), i.body};
}

/// Joints of curves: their own, and where ends meet. Beside bodies only those of picked curves count.
void addCurveJoints(const Workspace& w, std::vector<std::pair<double, LensItem>>& found) {
  const Tolerances& tol = w.recipe().tolerances;
  const auto counts = [&](const scene::DrawnCurve& c) {
    const auto& picked = w.focus().selection();
    return w.scene()->bodies.empty() ||
           std::any_of(picked.begin(), picked.end(), [&](const scene::Hit& h) { return h.step == c.step; });
  };
  std::vector<const nurbs::Path*> paths;
  std::vector<QString> names;
  for (const auto& c : w.scene()->curves)
    if (counts(c)) paths.push_back(c.path.get()), names.push_back(QString::fromStdString(c.label));
  for (const auto& j : inspect::curveJoints(paths, kEndsMeetTolerances * tol.point.mm, tol)) {
    LensItem i;
    i.middle = j.at;
    i.line = {j.at, j.at};
    i.body = names[size_t(j.curve)];
    if (j.other != j.curve) i.body += ", " + names[size_t(j.other)];
    describe(i, j, tol);
    found.emplace_back(j.badness(tol), std::move(i));
  }
}

} // namespace

std::vector<LensItem> joinItems(const Workspace& w) {
  std::vector<std::pair<double, LensItem>> found;
  const Tolerances& tol = w.recipe().tolerances;
  if (!w.scene()) return {};
  for (const auto& b : w.scene()->bodies) {
    const auto figures = w.results().figuresOf(b.body);
    if (!figures) continue;
    for (const auto& j : figures->joins) {
      const scene::DrawnEdge* e = drawnEdge(b, j.edge);
      if (!e || e->points.size() < 2) continue;
      LensItem i;
      i.line = e->points;
      // Letters of edges that run side by side stand beside one another.
      i.middle = e->points[size_t((0.35 + 0.1 * double(found.size() % 4)) * double(e->points.size() - 1))];
      i.body = QString::fromStdString(b.label);
      describe(i, j, tol);
      found.emplace_back(j.badness(tol), std::move(i));
    }
  }
  addCurveJoints(w, found);
  std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
  std::vector<LensItem> out;
  for (auto& f : found) out.push_back(std::move(f.second));
  return out;
}

std::vector<LensItem> openingItems(const Workspace& w) {
  std::vector<LensItem> out;
  if (!w.scene()) return out;
  for (const auto& b : w.scene()->bodies) {
    const auto figures = w.results().figuresOf(b.body);
    if (!figures) continue;
    for (const auto& o : figures->state.openings) {
      LensItem i;
      i.line = o.outline;
      i.middle = i.at = o.outline[o.outline.size() / 3];
      i.body = QString::fromStdString(b.label);
      i.grade = inspect::Join::Grade::Bad;
      if (o.edge >= 0) {
        i.edge = scene::hitOf(recipe::Kind::Edge, b.step, b.partName(b.body->edgeNames[size_t(o.edge)]), b.label + ", edge", i.at);
        i.edge->near = brep::signatureOf(*b.body, brep::PartKind::Edge, o.edge);
      }
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
    : QFrame(&view), w_(w), view_(view), head_(new QPushButton), settingsBox_(new QWidget),
      forms_(new QVBoxLayout(settingsBox_)), scroll_(new QScrollArea), inside_(new QWidget), legend_(new Legend),
      least_(new QPushButton), most_(new QPushButton), only_(new QPushButton),
      asSeen_(new QPushButton(tr("direction as seen now"))), share_(new QLabel), title_(new QLabel), probe_(new QLabel),
      cuts_(new QLabel), table_(new QTableWidget) {
  setObjectName("lens-panel");
  auto* outer = new QVBoxLayout(this);
  outer->setContentsMargins(1, 4, 1, 4);
  scroll_->setWidget(inside_);
  scroll_->setWidgetResizable(true);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  outer->addWidget(scroll_);
  auto* l = new QVBoxLayout(inside_);
  l->setContentsMargins(10, 4, 10, 6);
  l->setSpacing(6);
  makeHead();
  l->addWidget(head_);
  forms_->setContentsMargins(0, 0, 0, 0);
  forms_->setSpacing(6);
  l->addWidget(settingsBox_);
  l->addWidget(legend_);
  makeEnds(l);
  share_->setObjectName("lens-share");
  share_->setWordWrap(true);
  l->addWidget(share_);
  cuts_->setObjectName("lens-cuts");
  l->addWidget(cuts_);
  title_->setWordWrap(true);
  l->addWidget(title_);
  l->addWidget(table_);
  probe_->setObjectName("lens-probe");
  probe_->setProperty("tone", "soft");
  probe_->setWordWrap(true);
  l->addWidget(probe_);
  makeLinks(l);
  l->addStretch();
  makeTable();
  wire();
  load();
  hide();
}

void LensPanel::makeHead() {
  head_->setObjectName("lens-panel-head");
  head_->setProperty("role", "head");
  head_->setStyleSheet("text-align: left; padding: 0;");
  head_->setToolTip(tr("show or fold the settings"));
  head_->setCheckable(true);
  head_->setChecked(QSettings().value("lens/settingsOpen", true).toBool());
  head_->setFocusPolicy(Qt::TabFocus);
  connect(head_, &QPushButton::toggled, this, [this](bool on) {
    QSettings().setValue("lens/settingsOpen", on);
    place();
  });
}

/// Links to where the least and the greatest value are.
void LensPanel::makeEnds(QVBoxLayout* l) {
  auto* ends = new QHBoxLayout;
  for (QPushButton* b : {least_, most_}) {
    b->setProperty("role", "link");
    b->setToolTip(tr("turn the view to this place"));
    ends->addWidget(b);
  }
  ends->insertStretch(1);
  least_->setObjectName("lens-least");
  most_->setObjectName("lens-most");
  l->addLayout(ends);
}

void LensPanel::makeLinks(QVBoxLayout* l) {
  asSeen_->setObjectName("lens-as-seen");
  asSeen_->setProperty("role", "link");
  asSeen_->setToolTip(tr("towards the eye; its arrow in the view can be dragged"));
  l->insertWidget(l->indexOf(settingsBox_) + 1, asSeen_, 0, Qt::AlignLeft);
  only_->setObjectName("lens-only");
  only_->setProperty("role", "link");
  l->addWidget(only_, 0, Qt::AlignLeft);
}

void LensPanel::makeTable() {
  table_->setObjectName("lens-table");
  table_->setAccessibleName(tr("what the lens found, worst first"));
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->verticalHeader()->hide();
  table_->setShowGrid(false);
  connect(table_, &QTableWidget::cellClicked, this, &LensPanel::look);
  connect(table_, &QTableWidget::cellActivated, this, &LensPanel::look);
}

void LensPanel::wire() {
  connect(least_, &QPushButton::clicked, this, [this] { w_.lookAt(leastAt_); });
  connect(most_, &QPushButton::clicked, this, [this] { w_.lookAt(mostAt_); });
  connect(only_, &QPushButton::clicked, this, [this] {
    auto state = view_.lens();
    state.only = state.only.empty() ? w_.focus().selectedBodies() : std::vector<std::string>{};
    view_.setLens(state);
  });
  connect(&view_, &ViewWidget::lensChanged, this, &LensPanel::lensChanged);
  connect(&view_, &ViewWidget::lensResultChanged, this, &LensPanel::showResult);
  connect(&view_, &ViewWidget::probed, this, &LensPanel::showProbe);
  connect(&view_, &ViewWidget::cutMoved, this, [this](double at) { set(scene::CutLook::kLens, "at", at); });
  connect(&view_, &ViewWidget::directionPulled, this, &LensPanel::setDirection);
  connect(asSeen_, &QPushButton::clicked, this, [this] { setDirection(-view_.camera().direction); });
  connect(&w_.focus(), &Focus::focusChanged, this, [this] {
    if (scene::isOn(view_.lens(), "joins")) syncTable(); // joints of curves follow what is picked
    place();
  });
}

void LensPanel::load() {
  for (const auto& lens : scene::lenses()) {
    const auto text = QSettings().value("lens/" + QString::fromStdString(lens->key())).toString().toStdString();
    json& settings = settings_[lens->key()] = json::parse(text, nullptr, false);
    if (!settings.is_object() || !recipe::shapeError(lens->settings(), settings).empty()) settings = json::object();
  }
  apply();
}

/// The settings as the view uses them.
void LensPanel::apply() {
  auto state = view_.lens();
  for (const auto& [lens, values] : settings_) scene::take(state, lens, values, w_.focus().names());
  view_.setLens(state);
}

void LensPanel::set(const std::string& lens, const json& values) {
  settings_[lens].update(values);
  json kept = settings_[lens];
  for (const char* ofProject : {"to", "at"}) kept.erase(ofProject); // they mean something in this project only
  QSettings().setValue("lens/" + QString::fromStdString(lens), QString::fromStdString(kept.dump()));
  apply();
}

void LensPanel::setDirection(const Vec3& d) {
  if (scene::directionOf(view_.lens())) set(view_.lens().surface, scene::ownDirection(d));
}

/// The settings of a lens; what a deviation can be measured to is what there is.
recipe::Schema LensPanel::schemaOf(const scene::Lens& lens) const {
  recipe::Schema schema = lens.settings();
  for (recipe::Field& f : schema) {
    if (lens.key() != scene::DeviationLook::kLens || f.key != "to" || !w_.scene()) continue;
    std::vector<recipe::Option> options{{"", "the first there is"}};
    for (const auto& g : w_.scene()->ghosts) options.push_back({g.step, g.label});
    for (const auto& b : w_.scene()->bodies) options.push_back({b.id, b.label});
    f = recipe::choice(f.key, f.label, f.help, options);
  }
  return schema;
}

void LensPanel::build(const std::vector<std::string>& lenses) {
  std::string key;
  for (const auto& l : lenses) {
    key += l + " ";
    if (l == scene::DeviationLook::kLens)
      for (const recipe::Field& f : schemaOf(*scene::findLens(l)))
        for (const auto& o : f.options) key += o.key + o.label + " ";
  }
  if (key != built_) {
    built_ = key;
    sections_.clear();
    while (auto* item = forms_->takeAt(0)) {
      if (item->widget()) item->widget()->deleteLater();
      delete item;
    }
    for (const auto& lens : lenses) {
      const scene::Lens& kind = *scene::findLens(lens);
      if (lenses.size() > 1) {
        auto* head = new QLabel(said(kind.label()));
        head->setProperty("tone", "head");
        forms_->addWidget(head);
      }
      auto* form = new FieldForm(schemaOf(kind), w_, view_);
      form->setObjectName("lens-form-" + QString::fromStdString(lens));
      forms_->addWidget(form);
      sections_.push_back({lens, form});
      connect(form, &FieldForm::changed, this,
              [this, lens](const std::string& field, const json& v) { set(lens, field, v); });
      connect(form, &FieldForm::enterAgain, &view_, [this] { view_.setFocus(); });
    }
  }
  for (const Section& s : sections_) s.form->setValues(settings_[s.lens]);
  QTimer::singleShot(0, this, &LensPanel::place); // editors that were just made have their size then
}

void LensPanel::lensChanged() {
  const auto lens = view_.lens();
  const std::string cut = scene::CutLook::kLens;
  if (scene::isOn(lens, cut) && !settings_[cut].contains("at") && w_.scene()) {
    // The plane begins in the middle of the form.
    const Vec3 middle = 0.5 * (w_.scene()->low + w_.scene()->high);
    return set(cut, "at", std::round(middle.dot(lens.look<scene::CutLook>().plane.normal())));
  }
  std::vector<std::string> on;
  for (const auto& k : scene::lenses())
    if (!k->settings().empty() && scene::isOn(lens, k->key())) on.push_back(k->key());
  build(on);
  showResult();
}

void LensPanel::showResult() {
  const auto lens = view_.lens();
  const auto result = view_.lensResult();
  const scene::FieldLens* field = scene::fieldLensOf(lens);
  const bool values = field && result && result->lens.surface == lens.surface;
  const bool known = values && result->spread.least;
  legend_->setVisible(known);
  least_->setVisible(known);
  most_->setVisible(known);
  share_->setVisible(values);
  cuts_->setVisible(scene::isOn(lens, scene::CutLook::kLens));
  if (values) {
    const auto& s = result->spread;
    legend_->show(*result);
    if (known) {
      least_->setText(tr("least %1").arg(valueText(lens, s.least->value)));
      most_->setText(tr("most %1").arg(valueText(lens, s.most->value)));
      leastAt_ = s.least->at;
      mostAt_ = s.most->at;
    }
    const QString percent = QString::fromStdString(formatNumber(100 * s.share, 3));
    QString words = said(known ? field->markedWords() : field->nothingWords());
    if (known) words.replace("%1", percent).replace("%2", QString::fromStdString(result->target));
    if (result->coarse) words += tr(" (refining)");
    share_->setText(words);
    share_->setVisible(!words.isEmpty());
  }
  if (scene::isOn(lens, scene::CutLook::kLens) && result) {
    QStringList lines;
    const auto n = [](double v) { return shownLengthOnly(v); };
    for (const auto& [label, cut] : result->cuts) {
      const Vec2 size = cut.high - cut.low;
      lines << tr("%1: %2 × %3, line %4")
                   .arg(QString::fromStdString(label), n(size.x()), shownLength(size.y()), shownLength(cut.lengthMm));
      if (cut.areaMm2 > 0) lines.back() += tr(", area %1").arg(shown({cut.areaMm2, Dimension::Area}));
      if (cut.thinnest) lines.back() += tr(", thinnest %1").arg(shownLength(cut.thinnest->mm));
    }
    cuts_->setText(lines.isEmpty() ? tr("the plane meets nothing") : lines.join("\n"));
    cuts_->setWordWrap(true);
  }
  place();
}

void LensPanel::showProbe(const std::optional<scene::Probe>& p) {
  if (!p) return probe_->setText(tr("point at the form for its figures there"));
  const auto n = [](double v) { return shownLengthOnly(v); };
  const auto radius = [&](double k) { return std::abs(k) < 1e-9 ? tr("flat") : shownLength(1 / k); };
  QStringList lines;
  lines << tr("%1 at %2, %3, %4 %5")
               .arg(QString::fromStdString(p->body), n(p->place.point.x()), n(p->place.point.y()),
                    n(p->place.point.z()), lengthUnit());
  lines << tr("normal %1, %2, %3")
               .arg(shownNumber(p->place.normal.x()), shownNumber(p->place.normal.y()),
                    shownNumber(p->place.normal.z()));
  lines << tr("radii %1 and %2").arg(radius(p->place.largest), radius(p->place.smallest));
  lines << tr("draft %1°").arg(shownNumber(p->draftDeg)) +
               (p->wallMm ? tr(", wall %1").arg(shownLength(*p->wallMm)) : QString());
  if (p->deviationMm) lines << tr("deviation %1").arg(shownLength(*p->deviationMm));
  probe_->setText(lines.join("\n"));
  place();
}

void LensPanel::look(int row) {
  chosen_ = items_[size_t(row)].at;
  showMarks(items_);
  w_.lookAt(*chosen_);
  // An opening that is asked for, or could be next, is picked with it.
  const auto edge = items_[size_t(row)].edge;
  if (edge && recipe::has(w_.focus().wanted(), recipe::Kind::Edge)) w_.focus().pick(*edge, false);
}

void LensPanel::fill(const QString& title, const QStringList& columns, const std::vector<LensItem>& items) {
  title_->setText(title);
  items_ = items;
  table_->clear();
  table_->setColumnCount(int(columns.size()));
  table_->setHorizontalHeaderLabels(columns);
  table_->setRowCount(int(items.size()));
  for (int r = 0; r < int(items.size()); ++r) {
    const LensItem& i = items[size_t(r)];
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
    marks.push_back({i.line, i.middle, i.letter, gradeColour(i.grade), open,
                     chosen_ && (*chosen_ - i.at).norm() < kSamePlaceMm ? chosen_ : std::nullopt});
  }
  view_.setLensMarks(std::move(marks));
}

void LensPanel::syncTable() {
  const auto lens = view_.lens();
  const bool joins = scene::isOn(lens, "joins"), list = joins || scene::isOn(lens, "openings");
  title_->setVisible(list);
  table_->setVisible(list);
  if (!list) {
    chosen_ = {};
    return view_.setLensMarks({});
  }
  if (joins) {
    const auto items = joinItems(w_);
    showMarks(items);
    const auto bad =
        std::count_if(items.begin(), items.end(), [](const LensItem& i) { return i.grade == inspect::Join::Grade::Bad || i.less; });
    fill(items.empty() ? tr("no two faces or curves meet")
         : bad == 0    ? tr("joins: %1, all as meant").arg(items.size())
                       : tr("joins: %1, not as meant: %2").arg(items.size()).arg(bad),
         {tr("join"), tr("gap mm"), tr("angle °"), tr("curv %"), tr("of")}, items);
  } else {
    const auto items = openingItems(w_);
    showMarks(items);
    fill(items.empty() ? tr("no openings: everything is closed") : tr("openings: %1").arg(items.size()),
         {tr("no"), tr("body"), tr("edges"), tr("length mm")}, items);
  }
}

void LensPanel::sync(int top) {
  top_ = top;
  syncTable();
  lensChanged();
}

void LensPanel::place() {
  const auto lens = view_.lens();
  const bool probes = lens.tellsOfPlaces(), joins = scene::isOn(lens, "joins"),
             list = joins || scene::isOn(lens, "openings");
  probe_->setVisible(probes);
  if (probe_->text().isEmpty()) showProbe({});
  probe_->setMinimumHeight((lens.surface == scene::DeviationLook::kLens ? 5 : 4) *
                           probe_->fontMetrics().lineSpacing());
  const bool picked = !w_.focus().selectedBodies().empty();
  only_->setVisible(!lens.only.empty() || (picked && !sections_.empty()));
  only_->setText(lens.only.empty() ? tr("only what is picked") : tr("all bodies again"));
  setVisible(!sections_.empty() || list || scene::fieldLensOf(lens));
  QStringList names;
  for (const Section& s : sections_) names << said(scene::findLens(s.lens)->label());
  head_->setText(names.join(", ") + (head_->isChecked() ? " −" : " +"));
  head_->setVisible(!sections_.empty());
  settingsBox_->setVisible(head_->isChecked() && !sections_.empty());
  asSeen_->setVisible(head_->isChecked() && scene::directionOf(lens));
  if (!isVisible()) return;
  const bool less = joins && std::any_of(items_.begin(), items_.end(), [](const LensItem& i) { return i.less; });
  setFixedWidth(withText(less ? kWideTable : list ? kTableWidth : kWidth));
  QLayout* l = inside_->layout();
  l->invalidate();
  l->activate();
  const int across = width() - 4;
  const int wanted = l->hasHeightForWidth() ? l->totalHeightForWidth(across) : l->totalSizeHint().height();
  setFixedHeight(std::min(view_.height() - top_ - 12, wanted + 12));
  moveToFreeCorner();
  raise();
}

/// Below at the right or, above the axes, at the left: where it hides less of the form. It stays there until it or the
/// view has another size.
void LensPanel::moveToFreeCorner() {
  const QRect right({view_.width() - width() - 12, view_.height() - height() - 12}, size());
  const QRect left({12, view_.height() - height() - kAboveAxes}, size());
  if (placedFor_ != std::pair(size(), view_.size())) {
    placedFor_ = {size(), view_.size()};
    atLeft_ = left.top() > top_ && view_.partUnder(left) + kWorthMoving < view_.partUnder(right);
  }
  move((atLeft_ ? left : right).topLeft());
}

} // namespace lumsk::app
