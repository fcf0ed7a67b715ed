#pragma once
#include <QStringList>
#include <QWidget>

class QToolButton;
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
  QToolButton* opener(const QString& path, const QString& name, const QString& words, const QString& tip, QSize size);
  void addDemos(QVBoxLayout* l);
  void addExamples(QVBoxLayout* l);
  QVBoxLayout* recent_;
  std::vector<QToolButton*> demos_;
};

} // namespace lumsk::app
