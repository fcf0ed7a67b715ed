#include "app/bureau_window.h"

#include "app/widgets.h"
#include "app/words.h"

#include <QComboBox>
#include <QFormLayout>
#include <QLineEdit>
#include <QSlider>
#include <QSpinBox>

namespace lumsk::app {

namespace {

constexpr int kWishWide = 280, kMostShown = 12; ///< pixels; reasons

/// Words of others: never taken for more than text.
QLabel* plain(const char* name, const char* tone) {
  auto* l = new QLabel;
  l->setObjectName(name);
  l->setTextFormat(Qt::PlainText);
  l->setWordWrap(true);
  l->setProperty("tone", tone);
  return l;
}

} // namespace

BureauWindow::BureauWindow(Workspace& w, QWidget* parent)
    : QDialog(parent), w_(w), name_(plain("bureau-name", "soft")), parts_(plain("bureau-parts", "")), state_(plain("bureau-state", "head")), figures_(plain("bureau-figures", "")),
      note_(plain("bureau-note", "caution")), height_(plain("bureau-height", "soft")), address_(named(new QLineEdit, "bureau-address", tr("socket of the bureau"))),
      manner_(named(new QComboBox, "bureau-manner", tr("how the simulated bureau behaves"))), material_(named(new QComboBox, "bureau-material", tr("material"))),
      layer_(named(new QComboBox, "bureau-layers", tr("height of a layer"))), copies_(named(new QSpinBox, "bureau-copies", tr("how many"))),
      ask_(named(new QPushButton(tr("Ask for an offer")), "bureau-ask", {})), reasons_(new QVBoxLayout), sliced_(new QWidget), layers_(new LayerView),
      at_(named(new QSlider(Qt::Horizontal), "bureau-at", tr("which layer, from the bed up"))) {
  setObjectName("bureau-window");
  setWindowTitle(tr("Print bureau"));
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(16, 14, 16, 14);
  row->setSpacing(20);
  row->addWidget(wishSide());
  row->addWidget(answerSide(), 1);
  resize(760, 480);
  connect(address_, &QLineEdit::editingFinished, this, [this] {
    if (address_->isModified()) address_->setModified(false), call();
  });
  connect(manner_, &QComboBox::currentIndexChanged, this, &BureauWindow::call);
  for (QComboBox* c : {material_, layer_}) connect(c, &QComboBox::activated, this, &BureauWindow::forget);
  connect(copies_, &QSpinBox::valueChanged, this, &BureauWindow::forget);
  connect(ask_, &QPushButton::clicked, this, [this] {
    if (asking_.busy())
      asking_.stop();
    else if (line_)
      ask();
    else if (!calling_.busy())
      call();
  });
  connect(at_, &QSlider::valueChanged, this, &BureauWindow::showLayer);
  connect(&asking_, &Background::progressed, this, [this](double share, const QString& doing) {
    state(share > 0 ? tr("%1, %2 %").arg(said(doing.toStdString())).arg(qRound(100 * share)) : said(doing.toStdString()), "soft");
  });
  for (Background* b : {&calling_, &asking_, &fetching_})
    connect(b, &Background::broken, this, [this](const QString& why) {
      state(brokenInside(why), "bad");
      enable();
    });
  connect(&w_.results(), &Results::modelChanged, this, [this] {
    if (!isVisible()) return;
    count();
    if (answer_ && w_.model() != askedOf_) note(tr("The form has changed since it was sent."), "caution");
  });
}

QWidget* BureauWindow::wishSide() {
  auto* side = new QWidget;
  side->setFixedWidth(kWishWide);
  auto* l = new QVBoxLayout(side);
  l->setContentsMargins({});
  l->setSpacing(8);
  l->addWidget(toned(tr("What is sent"), "head"));
  l->addWidget(parts_);
  auto* form = new QFormLayout;
  copies_->setRange(1, 1);
  form->addRow(tr("Material"), material_);
  form->addRow(tr("Layers"), layer_);
  form->addRow(tr("Copies"), copies_);
  l->addLayout(form);
  ask_->setProperty("role", "keep");
  l->addWidget(ask_);
  l->addWidget(toned(tr("Where to"), "section"));
  l->addWidget(name_);
  auto* where = new QFormLayout;
  address_->setPlaceholderText(tr("the simulated bureau"));
  address_->setToolTip(tr("path of the socket of another bureau on this machine"));
  for (const QString& words : {tr("as it should"), tr("takes its time"), tr("is down"), tr("refuses everything"), tr("breaks off"), tr("talks nonsense")}) manner_->addItem(words);
  manner_->setToolTip(tr("The simulated bureau can behave badly, to see what comes of it. Nothing leaves this machine."));
  where->addRow(tr("Address"), address_);
  where->addRow(tr("Behaves"), manner_);
  l->addLayout(where);
  l->addStretch();
  return side;
}

QWidget* BureauWindow::answerSide() {
  auto* side = new QWidget;
  auto* l = new QVBoxLayout(side);
  l->setContentsMargins({});
  l->setSpacing(8);
  l->addWidget(state_);
  l->addWidget(note_);
  l->addWidget(figures_);
  l->addLayout(reasons_);
  auto* inside = new QVBoxLayout(sliced_);
  inside->setContentsMargins({});
  inside->setSpacing(6);
  inside->addWidget(layers_, 1);
  auto* row = new QHBoxLayout;
  height_->setWordWrap(false);
  row->addWidget(at_, 1);
  row->addWidget(height_);
  inside->addLayout(row);
  inside->addWidget(layerLegend());
  l->addWidget(sliced_, 1);
  l->addStretch();
  return side;
}

void BureauWindow::open() {
  show();
  raise();
  activateWindow();
  ask_->setFocus();
  count();
  if (!line_ && !calling_.busy()) call();
}

void BureauWindow::hideEvent(QHideEvent* e) {
  asking_.stop(); // nobody would see the answer
  QDialog::hideEvent(e);
}

void BureauWindow::count() {
  int solids = 0, skins = 0;
  for (const auto& b : w_.model()->bodies)
    if (b.visible && !b.stale) ++(b.body->solid() ? solids : skins);
  QString words = solids == 1 ? tr("1 solid in sight, as 3MF") : tr("%1 solids in sight, as 3MF").arg(solids);
  if (skins > 0) words += "\n" + (skins == 1 ? tr("1 skin stays here: it has no inside") : tr("%1 skins stay here: they have no inside").arg(skins));
  parts_->setText(words);
}

void BureauWindow::state(const QString& words, const char* tone) { say(*state_, words, tone); }

void BureauWindow::note(const QString& words, const char* tone) {
  say(*note_, words, tone);
  note_->show();
}

void BureauWindow::enable() {
  const bool asking = asking_.busy();
  ask_->setText(asking ? tr("Stop") : line_ ? tr("Ask for an offer") : tr("Try again"));
  for (QWidget* wish : {static_cast<QWidget*>(material_), static_cast<QWidget*>(layer_), static_cast<QWidget*>(copies_)}) wish->setEnabled(line_ && !asking);
  for (QWidget* where : {static_cast<QWidget*>(address_), static_cast<QWidget*>(manner_)}) where->setEnabled(!asking);
  if (!address_->text().isEmpty()) manner_->setEnabled(false);
}

void BureauWindow::forget() {
  answer_.reset();
  askedOf_.reset();
  note_->clear();
  showReasons();
  state(line_ ? tr("No offer yet. The form is sent to be looked at; nothing is ordered.") : tr("There is nobody to ask yet."), "soft");
}

void BureauWindow::call() {
  line_.reset();
  forget();
  name_->clear();
  state(tr("calling the bureau"), "soft");
  const std::string address = address_->text().trimmed().toStdString();
  const auto manner = exchange::bureauManners()[size_t(std::max(0, manner_->currentIndex()))].second;
  calling_.run<Expected<Line>>(
      [address, manner](const Context& cx) -> Expected<Line> {
        Line line;
        line.socket = address;
        if (address.empty()) {
          LUMSK_TRY(own, exchange::OwnBureau::start(manner));
          line.own = std::move(own);
          line.socket = line.own->socket();
        }
        LUMSK_TRY(terms, exchange::bureauTerms(line.socket, cx));
        line.terms = std::move(terms);
        return line;
      },
      [this](Expected<Line> line) { connected(std::move(line)); });
  enable();
}

void BureauWindow::connected(Expected<Line> line) {
  if (!line) {
    state(said(line.error()), "bad");
    return enable();
  }
  line_ = std::move(*line);
  const exchange::BureauTerms& t = line_->terms;
  name_->setText(tr("%1: up to %2 × %3 × %4 mm, walls from %5 mm")
                     .arg(QString::fromStdString(t.name))
                     .arg(t.roomMm.x())
                     .arg(t.roomMm.y())
                     .arg(t.roomMm.z())
                     .arg(t.leastWallMm));
  const QString material = material_->currentData().toString();
  const double layer = layer_->count() > 0 ? layer_->currentData().toDouble() : 0.2;
  material_->clear();
  for (const auto& m : t.materials) material_->addItem(tr("%1, %2 EUR/g").arg(QString::fromStdString(m.label)).arg(m.eurPerGram, 0, 'f', 2), QString::fromStdString(m.key));
  material_->setCurrentIndex(std::max(0, material_->findData(material)));
  layer_->clear();
  for (const double mm : t.layersMm) layer_->addItem(tr("%1 mm").arg(mm), mm);
  layer_->setCurrentIndex(std::max(0, layer_->findData(layer)));
  copies_->setRange(1, std::max(1, t.mostCopies));
  forget();
  enable();
}

void BureauWindow::ask() {
  forget();
  askedOf_ = w_.model();
  const exchange::BureauWish wish{material_->currentData().toString().toStdString(), layer_->currentData().toDouble(), copies_->value()};
  state(tr("sending"), "soft");
  asking_.run<Expected<exchange::BureauAnswer>>(
      [line = *line_, model = askedOf_, wish](const Context& cx) { return exchange::askBureau(line.socket, *model, wish, {}, cx); },
      [this](Expected<exchange::BureauAnswer> made) { answered(std::move(made)); });
  enable();
}

void BureauWindow::answered(Expected<exchange::BureauAnswer> made) {
  enable();
  if (!made) {
    isCancelled(made.error()) ? state(tr("Stopped. Nothing was ordered."), "soft") : state(said(made.error()), "bad");
    // Who breaks off may have gone for good; the simulated one is started anew by asking again.
    if (!isCancelled(made.error()) && made.error().code == "LM-F051") line_.reset(), enable();
    return;
  }
  answer_ = std::move(*made);
  const exchange::BureauAnswer& a = *answer_;
  const QString who = QString::fromStdString(line_->terms.name);
  if (a.accepted) {
    state(tr("%1 accepts: %2 EUR").arg(who).arg(a.eur, 0, 'f', 2), "head");
  } else {
    state(tr("%1 refuses").arg(who), "bad");
  }
  QStringList notSent;
  for (const auto& l : a.leftOut) notSent << said(l);
  if (!notSent.isEmpty()) note(tr("Not sent: %1").arg(notSent.join("; ")), "caution");
  showReasons();
}

void BureauWindow::showReasons() {
  while (QLayoutItem* item = reasons_->takeAt(0)) {
    delete item->widget();
    delete item;
  }
  note_->setVisible(answer_ && !note_->text().isEmpty());
  figures_->setVisible(answer_ && answer_->accepted);
  sliced_->setVisible(answer_ && answer_->layers > 0);
  layers_->show({});
  if (!answer_) return;
  const exchange::BureauAnswer& a = *answer_;
  figures_->setText(tr("each: %1 h on the machine, %2 g, %3 g of supports to be broken off, %4 cm³")
                        .arg(a.hours, 0, 'f', 1)
                        .arg(a.grams, 0, 'f', 1)
                        .arg(a.supportGrams, 0, 'f', 1)
                        .arg(a.volumeMm3 / 1000, 0, 'f', 2));
  for (const auto& r : a.reasons) {
    if (reasons_->count() == kMostShown) {
      reasons_->addWidget(toned(tr("and %1 more").arg(int(a.reasons.size()) - kMostShown), "soft"));
      break;
    }
    auto* line = new QWidget;
    auto* row = new QHBoxLayout(line);
    row->setContentsMargins({});
    auto* words = plain("bureau-reason", "");
    words->setText((r.part.empty() ? QString() : QString::fromStdString(r.part) + ": ") + said(r.what));
    row->addWidget(words, 1);
    if (r.at) {
      auto* there = named(new QPushButton(tr("Show where")), "bureau-there", tr("turns the view to the place"));
      connect(there, &QPushButton::clicked, this, [this, at = *r.at] { w_.lookAt(at); });
      row->addWidget(there);
    }
    reasons_->addWidget(line);
  }
  if (a.layers <= 0) return;
  layers_->setBox(a.low, a.high);
  const QSignalBlocker quiet(at_);
  at_->setRange(0, a.layers - 1);
  at_->setPageStep(std::max(1, a.layers / 10));
  at_->setValue(a.layers / 2);
  showLayer(at_->value());
}

void BureauWindow::showLayer(int k) {
  if (!answer_ || !line_) return;
  height_->setText(tr("layer %1 of %2").arg(k + 1).arg(answer_->layers));
  if (fetching_.busy()) return void(nextLayer_ = k);
  fetching_.run<Expected<exchange::BureauLayer>>(
      [line = *line_, order = answer_->order, k](const Context& cx) { return exchange::bureauLayer(line.socket, order, k, cx); },
      [this, order = answer_->order](Expected<exchange::BureauLayer> layer) {
        const auto next = std::exchange(nextLayer_, std::nullopt);
        if (!answer_ || answer_->order != order) return;
        if (!layer) return note(said(layer.error()), "bad");
        height_->setText(tr("layer %1 of %2, at %3 mm").arg(at_->value() + 1).arg(answer_->layers).arg(layer->zMm, 0, 'f', 2));
        layers_->show(*layer);
        if (next) showLayer(*next);
      });
}

} // namespace lumsk::app
