#pragma once
#include <QStringList>
#include <QWidget>

class QVBoxLayout;

namespace lumsk::app {

/// Shown in the view of an empty project: how to begin.
class StartPanel : public QWidget {
  Q_OBJECT
public:
  explicit StartPanel(QWidget* parent);
  void setRecent(const QStringList& files);
  void setRoom(QSize view); ///< that it lies over: it is no wider
signals:
  void toolWanted(const QString& kind);
  void openWanted();
  void bringInWanted();
  void fileWanted(const QString& path);

private:
  void addDemos(QVBoxLayout* l);
  QVBoxLayout* recent_;
};

} // namespace lumsk::app
