#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <QWidget>

namespace lumsk::app {

/// What lies over the view and can be grabbed: points of the open step, handles with their number, section flags,
/// marks of problems and of the open step's notes. Positions are pixels of the view.
struct Mark {
  enum class Kind { Point, Handle, Flag, Grip, Problem, Note, Cut, Direction } kind; ///< the last two: of lenses
  QPointF at;                                                                        ///< centre of what is grabbed
  QPointF from; ///< handles: where the value is nought
  QPointF tip;  ///< flags: end of the arrow
  QString text;
  std::string step, field, item;
  int index = -1; ///< points
  Vec3 world = Vec3::Zero(), direction = Vec3::Zero();
  double mmPerUnit = 1.0, value = 0.0;
  bool startMovable = false;
  int group = 0;            ///< flags
  std::string key;          ///< flags and handles: of the item's number that dragging sets
  bool moved = false;       ///< grips: holds a move already
  recipe::CurvePtr on = {}; ///< grips: the curve that it stays on
  Vec3 plane = Vec3::Zero(); ///< grips: it moves square to this
};

/// The field that a handle changes, the value that it has, and all of the step's input with another one.
const recipe::Field* fieldOf(const Workspace& w, const Mark& handle);
nlohmann::json valueOf(const Workspace& w, const Mark& handle);
nlohmann::json inputWith(const Workspace& w, const Mark& handle, const nlohmann::json& value);

/// All marks for the open step, seen by a camera.
std::vector<Mark> marksFor(const Workspace& w, const scene::Camera& camera);

/// Lines that belong to the open step: control polygons.
std::vector<std::vector<Vec3>> netsFor(const Workspace& w);

/// An object that is picked or under the pointer.
struct Lit {
  scene::Outline outline;
  QColor colour;
};

/// A line with a letter that a lens draws over the view.
struct LensMark {
  std::vector<Vec3> line;
  Vec3 middle = Vec3::Zero();
  QString letter;
  QColor colour;
  bool dashed = false;
  std::optional<Vec3> chosen = {}; ///< the place that is looked at, when it is the one that was chosen
};

/// Transparent widget over the view that paints what is lit, marks, the axes and the label of what is hovered.
class Overlay : public QWidget {
  Q_OBJECT
public:
  explicit Overlay(QWidget* parent);
  void set(std::vector<Mark> marks, const scene::Camera& camera);
  void setLit(std::vector<Lit> lit);
  void setLens(std::vector<LensMark> marks);
  void setBox(const QRectF& box); ///< what is being drawn to pick in; empty: none
  void setHover(const QString& label, QPointF at);
  void setNets(std::vector<std::vector<Vec3>> nets); ///< lines of the open step, drawn faintly
  void setSnap(const std::optional<Vec3>& at);       ///< the place that the next point would take
  const std::vector<Mark>& marks() const { return marks_; }
  /// Index of the mark under a pixel, or -1.
  int markAt(QPointF p) const;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  void paintLit(QPainter& p) const;
  void paintLens(QPainter& p) const;
  void paintLine(QPainter& p, const std::vector<Vec3>& line) const;
  void paintAxes(QPainter& p) const;
  std::vector<Lit> lit_;
  std::vector<LensMark> lens_;
  std::vector<Mark> marks_;
  scene::Camera camera_;
  QString hover_;
  QPointF hoverAt_;
  QRectF box_;
  std::vector<std::vector<Vec3>> nets_;
  std::optional<Vec3> snap_;
};

} // namespace lumsk::app
