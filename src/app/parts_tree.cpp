#include "app/parts_tree.h"

#include "app/words.h"
#include "exchange/export.h"

#include <QMimeData>
#include <QUrl>

namespace lumsk::app {

PartsTree::PartsTree(Workspace& w, int idRole) : w_(w), idRole_(idRole) {
  setDragEnabled(true);
  setDragDropMode(QAbstractItemView::DragOnly);
}

QMimeData* PartsTree::mimeData(const QList<QTreeWidgetItem*>& items) const {
  std::vector<std::string> ids;
  for (const auto* item : items) ids.push_back(item->data(0, idRole_).toString().toStdString());
  const recipe::Model dragged = exchange::withOnly(*w_.model(), ids);
  const std::string name = dragged.bodies.size() == 1 ? dragged.bodies[0].label : "parts";
  const QString path = folder_.filePath(QString::fromStdString(exchange::fileWord(name)) + ".step");
  const auto done = exchange::exportModel(dragged, path.toStdString(), {}, {});
  if (!done) {
    emit told(said(done.error()));
    return nullptr;
  }
  auto* out = new QMimeData;
  out->setUrls({QUrl::fromLocalFile(path)});
  return out;
}

} // namespace lumsk::app
