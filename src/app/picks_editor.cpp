#include "app/picks_editor.h"

#include "app/theme.h"
#include "app/view/view_widget.h"
#include "app/words.h"

#include <QMenu>
#include <QMouseEvent>
#include <bitset>

namespace lumsk::app {

namespace {

constexpr int kPickMargin = 14; ///< pixels, both sides of a button's words

} // namespace

namespace {

/// Words that end in dots where there is no room for all of them.
class ShortenedLabel : public QLabel {
public:
  explicit ShortenedLabel(const QString& text) : whole_(text) {
    setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Preferred); // the column keeps its width
    setToolTip(text);
    setText(text);
  }

protected:
  void resizeEvent(QResizeEvent* e) override {
    QLabel::resizeEvent(e);
    setText(fontMetrics().elidedText(whole_, Qt::ElideRight, width()));
  }

private:
  QString whole_;
};

} // namespace

Chip::Chip(int number, const QString& text, QWidget* parent) : QWidget(parent) {
  setObjectName("chip");
  setAttribute(Qt::WA_StyledBackground);
  setFixedHeight(26);
  setCursor(Qt::OpenHandCursor);
  setAccessibleName(tr("pick %1: %2").arg(number).arg(text));
  auto* l = new QHBoxLayout(this);
  l->setContentsMargins(4, 0, 4, 0);
  l->setSpacing(6);
  auto* n = new QLabel(QString::number(number));
  n->setAlignment(Qt::AlignCenter);
  n->setFixedSize(18, 18);
  n->setObjectName("badge");
  l->addWidget(n);
  l->addWidget(new ShortenedLabel(text), 1);
  auto* x = new QPushButton("×");
  x->setObjectName("remove-pick");
  x->setAccessibleName(tr("remove pick %1").arg(number));
  x->setFixedSize(20, 20);
  l->addWidget(x);
  connect(x, &QPushButton::clicked, this, &Chip::removed);
}

QPushButton* Chip::addChoice(const QString& text, const QString& tip) {
  auto* b = new QPushButton(text);
  b->setObjectName("pick-choice");
  b->setToolTip(tip);
  b->setAccessibleName(tip);
  b->setFixedHeight(20);
  auto* l = static_cast<QHBoxLayout*>(layout());
  l->insertWidget(l->count() - 1, b);
  return b;
}

void Chip::addPart(bool on) {
  auto* b = new QPushButton(tr("part"));
  b->setObjectName("pick-part");
  b->setCheckable(true);
  b->setChecked(on);
  b->setToolTip(on ? tr("use the whole curve again") : tr("use only a part of this curve"));
  b->setAccessibleName(b->toolTip());
  b->setFixedHeight(20);
  connect(b, &QPushButton::clicked, this, &Chip::partClicked);
  auto* l = static_cast<QHBoxLayout*>(layout());
  l->insertWidget(l->count() - 1, b);
}

void Chip::setState(State s, bool waits) {
  setProperty("state", s == State::Lost ? "lost" : s == State::Doubtful ? "doubtful" : "sound");
  setProperty("waits", waits);
  if (s != State::Sound) {
    auto* mark = new QLabel(s == State::Lost ? QString::fromUtf8("▲") : QString("?"));
    mark->setProperty("tone", s == State::Lost ? "bad" : "caution");
    mark->setAccessibleName(s == State::Lost ? tr("lost") : tr("doubtful"));
    static_cast<QHBoxLayout*>(layout())->insertWidget(1, mark);
  }
  setToolTip(waits                  ? tr("pick in the view what takes this place")
             : s == State::Lost     ? tr("this is no longer there: click, then pick it again")
             : s == State::Doubtful ? tr("found again by its shape or place: check it, or click and pick it again")
                                    : tr("click to pick another one in its place"));
}

void Chip::mousePressEvent(QMouseEvent* e) {
  pressed_ = e->globalPosition().toPoint();
  dragging_ = false;
}

void Chip::mouseMoveEvent(QMouseEvent* e) {
  if ((e->globalPosition().toPoint() - pressed_).manhattanLength() > 5) {
    dragging_ = true;
    setCursor(Qt::ClosedHandCursor);
    raise();
    move(x(), y() + int(e->globalPosition().y()) - pressed_.y());
    pressed_ = e->globalPosition().toPoint();
  }
}

void Chip::mouseReleaseEvent(QMouseEvent* e) {
  setCursor(Qt::OpenHandCursor);
  if (dragging_)
    emit draggedTo(e->globalPosition().toPoint());
  else
    emit clicked();
  dragging_ = false;
}

PicksEditor::PicksEditor(recipe::Field f, Workspace& w, ViewWidget& view)
    : FieldEditor(std::move(f)), w_(w), view_(view), list_(new QVBoxLayout), more_(new QPushButton) {
  auto* l = new QVBoxLayout(this);
  l->setContentsMargins(0, 0, 0, 0);
  l->setSpacing(3);
  list_->setSpacing(3);
  l->addLayout(list_);
  l->addWidget(more_);
  more_->setCheckable(true);
  more_->setSizePolicy(QSizePolicy::Ignored, QSizePolicy::Fixed);
  more_->setObjectName("pick-" + QString::fromStdString(field_.key));
  more_->setAccessibleName(tr("pick for %1").arg(said(field_.label)));
  more_->setProperty("role", "pick");
  connect(more_, &QPushButton::clicked, this, &FieldEditor::focused);
  auto* row = field_.drawn.empty() ? nullptr : new QHBoxLayout;
  if (row) l->addLayout(row);
  for (const recipe::DrawnHere& d : field_.drawn) {
    const QString what = said(w_.registry().find(d.kind)->label).toLower();
    auto* b = new QPushButton(icon("steps/" + QString::fromStdString(d.kind), IconTone::Text), tr("draw a %1").arg(what));
    b->setObjectName("draw-" + QString::fromStdString(d.kind));
    b->setCheckable(true);
    b->setToolTip(tr("click, then click a face or a plane: a %1 is drawn there and picked").arg(what));
    b->setProperty("role", "pick");
    row->addWidget(b);
    draw_.push_back(b);
    connect(b, &QPushButton::clicked, this, [this, kind = d.kind] { w_.focus().draw(field_.key, kind); });
  }
}

void PicksEditor::setActive(bool on) {
  more_->setChecked(on);
  // What is full has no empty place; a click on its chip picks another one for it.
  more_->setVisible(on || int(value_.size()) < field_.most);
  for (size_t i = 0; i < draw_.size(); ++i) draw_[i]->setChecked(on && w_.focus().drawing() == field_.drawn[i].kind);
  sayWhatToPick();
}

/// By names of kinds, where these find room and say something.
void PicksEditor::sayWhatToPick() {
  const QString kinds = said(recipe::kindNames(field_.accepts));
  const bool full = int(value_.size()) >= field_.most;
  const auto words = [&](const QString& what) { return (full ? tr("pick another %1") : tr("pick %1")).arg(what); };
  const bool nearlyAll = std::bitset<32>(unsigned(field_.accepts)).count() > 3;
  const bool fits = more_->fontMetrics().horizontalAdvance(words(kinds)) + kPickMargin <= more_->width();
  more_->setText(words(nearlyAll || !fits ? tr("in the view") : kinds));
  more_->setToolTip((more_->isChecked() ? tr("pick in the view now") : tr("click, then pick in the view")) + ": " + kinds);
}

void PicksEditor::resizeEvent(QResizeEvent* e) {
  FieldEditor::resizeEvent(e);
  sayWhatToPick();
}

namespace {

bool isPart(const json& pick) {
  return pick.contains("from") || pick.contains("to") || pick.contains("fromAt") || pick.contains("toAt");
}

/// ", part", when only a part of the picked curve counts.
QString portionWords(const json& pick) { return isPart(pick) ? PicksEditor::tr(", part") : QString(); }

} // namespace

QString PicksEditor::labelOf(const json& pick) const {
  const std::string step = pick.value("step", ""), part = pick.value("part", ""), kind = pick.value("kind", "");
  if (step == "world") return part == "origin" ? tr("origin") : tr("%1 plane").arg(QString::fromStdString(part));
  const auto* entry = w_.recipe().find(step);
  const QString name = entry ? QString::fromStdString(entry->label) : tr("lost");
  const int curves = w_.focus().curvesOf(step);
  if (part.empty() && kind == "curve" && curves > 1 && field_.most > 1) return tr("%1, all %2").arg(name).arg(curves);
  if (part.empty()) return name + portionWords(pick);
  return name + ", " +
         (kind == "edge" || kind == "face"      ? said(kind)
          : part.find('|') != std::string::npos ? tr("vertex")
                                                : QString::fromStdString(part)) +
         portionWords(pick);
}

void PicksEditor::setValue(const json& v) {
  QStringList labels;
  for (const json& p : v) labels << labelOf(p);
  if (const auto* r = w_.model() ? w_.model()->result(w_.focus().open()) : nullptr; r && r->outcome)
    for (const auto& f : r->outcome->marks.all<recipe::Flag>()) labels << QString::fromStdString(f.mark);
  for (const json& p : v) labels << QString::number(int(stateOf(p.value("id", ""))));
  labels << QString::fromStdString(w_.focus().replacing());
  if (v == value_ && labels == labels_) return;
  value_ = v;
  labels_ = labels;
  for (Chip* c : chips_) c->deleteLater();
  for (QWidget* r : partRows_) r->deleteLater();
  chips_.clear();
  partRows_.clear();
  for (int i = 0; i < int(v.size()); ++i) {
    auto* chip = new Chip(i + 1, labelOf(v[i]), this);
    list_->addWidget(chip);
    chips_.push_back(chip);
    addChoices(chip, i);
    addHowMany(chip, i);
    addPart(chip, i);
    addNumbers(i);
    const std::string item = v[size_t(i)].value("id", "");
    chip->setState(stateOf(item), item == w_.focus().replacing());
    connect(chip, &Chip::clicked, this, [this, item] { w_.focus().replace(w_.focus().open(), field_.key, item); });
    connect(chip, &Chip::removed, this, [this, i] {
      json next = value_;
      next.erase(size_t(i));
      view_.pointTo({});
      emit changed(next);
    });
    connect(chip, &Chip::hovered, this, [this, i](bool on) {
      if (on && i < int(value_.size()))
        view_.pointTo(
            scene::Highlight{value_[i].value("kind", "") == "point" ? recipe::Kind::Point : recipe::Kind::Curve,
                             value_[i].value("step", ""), value_[i].value("part", "")});
      else
        view_.pointTo({});
    });
    connect(chip, &Chip::draggedTo, this, [this, i](QPoint p) { move(i, p); });
  }
}

Chip::State PicksEditor::stateOf(const std::string& item) const {
  const auto* r = w_.model() ? w_.model()->result(w_.focus().open()) : nullptr;
  const auto means = [&](const Problem& p) { return p.field == field_.key && p.item == item && !item.empty(); };
  if (r && r->problem && means(*r->problem)) return Chip::State::Lost;
  if (r && r->outcome && r->status == recipe::Status::Ok)
    for (const Problem& n : r->outcome->notes)
      if (means(n)) return Chip::State::Doubtful;
  return Chip::State::Sound;
}

void PicksEditor::addChoices(Chip* chip, int index) {
  const json& pick = value_[size_t(index)];
  for (const recipe::Field& sub : field_.each)
    if (sub.kind == recipe::FieldKind::Continuity)
      addContinuity(chip, index, sub);
    else if (sub.kind == recipe::FieldKind::Choice && recipe::optionsFor(sub, pick).size() > 1)
      addChoice(chip, pick, sub);
}

/// Of a step that makes several curves: one of them, or all.
void PicksEditor::addHowMany(Chip* chip, int index) {
  const json& pick = value_[size_t(index)];
  const int n = w_.focus().curvesOf(pick.value("step", ""));
  if (n < 2 || pick.value("kind", "") != "curve" || int(value_.size()) + n - 1 > field_.most) return;
  const bool all = pick.value("part", "").empty();
  auto* b = chip->addChoice(all ? tr("only one") : tr("all %1").arg(n),
                            all ? tr("take only the first of these curves; click another in the view to take that")
                                : tr("take all curves of this step"));
  b->setObjectName("pick-how-many");
  connect(b, &QPushButton::clicked, this, [this, index, all] {
    json next = value_;
    json& p = next[size_t(index)];
    if (all) p["part"] = "1";
    if (all) return void(emit changed(next));
    // The others of that step are among them.
    const std::string step = p.value("step", ""), id = p.value("id", "");
    p.erase("part");
    for (size_t k = next.size(); k-- > 0;)
      if (next[k].value("step", "") == step && next[k].value("id", "") != id) next.erase(k);
    emit changed(next);
  });
}

/// The button of a pick's choice; "by itself" shows what was found, as its flag in the view does.
void PicksEditor::addChoice(Chip* chip, const json& pick, const recipe::Field& sub) {
  const std::string chosen = pick.value(sub.key, sub.options[0].key), id = pick.value("id", "");
  QString text;
  for (const auto& o : sub.options)
    if (o.key == chosen) text = said(o.label);
  int group = 0;
  if (const auto* r = w_.model()->result(w_.focus().open()); r && r->outcome && sub.options[0].key == "auto")
    for (const auto& f : r->outcome->marks.all<recipe::Flag>())
      if (f.field == field_.key && f.item == id) {
        group = f.group;
        if (!f.mark.empty()) text = QString::fromStdString(f.mark) + (chosen == sub.options[0].key ? "" : " ●");
      }
  connect(chip->addChoice(text, said(sub.help)), &QPushButton::clicked, this,
          [this, id, group, key = sub.key] { w_.steps().turnItem({w_.focus().open(), field_.key, id, key}, group); });
}

/// How the skin leaves this pick: a short list under its button.
void PicksEditor::addContinuity(Chip* chip, int index, const recipe::Field& sub) {
  const std::string chosen = value_[size_t(index)].value(sub.key, sub.fallback);
  QString text;
  for (const auto& o : sub.options)
    if (o.key == chosen) text = said(o.label);
  auto* b = chip->addChoice(text, said(sub.help));
  b->setObjectName("pick-" + QString::fromStdString(sub.key));
  auto* list = new QMenu(b);
  for (const auto& o : sub.options) {
    auto* a = list->addAction(said(o.label));
    a->setCheckable(true);
    a->setChecked(o.key == chosen);
    connect(a, &QAction::triggered, this, [this, index, key = sub.key, value = o.key] {
      json next = value_;
      next[size_t(index)][key] = value;
      emit changed(next);
    });
  }
  connect(b, &QPushButton::clicked, list, [b, list] { list->popup(b->mapToGlobal(QPoint(0, b->height()))); });
}

/// Numbers of a pick that apply to it.
void PicksEditor::addNumbers(int index) {
  std::vector<std::string> keys;
  for (const recipe::Field& sub : field_.each)
    if (sub.kind == recipe::FieldKind::Quantity && (sub.handle != recipe::Handle::None || !sub.conditions.empty()) &&
        recipe::applies(sub, field_.each, value_[size_t(index)]))
      keys.push_back(sub.key);
  if (!keys.empty()) list_->addWidget(numbersRow(index, keys));
}

void PicksEditor::addPart(Chip* chip, int index) {
  const json& pick = value_[size_t(index)];
  const std::string kind = pick.value("kind", "");
  if (!recipe::findField(field_.each, "from") || (kind != "curve" && kind != "edge")) return;
  chip->addPart(isPart(pick));
  connect(chip, &Chip::partClicked, this, [this, index] {
    json next = value_;
    json& p = next[size_t(index)];
    const bool was = isPart(p);
    for (const char* key : {"from", "to", "fromAt", "toAt"}) p.erase(key);
    if (!was) p["from"] = 0, p["to"] = 1;
    emit changed(next);
  });
  if (isPart(pick)) list_->addWidget(partRow(index));
}

QWidget* PicksEditor::partRow(int index) { return numbersRow(index, {"from", "to"}); }

QWidget* PicksEditor::numbersRow(int index, const std::vector<std::string>& keys) {
  auto* row = new QWidget(this);
  auto* l = new QHBoxLayout(row);
  l->setContentsMargins(26, 0, 0, 0);
  l->setSpacing(4);
  const json& pick = value_[size_t(index)];
  for (const std::string& key : keys) {
    const recipe::Field* f = recipe::findField(field_.each, key);
    l->addWidget(new QLabel(said(f->label).toLower()));
    auto* editor = new QuantityEditor(*f, w_);
    editor->setObjectName("part-" + QString::fromStdString(key));
    editor->setAccessibleName(said(f->help));
    if (const json at = pick.value(key + "At", json()); at.is_array() && !at.empty()) {
      const auto* step = w_.recipe().find(at[0].value("step", ""));
      editor->setInstead(step ? tr("at %1").arg(QString::fromStdString(step->label)) : tr("at a pick"));
    } else {
      editor->setValue(pick.value(key, key == "to" ? json(1) : key == "from" ? json(0) : recipe::defaultValue(*f)));
    }
    connect(editor, &FieldEditor::changed, this, [this, index, key](const json& v) {
      json next = value_;
      next[size_t(index)][key] = v;
      next[size_t(index)].erase(key + "At");
      emit changed(next);
    });
    l->addWidget(editor, 1);
  }
  partRows_.push_back(row);
  return row;
}

void PicksEditor::move(int from, QPoint global) {
  labels_.clear(); // the chips have been moved by hand: lay them out anew
  const int y = mapFromGlobal(global).y();
  const int to = std::clamp(y / 29, 0, int(value_.size()) - 1);
  json next = json::array();
  for (int i = 0; i < int(value_.size()); ++i)
    if (i != from) next.push_back(value_[i]);
  next.insert(next.begin() + to, value_[from]);
  if (next == value_)
    setValue(value_);
  else
    emit changed(next);
}

} // namespace lumsk::app
