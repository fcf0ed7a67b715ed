#pragma once
#include "app/field_form.h"
#include "app/legend.h"
#include "app/view/view_widget.h"

#include <QFrame>

class QScrollArea;
class QTableWidget;

namespace lumsk::app {

/// What the lenses Joins and Openings show: every edge where faces meet with the continuity it achieves, or every ring
/// of open edges. Worst first.
struct LensItem {
  Vec3 at = Vec3::Zero();     ///< where to look: the worst place
  Vec3 middle = Vec3::Zero(); ///< where the letter stands
  std::vector<Vec3> line;     ///< the edge
  QString letter, body;
  std::optional<scene::Hit> edge; ///< what a pick of it stores
  QStringList figures; ///< in the order of the table's columns
  inspect::Join::Grade grade = inspect::Join::Grade::Good;
  bool less = false; ///< than its step was asked for
};
QColor gradeColour(inspect::Join::Grade g);
std::vector<LensItem> joinItems(const Workspace& w);
std::vector<LensItem> openingItems(const Workspace& w);

/// Beside the view while a lens is on: its settings, what it found, and what lies under the pointer. Settings are kept
/// for the next time.
class LensPanel : public QFrame {
  Q_OBJECT
public:
  LensPanel(Workspace& w, ViewWidget& view);
  /// Fills and shows itself as the lenses ask, at the right below `top`.
  void sync(int top);
  /// One setting of a lens, as its editor would set it.
  void set(const std::string& lens, const std::string& key, const json& value) { set(lens, json{{key, value}}); }
  void set(const std::string& lens, const json& values); ///< several

private:
  struct Section {
    std::string lens;
    FieldForm* form = nullptr;
  };
  void makeHead();
  void makeEnds(QVBoxLayout* l);
  void makeLinks(QVBoxLayout* l);
  void makeTable();
  void wire();
  void load();
  void apply();
  void build(const std::vector<std::string>& lenses);
  recipe::Schema schemaOf(const scene::Lens& lens) const;
  void lensChanged();
  void setDirection(const Vec3& d); ///< of the lens that is on
  void showResult();
  void showProbe(const std::optional<scene::Probe>& probe);
  void showMarks(const std::vector<LensItem>& items);
  void look(int row);
  void fill(const QString& title, const QStringList& columns, const std::vector<LensItem>& items);
  void syncTable();
  void place();
  void moveToFreeCorner();
  std::pair<QSize, QSize> placedFor_; ///< its own size and the view's
  bool atLeft_ = false;
  Workspace& w_;
  ViewWidget& view_;
  std::map<std::string, json> settings_; ///< by lens
  std::string built_;                    ///< what the sections were made for
  std::vector<Section> sections_;
  QPushButton* head_; ///< names what is on; folds the settings
  QWidget* settingsBox_;
  QVBoxLayout* forms_;
  QScrollArea* scroll_;
  QWidget* inside_;
  Legend* legend_;
  QPushButton *least_, *most_, *only_, *asSeen_;
  QLabel *share_, *title_, *probe_, *cuts_;
  QTableWidget* table_;
  std::vector<LensItem> items_; ///< rows of the table
  std::optional<Vec3> chosen_;  ///< the row's place that was chosen last
  Vec3 leastAt_ = Vec3::Zero(), mostAt_ = Vec3::Zero();
  int top_ = 0;
};

} // namespace lumsk::app
