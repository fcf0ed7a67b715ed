#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

class QComboBox;
class QDoubleSpinBox;
class QHBoxLayout;
class QLabel;
class QPushButton;
class QVBoxLayout;

namespace lumsk::app {

class PartsTree;

/// Curves, skins and solids: what is in sight, colour, finish, transparency, size, open or closed.
class PartsPanel : public QWidget {
  Q_OBJECT
public:
  explicit PartsPanel(Workspace& w, QWidget* parent = nullptr);

signals:
  void told(const QString& words);

private:
  void addKinds(QVBoxLayout* l);
  void addTree(QVBoxLayout* l);
  void addSight(QVBoxLayout* l);
  void addLooks(QVBoxLayout* l);
  void addWeights(QVBoxLayout* l);
  static QPushButton* button(QHBoxLayout* row, const QString& words, const char* name, const QString& tip);
  void showLook(); ///< of the first chosen part
  void sync();
  void filter();
  std::vector<std::string> chosen() const; ///< ids of the chosen parts
  Workspace& w_;
  PartsTree* tree_;
  QComboBox *kinds_, *finish_, *opacity_;
  QDoubleSpinBox* density_;
  QLabel* total_; ///< weight of what is in sight
  bool filling_ = false;
};

} // namespace lumsk::app
