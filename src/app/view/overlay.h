#pragma once
#include "app/view/mark.h"
#include "app/widgets.h"
#include "scene/picker.h"

namespace lumsk::app {

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
  void setTints(std::vector<Tint> tints);            ///< and parts of surfaces
  void setStrokes(std::vector<Stroke> strokes);      ///< and lines of their own look
  void setSnap(const std::optional<Vec3>& at);       ///< the place that the next point would take
  void setScale(double stepMm) { scaleMm_ = stepMm; } ///< of the floor's lines; 0: it is not seen
  const std::vector<Mark>& marks() const { return marks_; }
  /// The mark that can be grabbed under a pixel, or null.
  const Mark* markAt(QPointF p) const;

protected:
  void paintEvent(QPaintEvent*) override;

private:
  void paintLit(QPainter& p) const;
  void paintLens(QPainter& p) const;
  void paintNets(QPainter& p) const;
  void paintStrokes(QPainter& p) const;
  void paintMarks(QPainter& p) const;
  void paintBox(QPainter& p) const;
  void paintLine(QPainter& p, const std::vector<Vec3>& line) const;
  void paintAxes(QPainter& p) const;
  std::vector<Lit> lit_;
  std::vector<LensMark> lens_;
  std::vector<Mark> marks_;
  scene::Camera camera_;
  QString hover_;
  QPointF hoverAt_;
  QRectF box_;
  void paintTints(QPainter& p) const;
  std::vector<std::vector<Vec3>> nets_;
  std::vector<Tint> tints_;
  std::vector<Stroke> strokes_;
  std::optional<Vec3> snap_;
  double scaleMm_ = 0;
};

} // namespace lumsk::app
