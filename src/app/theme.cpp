#include "app/theme.h"

#include <QApplication>
#include <QFile>
#include <QFontDatabase>
#include <QHash>
#include <QPainter>
#include <QPixmap>
#include <QSvgRenderer>

namespace lumsk::app {

namespace {
constexpr const char* kStyle = R"(
* { font-family: "Inter"; }
QWidget { color: #22262A; }
QMainWindow, QDialog { background: #F3F1ED; }
QMenuBar { background: #FBFAF7; border-bottom: 1px solid #DDD9D2; }
QMenuBar::item { padding: 6px 10px; background: transparent; }
QMenuBar::item:selected, QMenu::item:selected { background: #E1EEEA; color: #1F7A6B; }
QMenu { background: #FBFAF7; border: 1px solid #DDD9D2; padding: 4px; }
QMenu::item { padding: 5px 24px 5px 12px; }
QMenu::separator { height: 1px; background: #DDD9D2; margin: 4px 8px; }
QToolTip { background: #22262A; color: #F3F1ED; border: none; padding: 4px 6px; }
#panel, #drawer, #rail, #column, #strip { background: #FBFAF7; }
#rail { border-right: 1px solid #DDD9D2; }
#drawer { background: #F3F1ED; border-right: 1px solid #DDD9D2; }
#column { border-left: 1px solid #DDD9D2; }
#strip { border-top: 1px solid #DDD9D2; }
QToolButton { border: none; border-radius: 6px; padding: 4px; background: transparent; }
QToolButton:hover { background: #ECE9E3; }
QToolButton:checked { background: #E1EEEA; color: #1F7A6B; font-weight: 600; }
QToolButton:focus, QPushButton:focus { outline: none; border: 1.5px solid #1F7A6B; }
QPushButton { background: #FBFAF7; border: 1px solid #C9C4BB; border-radius: 6px; padding: 5px 14px; }
QPushButton:hover { background: #F3F1ED; }
QPushButton:disabled { color: #9A9C9D; }
QPushButton[role="keep"] { background: #1F7A6B; color: white; border-color: #1F7A6B; font-weight: 600; }
QPushButton[role="keep"]:disabled { background: #A9C6BF; border-color: #A9C6BF; }
QPushButton[role="tag"] { background: rgba(251,250,247,215); border: 1px solid rgba(201,196,187,140); border-radius: 12px; padding: 3px 11px; }
QPushButton[role="tag"]:checked { background: #1F7A6B; color: white; }
QPushButton[role="link"] { border: none; background: transparent; padding: 2px 4px; text-decoration: underline; }
QPushButton[role="remedy"] { color: #B3401F; border-color: #D9583B; padding: 3px 8px; }
QPushButton[role="segment"] { border-radius: 0; padding: 4px 8px; }
QPushButton[role="segment"]:checked { background: #1F7A6B; color: white; border-color: #1F7A6B; }
QLineEdit, QComboBox, QTextEdit, QTableWidget, QListWidget { background: white; border: 1px solid #C9C4BB; border-radius: 4px; padding: 3px 6px; selection-background-color: #1F7A6B; selection-color: white; }
QLineEdit:focus, QComboBox:focus, QTableWidget:focus { border: 1.5px solid #1F7A6B; }
QComboBox::drop-down { border: none; width: 22px; }
QComboBox::down-arrow { image: url(:/icons/unfold.svg); width: 12px; height: 12px; }
QLineEdit[bad="true"] { border: 1.5px solid #D9583B; }
QTabBar::tab { background: transparent; padding: 8px 14px; border: none; color: #5F6468; }
QTabBar::tab:selected { color: #1F7A6B; font-weight: 600; border-bottom: 2px solid #1F7A6B; }
QTabWidget::pane { border: none; border-top: 1px solid #DDD9D2; }
QScrollArea { border: none; background: transparent; }
QScrollArea > QWidget > QWidget { background: transparent; }
QScrollBar:vertical { width: 10px; background: transparent; }
QScrollBar::handle:vertical { background: #CFCAC1; border-radius: 4px; min-height: 24px; }
QScrollBar::add-line, QScrollBar::sub-line { height: 0; }
QHeaderView::section { background: #F3F1ED; border: none; border-bottom: 1px solid #DDD9D2; padding: 3px; color: #5F6468; }
#row { border-radius: 8px; border: 1.5px solid transparent; }
#row:hover { background: #F3F1ED; }
#row[open="true"] { background: #FBFAF7; border-color: #C9C4BB; }
#row[draft="true"] { border-color: #D9583B; }
#chip { background: #E1EEEA; border-radius: 12px; }
#chip:hover { background: #CFE5DF; }
)";
}

void applyTheme(QApplication& app) {
  for (const char* f : {"Regular", "Medium", "SemiBold"})
    QFontDatabase::addApplicationFont(QString(":/fonts/Inter-%1.otf").arg(f));
  QFont font("Inter");
  font.setPointSizeF(app.font().pointSizeF() > 0 ? app.font().pointSizeF() : 9.0);
  app.setFont(font);
  QPalette p;
  p.setColor(QPalette::Window, clay::ground);
  p.setColor(QPalette::WindowText, clay::text);
  p.setColor(QPalette::Base, Qt::white);
  p.setColor(QPalette::AlternateBase, clay::ground);
  p.setColor(QPalette::Text, clay::text);
  p.setColor(QPalette::Button, clay::panel);
  p.setColor(QPalette::ButtonText, clay::text);
  p.setColor(QPalette::Highlight, clay::accent);
  p.setColor(QPalette::HighlightedText, Qt::white);
  p.setColor(QPalette::PlaceholderText, QColor("#6E7173"));
  app.setPalette(p);
  app.setStyle("Fusion");
  app.setStyleSheet(kStyle);
}

QIcon icon(const QString& name, const QColor& colour) {
  // Rows ask for their icon at every change: each is drawn once.
  static QHash<QString, QIcon> made;
  const QString key = name + colour.name();
  if (const auto it = made.constFind(key); it != made.constEnd()) return *it;
  QFile f(":/" + name + ".svg");
  if (!f.open(QIODevice::ReadOnly)) return {};
  QByteArray svg = f.readAll();
  svg.replace("#22262A", colour.name().toUtf8());
  QSvgRenderer renderer(svg);
  QPixmap pixmap(96, 96);
  pixmap.fill(Qt::transparent);
  QPainter painter(&pixmap);
  renderer.render(&painter);
  return made[key] = QIcon(pixmap);
}

} // namespace lumsk::app
