#pragma once
#include "app/view_widget.h"

#include <QFrame>

class QTableWidget;
class QLabel;

namespace lumsk::app {

/// What the lenses Joins and Openings show: every edge where faces meet with the continuity it achieves, or every ring
/// of open edges. Worst first.
struct LensItem {
  Vec3 at = Vec3::Zero();     ///< where to look: the worst place
  Vec3 middle = Vec3::Zero(); ///< where the letter stands
  std::vector<Vec3> line;     ///< the edge
  QString letter, body;
  QStringList figures; ///< in the order of the table's columns
  enum class Grade { Good, Fair, Bad, Sharp } grade = Grade::Good;
};
QColor gradeColour(LensItem::Grade g);
std::vector<LensItem> joinItems(const Workspace& w);
std::vector<LensItem> openingItems(const Workspace& w);

/// The table beside the view while one of these lenses is on; a click turns the view to the place.
class LensPanel : public QFrame {
  Q_OBJECT
public:
  LensPanel(Workspace& w, ViewWidget& view);
  /// Fills and shows itself as the lens asks, at the right below `top`.
  void sync(int top);

private:
  void showMarks(const std::vector<LensItem>& items);
  void fill(const QString& title, const QStringList& columns, const std::vector<LensItem>& items);
  Workspace& w_;
  ViewWidget& view_;
  QLabel* title_;
  QTableWidget* table_;
  std::vector<Vec3> places_;
};

} // namespace lumsk::app
