#pragma once
#include "base/vec.h"

#include <QColor>
#include <QPainter>
#include <QString>
#include <string>
#include <vector>

namespace lumsk::app {

class Tool;
struct Mark;

/// What marks are painted with: a painter in pixels of the view, and labels that keep out of each other's way.
class MarkPainter {
public:
  MarkPainter(QPainter& p, QSizeF room) : painter(p), room_(room) {}
  QPainter& painter;
  /// What labels must not cover.
  void keepFree(const QRectF& r) { taken_.push_back(r); }
  /// A sentence beside a place. Long ones wrap, all stay inside the view and beside what was painted before.
  void label(QPointF at, const QString& text, const QColor& ink, const QColor& border);

private:
  QRectF placeFor(QPointF at, const QSizeF& size) const;
  QSizeF room_;
  std::vector<QRectF> taken_;
};

/// A kind of mark: whoever offers one says what it looks like.
struct MarkKind {
  const char* name;
  bool grabbed; ///< a hand can take it
  bool yields;  ///< makes room for others: its place is not where something is, but beside it
  void (*paint)(MarkPainter& p, const Mark& m);
};

/// Something over the view, in its pixels. What more it stands for is known to the tool that offers it.
struct Mark {
  const MarkKind* kind;
  QPointF at;                 ///< centre of what is grabbed
  QPointF from = {}, tip = {}; ///< where its line begins, or its arrow ends
  QString text = {};
  Vec3 world = Vec3::Zero();
  std::string step = {}, field = {}, item = {}, key = {}; ///< of the recipe, that it belongs to
  int group = 0;
  bool strong = false; ///< holds something that was changed
  Tool* tool = nullptr;
  size_t index = 0; ///< among its tool's own
};

/// A line painted over the form.
struct Stroke {
  std::vector<Vec3> line;
  QColor colour;
  double width = 1.6; ///< pixels
  bool dashed = false;
};

/// A part of a surface, tinted.
struct Tint {
  std::vector<Vec3> triangles; ///< three points each
  QColor colour;
};

/// Moves marks that yield aside, until all that can be grabbed can be hit.
void makeRoom(std::vector<Mark>& marks);

/// A line to a ring that can be held, with its number beside it.
void paintKnob(MarkPainter& p, const Mark& m);

} // namespace lumsk::app
