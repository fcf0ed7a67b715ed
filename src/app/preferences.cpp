#include "app/preferences.h"

#include <QApplication>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QSettings>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {

constexpr double kInchMm = 25.4;

Preferences load() {
  const QSettings s;
  Preferences p;
  p.theme = themeOf(s.value("preferences/theme").toString());
  p.textScale = std::clamp(s.value("preferences/textScale", 1.0).toDouble(), 0.5, 3.0);
  p.inches = s.value("preferences/inches", false).toBool();
  p.digits = std::clamp(s.value("preferences/digits", 4).toInt(), 2, 8);
  p.navigationSpeed = std::clamp(s.value("preferences/navigationSpeed", 1.0).toDouble(), 0.1, 5.0);
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
  s.setValue("preferences/digits", p.digits);
  s.setValue("preferences/navigationSpeed", p.navigationSpeed);
  if (looks) applyTheme(*qApp, p.theme, p.textScale);
}

QString shownNumber(double v, int digits) {
  return QString::fromStdString(formatNumber(v, digits ? digits : current().digits));
}
QString lengthUnit() { return current().inches ? "in" : "mm"; }
QString shownLengthOnly(double mm) { return shownNumber(current().inches ? mm / kInchMm : mm); }
QString shownLength(double mm, int digits) {
  return shownNumber(current().inches ? mm / kInchMm : mm, digits) + " " + lengthUnit();
}

QString shown(const Quantity& q) {
  if (!current().inches) return QString::fromStdString(format(q, current().digits));
  switch (q.dimension) {
  case Dimension::Length: return shownLength(q.value);
  case Dimension::Area: return shownNumber(q.value / (kInchMm * kInchMm)) + " in²";
  case Dimension::Volume: return shownNumber(q.value / (kInchMm * kInchMm * kInchMm)) + " in³";
  default: return QString::fromStdString(format(q, current().digits));
  }
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
  choice(tr("Digits of figures"), "preferences-digits", {{"3", 3}, {"4", 4}, {"5", 5}, {"6", 6}}, p.digits,
         [](Preferences& q, const QVariant& v) { q.digits = v.toInt(); });
  choice(tr("Turning and zooming"), "preferences-speed", {{tr("slow"), 0.5}, {tr("usual"), 1.0}, {tr("fast"), 1.7}},
         p.navigationSpeed, [](Preferences& q, const QVariant& v) { q.navigationSpeed = v.toDouble(); });
  auto* buttons = new QDialogButtonBox(QDialogButtonBox::Close);
  l->addWidget(buttons);
  connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::close);
}

} // namespace lumsk::app
