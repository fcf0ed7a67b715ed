#include "app/theme.h"

#include "sheet/fonts.h"

#include <QApplication>
#include <QFile>
#include <QIconEngine>
#include <QPainter>
#include <QPixmapCache>
#include <QSvgRenderer>

namespace lumsk::app {

namespace {

// Words that begin with @ are colours of the theme.
constexpr const char* kStyle = R"(
* { font-family: "Inter"; }
QWidget { color: @text; }
QDialogButtonBox { dialogbuttonbox-buttons-have-icons: 0; }
QMainWindow, QDialog { background: @ground; }
QMenuBar { background: @panel; border-bottom: 1px solid @line; }
QMenuBar::item { padding: 6px 10px; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: @accentSoft; color: @accentText; }
QMenu { background: @panel; border: 1px solid @line; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; }
QMenu::separator { height: 1px; background: @line; margin: 4px 8px; }
QToolTip { background: @tipGround; color: @tipText; border: none; padding: 4px 6px; }
#panel, #drawer, #rail, #column, #strip { background: @panel; }
#rail { border-right: 1px solid @line; }
#drawer QScrollArea, #drawer-tools { background: transparent; }
#drawer { background: @ground; border-right: 1px solid @line; }
#column { border-left: 1px solid @line; }
#strip { border-top: 1px solid @line; }
QToolButton { border: none; border-radius: 6px; padding: 4px; background: transparent; }
QToolButton:hover { background: @hover; }
QToolButton:checked { background: @accentSoft; color: @accentText; font-weight: 600; }
QToolButton:focus, QPushButton:focus { outline: none; border: 1.5px solid @accent; }
QPushButton { background: @panel; border: 1px solid @border; border-radius: 6px; padding: 5px 14px; }
QPushButton:hover { background: @ground; }
QPushButton:disabled { color: @disabled; }
QPushButton[role="keep"] { background: @accent; color: white; border-color: @accent; font-weight: 600; }
QPushButton[role="keep"]:disabled { background: @keepOff; border-color: @keepOff; }
QPushButton[role="tag"] { background: @over; border: 1px solid @border; border-radius: 10px; padding: 3px 11px; }
QLabel#side-name { background: @over; border: 1px solid @border; border-radius: 8px; padding: 2px 9px; }
QPushButton[role="tag"]:checked { background: @accent; color: white; }
QPushButton[role="head"] { background: transparent; border: none; padding: 3px 11px; color: @soft; text-align: right; }
QPushButton[role="group"] { background: transparent; border: none; border-bottom: 1px solid @line; border-radius: 0; text-align: left; padding: 5px 6px; font-weight: 600; color: @soft; }
QPushButton[role="link"] { border: none; background: transparent; padding: 2px 4px; text-decoration: underline; }
QPushButton[role="remedy"] { color: @attentionText; border-color: @attention; padding: 3px 8px; }
QPushButton[role="segment"] { border-radius: 0; padding: 4px 8px; }
QPushButton[role="segment"]:checked { background: @accent; color: white; border-color: @accent; }
QLineEdit, QComboBox, QTextEdit, QTableWidget, QListWidget { background: @base; border: 1px solid @border; border-radius: 4px; padding: 3px 6px; selection-background-color: @accent; selection-color: white; }
QLineEdit:focus, QComboBox:focus, QTableWidget:focus { border: 1.5px solid @accent; }
QComboBox::drop-down { border: none; width: 22px; }
QComboBox::down-arrow { image: url(:/icons/@unfold.svg); width: 12px; height: 12px; }
QLineEdit[bad="true"] { border: 1.5px solid @attention; }
QTabBar::tab { background: transparent; padding: 8px 14px; border: none; color: @soft; }
QTabBar::tab:selected { color: @accentText; font-weight: 600; border-bottom: 2px solid @accent; }
QTabWidget::pane { border: none; border-top: 1px solid @line; }
QScrollArea { border: none; background: transparent; }
QScrollArea > QWidget > QWidget { background: transparent; }
QScrollBar:vertical { width: 10px; background: transparent; }
QScrollBar::handle:vertical { background: @border; border-radius: 4px; min-height: 24px; }
QScrollBar:horizontal { height: 10px; background: transparent; }
QScrollBar::handle:horizontal { background: @border; border-radius: 4px; min-width: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; width: 0; }
QHeaderView::section { background: @ground; border: none; border-bottom: 1px solid @line; padding: 3px; color: @soft; }
#row { border-radius: 8px; border: 1.5px solid transparent; }
#row:hover { background: @ground; }
#row[open="true"] { background: @panel; border-color: @border; }
#row[chosen="true"] { background: @accentSoft; }
#row[draft="true"] { border-color: @accent; }
#chip { background: @accentSoft; border-radius: 12px; }
#chip:hover { background: @accentHover; }
QLabel[tone="soft"] { color: @soft; }
QLabel[tone="bad"] { color: @attentionText; }
QLabel[tone="caution"] { color: @cautionText; }
QLabel[tone="head"] { font-weight: 600; }
QPushButton[role="heading"] { color: @soft; border: none; background: transparent; padding: 6px 2px 2px 2px; text-align: left; font-weight: 600; }
QLabel[tone="section"] { font-weight: 600; padding-top: 10px; }
QLabel[tone="title"] { font-size: 15pt; font-weight: 600; }
QCheckBox::indicator, QListWidget::indicator { width: 15px; height: 15px; border: 1px solid @border; border-radius: 3px; background: @base; }
QCheckBox::indicator:checked, QListWidget::indicator:checked { background: @accent; border-color: @accent; image: url(:/icons/tick.svg); }
#summary { color: @soft; }
#remove-pick { border: none; background: transparent; padding: 0; }
#pick-choice, #pick-part, #pick-meets { padding: 0 6px; border: 1px solid @border; border-radius: 4px; background: @base; }
#pick-part:checked { color: @accentText; border: 1px solid @accent; background: @accentSoft; }
#chip[waits="true"] { border: 1.5px solid @accent; border-radius: 13px; background: @base; }
QPushButton[role="pick"] { text-align: left; padding: 5px 8px; color: @soft; border: 1px dashed @border; }
QPushButton[role="tool"] { text-align: left; border: 1px solid transparent; background: transparent; padding: 2px 5px; }
QPushButton[role="tool"]:hover { border-color: @border; }
QPushButton[role="tool"]:checked { background: @accentSoft; border-color: @accent; color: @accentText; }
QPushButton[role="chip"] { padding: 3px 7px; border-radius: 9px; background: @over; border: 1px solid @border; }
#relation-bar { background: @ground; border: 1px solid @line; border-radius: 8px; }
QPushButton[role="pick"]:checked { color: @accentText; border: 1.5px solid @accent; background: @accentSoft; }
#badge { background: @accent; color: white; border-radius: 9px; font-weight: 600; }
QTreeWidget, QTextBrowser { background: @base; border: 1px solid @border; border-radius: 4px; }
QTreeWidget::item:selected, QListWidget::item:selected, QTableWidget::item:selected { background: @accentSoft; color: @accentText; }
QTreeWidget:focus, QTextBrowser:focus, QListWidget:focus { border: 1.5px solid @accent; }
QCheckBox:focus, QSlider:focus, QTabBar:focus { outline: none; border: 1.5px solid @accent; border-radius: 4px; }
#row:focus { border-color: @accent; }
QMenu::item:disabled { color: @disabled; }
#ways, #iron { background: @panel; border-top: 1px solid @line; }
QFrame[role="card"] { background: @ground; border: 1.5px solid transparent; border-radius: 8px; }
QFrame[role="card"][shown="true"] { border-color: @accent; background: @accentSoft; }
#start, #lens-panel, #notice { background: @over; border: 1px solid @border; border-radius: 8px; }
)";

const Tones kClay{"#F3F1ED",
                  "#FBFAF7",
                  "#FFFFFF",
                  "#DDD9D2",
                  "#C9C4BB",
                  "#ECE9E3",
                  "#22262A",
                  "#5F6468",
                  "#9A9C9D",
                  "#1F7A6B",
                  "#1F7A6B",
                  "#E1EEEA",
                  "#D9583B",
                  "#B3401F",
                  "#C08A1E",
                  "#8A6212",
                  QColor(251, 250, 247, 235),
                  "#EDEAE6",
                  "#CECAC4",
                  "#22262A"};
const Tones kSlate{"#24282B",
                   "#2B3034",
                   "#1E2225",
                   "#3A4045",
                   "#535B61",
                   "#343A3E",
                   "#E6E3DD",
                   "#A9ADAC",
                   "#757B7E",
                   "#1F7A6B",
                   "#6CCBB8",
                   "#24443E",
                   "#E2694C",
                   "#F0937A",
                   "#D6A33E",
                   "#E0B25A",
                   QColor(43, 48, 52, 235),
                   "#4A5055",
                   "#2D3236",
                   "#E6E3DD"};

Theme current = Theme::Clay;
double currentScale = 1.0;

QString styleSheet(const Tones& t) {
  const bool dark = t.ground.lightness() < 128;
  // Longer words first: "@accent" begins several.
  const std::vector<std::pair<const char*, QColor>> words{
      {"@accentHover", dark ? QColor("#2C554D") : QColor("#CFE5DF")},
      {"@accentSoft", t.accentSoft},
      {"@accentText", t.accentText},
      {"@accent", t.accent},
      {"@attentionText", t.attentionText},
      {"@attention", t.attention},
      {"@cautionText", t.cautionText},
      {"@keepOff", dark ? QColor("#3A5953") : QColor("#A9C6BF")},
      {"@tipGround", dark ? t.text : QColor("#22262A")},
      {"@tipText", dark ? QColor("#22262A") : t.ground},
      {"@disabled", t.disabled},
      {"@ground", t.ground},
      {"@panel", t.panel},
      {"@base", t.base},
      {"@line", t.line},
      {"@border", t.border},
      {"@hover", t.hover},
      {"@text", t.text},
      {"@soft", t.soft},
      {"@over", t.over}};
  QString s = kStyle;
  for (const auto& [word, colour] : words)
    s.replace(QLatin1String(word), QStringLiteral("rgba(%1,%2,%3,%4)")
                                       .arg(colour.red())
                                       .arg(colour.green())
                                       .arg(colour.blue())
                                       .arg(colour.alpha()));
  s.replace(QLatin1String("@unfold"), QLatin1String(dark ? "unfold_light" : "unfold"));
  return s;
}

/// Draws the file anew in the colour that the theme has then.
class ThemedIcon : public QIconEngine {
public:
  ThemedIcon(QString name, IconTone tone) : name_(std::move(name)), tone_(tone) {}
  QIconEngine* clone() const override { return new ThemedIcon(*this); }
  void paint(QPainter* p, const QRect& r, QIcon::Mode mode, QIcon::State state) override {
    p->drawPixmap(r, pixmap(r.size(), mode, state));
  }
  QPixmap pixmap(const QSize& size, QIcon::Mode mode, QIcon::State) override {
    const Tones& t = tones();
    const QColor colour = mode == QIcon::Disabled ? t.disabled : tone_ == IconTone::Accent ? t.accentText : t.text;
    const QString key = name_ + colour.name() + QString::number(size.width());
    QPixmap out;
    if (QPixmapCache::find(key, &out)) return out;
    QFile f(":/" + name_ + ".svg");
    if (!f.open(QIODevice::ReadOnly)) return {};
    QByteArray svg = f.readAll();
    svg.replace("#22262A", colour.name().toUtf8());
    QSvgRenderer renderer(svg);
    out = QPixmap(size);
    out.fill(Qt::transparent);
    QPainter painter(&out);
    renderer.render(&painter);
    QPixmapCache::insert(key, out);
    return out;
  }

private:
  QString name_;
  IconTone tone_;
};

} // namespace

const char* themeName(Theme t) { return t == Theme::Slate ? "slate" : "clay"; }
Theme themeOf(const QString& name) { return name == "slate" ? Theme::Slate : Theme::Clay; }

Theme theme() { return current; }
const Tones& tones() { return current == Theme::Slate ? kSlate : kClay; }

int withText(int pixels) { return int(std::lround(pixels * currentScale)); }

void applyTheme(QApplication& app, Theme wanted, double textScale) {
  static const double desktopSize = app.font().pointSizeF() > 0 ? app.font().pointSizeF() : 9.0;
  sheet::useOwnFonts();
  current = wanted;
  currentScale = textScale;
  QFont font("Inter");
  font.setPointSizeF(desktopSize * textScale);
  app.setFont(font);
  const Tones& t = tones();
  QPalette p;
  p.setColor(QPalette::Window, t.ground);
  p.setColor(QPalette::WindowText, t.text);
  p.setColor(QPalette::Base, t.base);
  p.setColor(QPalette::AlternateBase, t.ground);
  p.setColor(QPalette::Text, t.text);
  p.setColor(QPalette::Button, t.panel);
  p.setColor(QPalette::ButtonText, t.text);
  p.setColor(QPalette::Highlight, t.accent);
  p.setColor(QPalette::HighlightedText, Qt::white);
  p.setColor(QPalette::PlaceholderText, t.soft);
  p.setColor(QPalette::Link, t.accentText);
  app.setPalette(p);
  app.setStyle("Fusion");
  app.setStyleSheet(styleSheet(t));
}

QIcon icon(const QString& name, IconTone tone) {
  return QFile::exists(":/" + name + ".svg") ? QIcon(new ThemedIcon(name, tone)) : QIcon();
}

} // namespace lumsk::app
