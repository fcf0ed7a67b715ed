#include "app/help.h"
#include "app/words.h"

#include "scene/lens.h"

#include <QAction>
#include <QDir>
#include <QFile>
#include <QHBoxLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace lumsk::app {

namespace {

QString fileText(const QString& path) {
  QFile f(path);
  return f.open(QIODevice::ReadOnly) ? QString::fromUtf8(f.readAll()) : QString();
}

QString fieldTable(const recipe::Schema& schema) {
  QString out;
  for (const auto& x : schema) {
    out += "- **" + said(x.label) + "**: " + said(x.help);
    QStringList options;
    for (const auto& o : x.options) options << said(o.label);
    if (!options.isEmpty()) out += " (" + options.join(", ") + ")";
    out += "\n";
  }
  return out;
}

HelpPage lensPage() {
  QString text = HelpWindow::tr("# Lenses\n\nHold a key to look through a lens as long as it is down.\n\n");
  for (const auto& lens : scene::lenses()) {
    text += "## " + said(lens->label()) + "\n\n" + said(lens->help());
    if (lens->peek()) text += HelpWindow::tr(" (hold %1)").arg(QChar(lens->peek()));
    text += ".\n\n" + fieldTable(lens->settings()) + "\n";
  }
  return {"lenses", HelpWindow::tr("Lenses"), text, HelpWindow::tr("Handbook")};
}

HelpPage keyPage(const QWidget* window) {
  QString text = HelpWindow::tr("# Keys\n\n");
  for (const QAction* a : window->findChildren<QAction*>())
    if (!a->shortcut().isEmpty())
      text += "- **" + a->shortcut().toString(QKeySequence::NativeText) + "**: " + a->text().remove('&') + "\n";
  text += HelpWindow::tr("\n## In the view\n\n"
                         "- **F**: fit all, **Shift+F**: fit what is picked\n"
                         "- **O**: out of sight, **Shift+O**: only this, **Ctrl+Shift+O**: all in sight\n"
                         "- hold **B**: the state that was kept as before (Ctrl+B), under the same camera and lens\n"
                         "- **Tab**: the next thing under the pointer\n"
                         "- **Enter**: keep the draft, **Esc**: one step back\n"
                         "- **Space**: command field, **1 to 7**: stages, **Del**: remove\n"
                         "- left drag turns, right drag pans, the wheel zooms, **Alt** and left drag picks in a box\n"
                         "- a double click on an edge picks its tangent chain, on nothing fits all\n"
                         "\n## In the recipe\n\n"
                         "- **Ctrl** or **Shift** and a click choose rows, **Alt+Up**, **Alt+Down** move one\n"
                         "- **Up**, **Down** walk the rows, **Enter** unfolds one\n");
  return {"keys", HelpWindow::tr("Keys"), text, HelpWindow::tr("Handbook")};
}

} // namespace

QString helpText(const recipe::Registry& registry, const QString& kind) {
  return fileText(":/steps/" + kind + ".md").replace("@fields@", fieldTable(registry.schemaOf(kind.toStdString())));
}

std::vector<HelpPage> helpPages(const recipe::Registry& registry, const QWidget* window) {
  std::vector<HelpPage> out;
  for (const QString& file : QDir(":/handbook").entryList({"*.md"}, QDir::Files, QDir::Name)) {
    const QString text = fileText(":/handbook/" + file);
    out.push_back({"handbook/" + file.chopped(3), text.section('\n', 0, 0).mid(2), text, HelpWindow::tr("Handbook")});
  }
  out.push_back(lensPage());
  out.push_back(keyPage(window));
  // Steps as in the drawers: by stage, and there by heading.
  for (int stage = 0; stage < recipe::kStages; ++stage) {
    std::vector<const recipe::Step*> of;
    std::vector<std::string> headings;
    for (const auto& s : registry.all())
      if (int(s.stage) == stage) {
        of.push_back(&s);
        if (std::find(headings.begin(), headings.end(), s.heading) == headings.end()) headings.push_back(s.heading);
      }
    for (const std::string& heading : headings)
      for (const recipe::Step* s : of)
        if (s->heading == heading)
          out.push_back({QString::fromStdString(s->kind), said(s->label),
                         helpText(registry, QString::fromStdString(s->kind)),
                         said(recipe::stageName(recipe::Stage(stage))) + (heading.empty() ? "" : ", " + said(heading))});
  }
  return out;
}

HelpWindow::HelpWindow(std::vector<HelpPage> pages, QWidget* parent)
    : QDialog(parent), pages_(std::move(pages)), search_(new QLineEdit), list_(new QListWidget),
      text_(new QTextBrowser) {
  setObjectName("help");
  setWindowTitle(tr("Help"));
  resize(860, 600);
  auto* l = new QHBoxLayout(this);
  auto* left = new QVBoxLayout;
  search_->setObjectName("help-search");
  search_->setPlaceholderText(tr("find in the help"));
  search_->setAccessibleName(tr("find in the help"));
  search_->setClearButtonEnabled(true);
  list_->setObjectName("help-pages");
  list_->setAccessibleName(tr("pages"));
  left->addWidget(search_);
  left->addWidget(list_);
  l->addLayout(left, 2);
  text_->setObjectName("help-text");
  l->addWidget(text_, 5);
  connect(search_, &QLineEdit::textChanged, this, &HelpWindow::filter);
  connect(list_, &QListWidget::currentRowChanged, this, [this](int row) {
    if (row < 0 || !list_->item(row)->data(Qt::UserRole).isValid()) return;
    const int i = list_->item(row)->data(Qt::UserRole).toInt();
    text_->setMarkdown(pages_[size_t(i)].text);
    if (!search_->text().isEmpty()) text_->find(search_->text());
  });
  filter();
}

void HelpWindow::filter() {
  const QString words = search_->text().trimmed();
  list_->clear();
  // Pages that are called so come first; all of them stand under the headings of the drawers.
  QString group;
  for (const bool byTitle : {true, false})
    for (size_t i = 0; i < pages_.size(); ++i) {
      const bool inTitle = pages_[i].title.contains(words, Qt::CaseInsensitive);
      if (inTitle != byTitle || (!inTitle && !pages_[i].text.contains(words, Qt::CaseInsensitive))) continue;
      if (words.isEmpty() && pages_[i].group != group) addHeading(group = pages_[i].group);
      auto* item = new QListWidgetItem(pages_[i].title, list_);
      item->setData(Qt::UserRole, int(i));
    }
  const auto first = pageRows();
  if (!first.empty())
    list_->setCurrentRow(first.front());
  else
    text_->setMarkdown(tr("Nothing in the help holds these words."));
}

void HelpWindow::addHeading(const QString& words) {
  auto* item = new QListWidgetItem(words, list_);
  item->setFlags(Qt::NoItemFlags);
  QFont f = list_->font();
  f.setBold(true);
  item->setFont(f);
}

/// Rows of the list that are pages.
std::vector<int> HelpWindow::pageRows() const {
  std::vector<int> out;
  for (int r = 0; r < list_->count(); ++r)
    if (list_->item(r)->data(Qt::UserRole).isValid()) out.push_back(r);
  return out;
}

void HelpWindow::open(const QString& key) {
  search_->clear();
  for (int r : pageRows())
    if (pages_[size_t(list_->item(r)->data(Qt::UserRole).toInt())].key == key) list_->setCurrentRow(r);
  list_->scrollToItem(list_->currentItem(), QAbstractItemView::PositionAtCenter);
  show();
  raise();
  activateWindow();
}

void HelpWindow::search() { search_->setFocus(); }

} // namespace lumsk::app
