#include "app/help.h"

#include <QDialog>
#include <QFile>
#include <QTextBrowser>
#include <QVBoxLayout>

namespace lumsk::app {

QString helpText(const recipe::Registry& registry, const QString& kind) {
  QFile f(":/steps/" + kind + ".md");
  if (!f.open(QIODevice::ReadOnly)) return {};
  QString fields;
  for (const auto& x : registry.schemaOf(kind.toStdString())) {
    fields += "- **" + QString::fromStdString(x.label) + "**: " + QString::fromStdString(x.help);
    QStringList options;
    for (const auto& o : x.options) options << QString::fromStdString(o.label);
    if (!options.isEmpty()) fields += " (" + options.join(", ") + ")";
    fields += "\n";
  }
  return QString::fromUtf8(f.readAll()).replace("@fields@", fields);
}

void showHelp(const recipe::Registry& registry, const QString& kind, QWidget* parent) {
  auto* dialog = new QDialog(parent);
  dialog->setAttribute(Qt::WA_DeleteOnClose);
  dialog->setObjectName("help");
  dialog->setWindowTitle(QDialog::tr("Help"));
  dialog->resize(520, 560);
  auto* text = new QTextBrowser;
  text->setMarkdown(helpText(registry, kind));
  auto* l = new QVBoxLayout(dialog);
  l->addWidget(text);
  dialog->show();
}

} // namespace lumsk::app
