#include "app/iron_tray.h"

#include "app/preferences.h"
#include "app/view/view_widget.h"
#include "app/widgets.h"
#include "app/words.h"
#include "recipe/edit.h"

#include <QLineEdit>
#include <chrono>
#include <nlohmann/json.hpp>

namespace lumsk::app {

namespace {

constexpr int kWordsWide = 330; ///< pixels, of what came of it

} // namespace

IronTray::IronTray(Workspace& w, ViewWidget& view)
    : w_(w), view_(view), title_(toned(tr("Iron out"), "head")), what_(toned({}, "soft")), result_(toned({}, "soft")), most_(new QLineEdit("0.2")),
      go_(new QPushButton(tr("Iron out"))), keep_(new QPushButton(tr("Keep"))), drop_(new QPushButton(tr("Drop"))) {
  setObjectName("iron");
  setAccessibleName(tr("move control points so that skins wrinkle less"));
  setAttribute(Qt::WA_StyledBackground);
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(12, 8, 12, 8);
  row->setSpacing(12);
  auto* words = new QVBoxLayout;
  words->setSpacing(2);
  words->addWidget(title_);
  words->addWidget(what_);
  row->addLayout(words);
  row->addWidget(toned(tr("no control point further than"), "soft"));
  most_->setObjectName("iron-most");
  most_->setAccessibleName(tr("how far control points may move"));
  most_->setFixedWidth(76);
  row->addWidget(most_);
  row->addWidget(toned(tr("mm"), "soft"));
  go_->setObjectName("iron-go");
  row->addWidget(go_);
  result_->setObjectName("iron-result");
  result_->setWordWrap(true);
  result_->setMinimumWidth(kWordsWide);
  row->addWidget(result_, 1);
  drop_->setObjectName("iron-drop");
  keep_->setObjectName("iron-keep");
  keep_->setProperty("role", "keep");
  row->addWidget(drop_);
  row->addWidget(keep_);
  hide();
  connect(go_, &QPushButton::clicked, this, &IronTray::run);
  connect(most_, &QLineEdit::returnPressed, this, &IronTray::run);
  connect(keep_, &QPushButton::clicked, this, &IronTray::end);
  connect(drop_, &QPushButton::clicked, this, &IronTray::giveUp);
  connect(&w_, &Workspace::ironWanted, this, &IronTray::open);
  connect(&w_.file(), &ProjectFile::projectReplaced, this, &IronTray::end);
  connect(&work_, &Background::broken, this, [this](const QString& why) {
    busy_ = false;
    say(*result_, brokenInside(why), "bad");
  });
}

void IronTray::open() {
  std::vector<recipe::PickRef> picks;
  if (const auto& step = w_.focus().open(); !step.empty()) {
    recipe::PickRef p;
    p.step = step;
    p.kind = recipe::Kind::Skin;
    picks.push_back(p);
  } else {
    picks.assign(w_.focus().selection().begin(), w_.focus().selection().end());
  }
  w_.session().keepDraft();
  const auto led = recipe::skinsLedBy(picks, *w_.model(), w_.registry());
  if (!led) return void(emit w_.told(said(led.error())));
  if (isVisible()) end();
  picks_ = std::move(picks);
  const auto moving = std::count_if(led->curves.begin(), led->curves.end(), [](const auto& c) { return !c.held; });
  QStringList names;
  for (const std::string& id : led->steps) names << QString::fromStdString(w_.recipe().find(id)->label);
  what_->setText(tr("%1 curves of %2").arg(moving).arg(names.join(", ")));
  result_->clear();
  for (QPushButton* b : {keep_, drop_}) b->setEnabled(false);
  QFrame::show();
  most_->setFocus();
  most_->selectAll();
}

void IronTray::run() {
  const auto most = recipe::numberOf(json(most_->text().toStdString()), Dimension::Length, w_.focus().names());
  if (!most) return say(*result_, said(most.error()), "bad");
  if (!(*most > 0)) return say(*result_, tr("a distance above nought is wanted"), "bad");
  takeBack();
  busy_ = true;
  say(*result_, tr("ironing out"), "soft");
  const recipe::ModelPtr model = w_.model();
  auto recipe = w_.session().recipePtr();
  const recipe::Registry& registry = w_.registry();
  using Made = std::pair<Expected<recipe::IronedOut>, double>;
  work_.run<Made>(
      [picks = picks_, mm = *most, model, recipe, &registry](Context cx) {
        const auto begin = std::chrono::steady_clock::now();
        cx.progress = {};
        cx.tolerances = recipe->tolerances;
        recipe::ModelPtr now = model;
        if (now->recipe != recipe) { // what was tried before has just been taken back
          recipe::Evaluator evaluator(registry);
          recipe::EvaluateOptions o;
          o.cancel = cx.cancel;
          o.previous = model;
          for (const auto& [id, r] : model->results)
            if (r.outcome && r.status == recipe::Status::Ok) evaluator.remember(r.key, r.outcome);
          now = evaluator.evaluate(recipe, o);
        }
        auto made = recipe::ironedOut(picks, {mm}, *now, registry, cx);
        return Made{std::move(made), std::chrono::duration<double>(std::chrono::steady_clock::now() - begin).count()};
      },
      [this, recipe](Made made) {
        busy_ = false;
        if (isVisible() && w_.session().recipePtr() == recipe) finished(std::move(made.first), made.second);
      });
}

void IronTray::finished(Expected<recipe::IronedOut> made, double seconds) {
  if (!made) return say(*result_, said(made.error()), "bad");
  const auto number = [](double v) { return QString::fromStdString(formatNumber(v, 3)); };
  view_.keepBefore();
  done_ = std::move(*made);
  w_.session().edit(done_->recipe, tr("iron out"));
  after_ = w_.session().recipePtr();
  say(*result_, tr("wrinkle index %1 instead of %2 - %3 control points moved by at most %4 - %5 s - hold B to see it as it was")
          .arg(number(done_->after), number(done_->before))
          .arg(done_->points)
          .arg(shownLength(done_->mostMm, 3))
          .arg(seconds, 0, 'f', 1),
      "soft");
  for (QPushButton* b : {keep_, drop_}) b->setEnabled(true);
  view_.setFocus();
}

void IronTray::takeBack() {
  if (done_ && after_ == w_.session().recipePtr()) w_.session().undo();
  done_.reset();
  after_.reset();
  for (QPushButton* b : {keep_, drop_}) b->setEnabled(false);
}

void IronTray::giveUp() {
  takeBack();
  end();
}

void IronTray::end() {
  work_.stop();
  busy_ = false;
  done_.reset();
  after_.reset();
  picks_.clear();
  hide();
}

} // namespace lumsk::app
