#pragma once
#include "recipe/step.h"

#include <QDialog>

class QLineEdit;
class QListWidget;
class QTextBrowser;

namespace lumsk::app {

/// A page of the help, as Markdown.
struct HelpPage {
  QString key, title, text, group; ///< group: the heading under which it stands
};
/// Help on a step: its page with a table of its inputs; empty for unknown kinds.
QString helpText(const recipe::Registry& registry, const QString& kind);
/// All pages: the handbook, the steps, the lenses, and the keys (from the window's own menus).
std::vector<HelpPage> helpPages(const recipe::Registry& registry, const QWidget* window);

/// The help inside the program: pages on the left, found by any of their words.
class HelpWindow : public QDialog {
  Q_OBJECT
public:
  HelpWindow(std::vector<HelpPage> pages, QWidget* parent);
  void open(const QString& key);
  void search();

private:
  void filter();
  void addHeading(const QString& words);
  std::vector<int> pageRows() const;
  std::vector<HelpPage> pages_;
  QLineEdit* search_;
  QListWidget* list_;
  QTextBrowser* text_;
};

} // namespace lumsk::app
