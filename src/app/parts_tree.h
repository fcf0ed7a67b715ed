#pragma once
#include "app/workspace.h"

#include <QTemporaryDir>
#include <QTreeWidget>

namespace lumsk::app {

/// The list of parts. What is dragged out of it is a file for other programs: the dragged bodies as STEP, with their names
/// and colours, which stays as long as this program runs.
class PartsTree : public QTreeWidget {
  Q_OBJECT
public:
  PartsTree(Workspace& w, int idRole);
  QStringList mimeTypes() const override { return {"text/uri-list"}; }
  QMimeData* mimeData(const QList<QTreeWidgetItem*>& items) const override;
  Qt::DropActions supportedDropActions() const override { return Qt::CopyAction; }

signals:
  void told(const QString& words) const; ///< why there is nothing to drag

private:
  Workspace& w_;
  int idRole_;
  QTemporaryDir folder_;
};

} // namespace lumsk::app
