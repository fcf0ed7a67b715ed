#pragma once
#include "app/results.h"
#include "app/session.h"
#include "recipe/edit_picks.h"
#include "recipe/edit_points.h"
#include "scene/picker.h"

namespace lumsk::app {

/// What the person is at: the unfolded row and its field, what is picked, which rows are chosen.
class Focus : public QObject {
  Q_OBJECT
public:
  Focus(Session& session, Results& results);

  const std::string& open() const { return open_; }           ///< id of the unfolded row
  const std::string& field() const { return field_; }         ///< key of its field that picks or points go to
  const std::string& replacing() const { return replacing_; } ///< item of the field whose place the next pick takes
  const std::string& drawing() const { return drawing_; } ///< kind of step that the next click on a face or a plane draws
  /// The row for whose field the open one was drawn in place; empty: for none.
  std::string drawnFor() const;
  const recipe::Field* activeField() const;
  recipe::Kind wanted() const;             ///< what the pointer should find now
  std::vector<recipe::Rail> rails() const; ///< on which a click adds to the field that has the focus
  QString instruction() const;             ///< what the program waits for, one short sentence
  void drawingSays(const QString& sentence); ///< what the open drawing waits for
  recipe::Names names() const;  ///< the numbers that can be read, and what steps before the open one have measured
  Results::Until until() const; ///< what the view is as of

  void unfold(const std::string& step, const std::string& field = {});
  /// A draft; objects picked beforehand fill the inputs they fit, where none are given.
  void start(const std::string& kind, const json* inputs = nullptr);
  void replace(const std::string& step, const std::string& field,
               const std::string& item); ///< by the next pick; again: not
  void draw(const std::string& field, const std::string& kind); ///< with the next click, for a field of the open row; again: not

  // Picks
  const std::vector<scene::Hit>& selection() const { return selection_; }
  std::vector<std::string> selectedBodies() const;  ///< ids of the bodies that what is picked belongs to
  std::vector<std::string> selectedObjects() const; ///< ids by which what is picked is shown or hidden
  json picksForWays() const; ///< through which several constructions may go: of the open step, else what is picked
  int curvesOf(const std::string& step) const; ///< how many a step makes
  void pick(const scene::Hit& hit, bool toggle);
  /// Whether a click on it could be meant: the open step cannot use what it makes itself.
  bool canMean(const scene::Hit& hit) const;
  /// The kind of step that a click on it makes for the active field, which wants what that gives; null: none.
  const recipe::Step* madeBy(const scene::Hit& hit) const;
  /// Several at once: into the active field as far as they fit, else picked; one undo entry.
  void pickAll(const std::vector<scene::Hit>& hits);
  /// An edge and what goes on from it (`chain`): one pick that counts as a chain where the field has such, else all.
  void pickChain(const scene::Hit& edge, const std::vector<scene::Hit>& chain);
  void clearSelection();

  // Points of the active field
  std::optional<recipe::PointsPlace> placeOf(const recipe::StepEntry& entry, const recipe::Field& f) const;
  void addPoint(const recipe::PointedAt& to);
  void dragPoint(const recipe::ItemRef& point, const recipe::PointedAt& to);

  // Rows
  const std::vector<std::string>& rows() const { return rows_; } ///< chosen rows, in the recipe's order
  void chooseRows(std::vector<std::string> ids);

  /// On from what is open: from a row that was drawn in place back to the one that uses it, else the draft is kept. False if
  /// there was neither.
  bool done();
  /// One step back: picks, the draft, the row. False if nothing was left.
  bool back();
  void clear(); ///< another project

signals:
  void focusChanged(); ///< unfolded row, active field, selection, chosen rows
  void untilChanged();
  void instructionChanged();

private:
  void drawOn(const scene::Hit& hit);
  void chooseField();
  bool wantsPicks() const;
  void followChoice();
  void afterReturn();
  bool hasFlags(const std::string& key) const;
  void showUntil();
  std::string asOf() const;
  recipe::PointsIn pointsIn() const { return {*results_.model(), session_.registry(), names()}; }

  Session& session_;
  Results& results_;
  std::string open_, field_, replacing_, drawing_;
  std::map<std::string, std::string> drawnFor_; ///< rows that were drawn in place, and those that use them, as long as these are worked at
  QString drawingSays_;
  bool held_ = false; ///< the field was chosen by hand: picking goes on in it
  Results::Until shown_;
  std::vector<scene::Hit> selection_;
  std::vector<std::string> rows_;
};

} // namespace lumsk::app
