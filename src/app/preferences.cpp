#include "app/preferences.h"

#include <QApplication>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QSettings>
#include <QVBoxLayout>

#include <cmath>

namespace lumsk::app {

namespace {

constexpr double kInchMm = 25.4;
constexpr int kLeastDigits = 3;               ///< of figures below one
constexpr double kTooSmallForDecimals = 1e-6; ///< written with a power of ten

Preferences load() {
  const QSettings s;
  Preferences p;
  p.theme = themeOf(s.value("preferences/theme").toString());
  p.textScale = std::clamp(s.value("preferences/textScale", 1.0).toDouble(), 0.5, 3.0);
  p.inches = s.value("preferences/inches", false).toBool();
  p.decimals = std::clamp(s.value("preferences/decimals", 2).toInt(), 0, 6);
  p.navigationSpeed = std::clamp(s.value("preferences/navigationSpeed", 1.0).toDouble(), 0.1, 5.0);
  p.smoothEdges = s.value("preferences/smoothEdges", true).toBool();
  return p;
}

Preferences& current() {
  static Preferences p = load();
  return p;
}

} // namespace

const Preferences& preferences() { return current(); }

void usePreferences(const Preferences& p) {
  const bool looks = p.theme != theme() || p.textScale != current().textScale;
  current() = p;
  QSettings s;
  s.setValue("preferences/theme", themeName(p.theme));
  s.setValue("preferences/textScale", p.textScale);
  s.setValue("preferences/inches", p.inches);
  s.setValue("preferences/decimals", p.decimals);
  s.setValue("preferences/navigationSpeed", p.navigationSpeed);
  s.setValue("preferences/smoothEdges", p.smoothEdges);
  if (looks) applyTheme(*qApp, p.theme, p.textScale);
}

QString shownNumber(double v, int digits) {
  const double size = std::abs(v);
  if (digits || size < kTooSmallForDecimals)
    return QString::fromStdString(formatNumber(v, digits ? digits : kLeastDigits));
  int decimals = current().decimals;
  if (size < 1) decimals = std::max(decimals, kLeastDigits - 1 - int(std::floor(std::log10(size))));
  QString text = QString::number(v, 'f', decimals);
  if (text.contains('.')) {
    while (text.endsWith('0')) text.chop(1);
    if (text.endsWith('.')) text.chop(1);
  }
  return text;
}

QString lengthUnit() { return current().inches ? "in" : "mm"; }
QString shownLengthOnly(double mm) { return shownNumber(current().inches ? mm / kInchMm : mm); }
QString shownLength(double mm, int digits) {
  return shownNumber(current().inches ? mm / kInchMm : mm, digits) + " " + lengthUnit();
}

QString shown(const Quantity& q) {
  const bool inches = current().inches;
  switch (q.dimension) {
  case Dimension::Length: return shownLength(q.value);
  case Dimension::Area:
    return inches ? shownNumber(q.value / (kInchMm * kInchMm)) + " in²" : shownNumber(q.value) + " mm²";
  case Dimension::Volume:
    return inches ? shownNumber(q.value / (kInchMm * kInchMm * kInchMm)) + " in³"
                  : shownNumber(q.value / 1000) + " cm³";
  default: break;
  }
  const QString unit = unitName(q.dimension);
  return unit.isEmpty() ? shownNumber(q.value) : shownNumber(q.value) + " " + unit;
}

PreferencesDialog::PreferencesDialog(QWidget* parent) : QDialog(parent) {
  setObjectName("preferences");
  setWindowTitle(tr("Preferences"));
  setAttribute(Qt::WA_DeleteOnClose);
  auto* l = new QVBoxLayout(this);
  auto* form = new QFormLayout;
  l->addLayout(form);
  const auto choice = [&](const QString& label, const char* name, const std::vector<std::pair<QString, QVariant>>& all,
                          const QVariant& now, const std::function<void(Preferences&, const QVariant&)>& set) {
    auto* box = new QComboBox;
    box->setObjectName(name);
    box->setAccessibleName(label);
    for (const auto& [words, value] : all) box->addItem(words, value);
    box->setCurrentIndex(std::max(0, box->findData(now)));
    form->addRow(label, box);
    connect(box, &QComboBox::activated, this, [this, box, set] {
      Preferences p = preferences();
      set(p, box->currentData());
      usePreferences(p);
      emit changed();
    });
  };
  const Preferences& p = preferences();
  choice(tr("Theme"), "preferences-theme", {{tr("Clay, light"), "clay"}, {tr("Slate, dark"), "slate"}},
         themeName(p.theme), [](Preferences& q, const QVariant& v) { q.theme = themeOf(v.toString()); });
  choice(tr("Text size"), "preferences-text",
         {{tr("smaller"), 0.85}, {tr("as on the desktop"), 1.0}, {tr("larger"), 1.2}, {tr("large"), 1.5}}, p.textScale,
         [](Preferences& q, const QVariant& v) { q.textScale = v.toDouble(); });
  choice(tr("Lengths shown in"), "preferences-units", {{tr("millimetres"), false}, {tr("inches"), true}}, p.inches,
         [](Preferences& q, const QVariant& v) { q.inches = v.toBool(); });
  choice(tr("Decimals"), "preferences-decimals", {{"0", 0}, {"1", 1}, {"2", 2}, {"3", 3}, {"4", 4}}, p.decimals,
         [](Preferences& q, const QVariant& v) { q.decimals = v.toInt(); });
  choice(tr("Turning and zooming"), "preferences-speed", {{tr("slow"), 0.5}, {tr("usual"), 1.0}, {tr("fast"), 1.7}},
         p.navigationSpeed, [](Preferences& q, const QVariant& v) { q.navigationSpeed = v.toDouble(); });
  choice(tr("Edges of what stands still"), "preferences-edges", {{tr("smooth"), true}, {tr("plain, faster without a graphics card"), false}}, p.smoothEdges,
         [](Preferences& q, const QVariant& v) { q.smoothEdges = v.toBool(); });
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
}

} // namespace lumsk::app
