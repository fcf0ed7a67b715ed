#pragma once
#include "app/runner.h"
#include "exchange/project.h"
#include "recipe/history.h"
#include "scene/picker.h"

#include <QElapsedTimer>

namespace lumsk::app {

using nlohmann::json;

/// The open project as the window sees it: recipe, draft, selection, results. Panels read values from here and ask for
/// changes; nothing else holds state of the project.
class Workspace : public QObject {
  Q_OBJECT
public:
  explicit Workspace(const recipe::Registry& registry);

  // Values
  const recipe::Registry& registry() const { return registry_; }
  const recipe::Recipe& recipe() const { return *now_; } ///< with the draft, if there is one
  const recipe::RecipePtr& recipePtr() const { return now_; }
  const recipe::ModelPtr& model() const { return last_.model; }
  const scene::DrawingPtr& drawing() const { return last_.drawing; }
  MeasuredPtr figuresOf(const brep::BodyPtr& b) const; ///< null until they are measured
  double lastSeconds() const { return last_.seconds; }
  const std::string& draft() const { return draft_; }
  const std::string& open() const { return open_; }           ///< id of the unfolded row
  const std::string& field() const { return field_; }         ///< key of its field that picks or points go to
  const std::string& replacing() const { return replacing_; } ///< item of the field whose place the next pick takes
  const std::vector<scene::Hit>& selection() const { return selection_; }
  std::vector<std::string> selectedBodies() const; ///< ids of the bodies that what is picked belongs to
  const recipe::Field* activeField() const;
  std::vector<recipe::Rail> rails() const; ///< on which a click adds to the field that has the focus
  recipe::Kind wanted() const; ///< what the pointer should find now
  QString path() const { return path_; }
  bool modified() const { return now_ != saved_; }
  bool busy() const { return runner_.busy(); }
  QString instruction() const; ///< what the program waits for, one short sentence
  bool canUndo() const { return !draft_.empty() || history_.canUndo(); }
  bool canRedo() const { return (draft_.empty() ? history_ : draftHistory_).canRedo(); }
  recipe::Names names() const; ///< the numbers that can be read, and what steps before the open one have measured

  // Changes
  void edit(recipe::Recipe next, const QString& words); ///< one undo entry, or part of the draft
  void setInput(const std::string& step, const std::string& key, const json& value, const QString& words);
  /// A click on a pick's flag or on its chip's button: the named sub-field of it, or its first switch or choice. A
  /// switch is turned, a choice goes on: from "by itself" to the option after the one that was found (`group`), from
  /// there back; others to the next option that fits the pick.
  void turnItem(const std::string& step, const std::string& key, const std::string& item, int group,
                const std::string& subKey = {});
  /// Does what a problem offers; of picks, its value is their order by ids.
  void take(const std::string& step, const Remedy& offer);
  void swapDirections(const std::string& step);                        ///< see recipe/crossed.h
  void makeAs(const std::string& step, const std::string& kind);
  void dragInput(const std::string& step, const std::string& key, const json& value); ///< live, no undo entry yet
  void measureWhileMoving(bool on) { runner_.measureWhileMoving(on); } ///< figures of joins follow a drag
  void endDrag(const QString& words);
  void cancelDrag();
  json beforeDrag(const std::string& step, const std::string& key) const; ///< a list as it was when the drag began
  bool dragging() const { return dragBase_ != nullptr; }
  void startDraft(const std::string& kind);
  void keepDraft();
  void dropDraft();
  /// Picks through which several constructions may go: of the open step, else what is picked; see recipe/ways.h.
  json picksForWays() const;
  /// The draft becomes one of them; null: what it was before.
  void showWay(const recipe::StepEntry* way);
  void undo();
  void redo();
  void unfold(const std::string& step, const std::string& field = {});
  void pick(const scene::Hit& hit, bool toggle);
  void replace(const std::string& step, const std::string& field,
               const std::string& item); ///< by the next pick; again: not
  /// Several at once: into the active field as far as they fit, else picked; one undo entry.
  void pickAll(const std::vector<scene::Hit>& hits);
  int curvesOf(const std::string& step) const; ///< how many a step makes
  /// An edge and what goes on from it (`chain`): one pick that counts as a chain where the field has such, else all.
  void pickChain(const scene::Hit& edge, const std::vector<scene::Hit>& chain);
  void clearSelection();
  void removeStep(const std::string& id);
  void rename(const std::string& id, const QString& label);
  void setOn(const std::vector<std::string>& ids, bool on);
  void setOn(const std::string& id, bool on) { setOn(std::vector<std::string>{id}, on); }
  // Rows
  const std::vector<std::string>& rows() const { return rows_; } ///< chosen rows, in the recipe's order
  void chooseRows(std::vector<std::string> ids);
  void moveStep(const std::string& id, int place); ///< says why when it cannot stand there
  void duplicate(const std::vector<std::string>& ids);
  std::string copied(const std::vector<std::string>& ids) const; ///< bytes for the clipboard
  void paste(const std::string& clip);
  void group(const std::vector<std::string>& ids, const QString& name);
  void colourRows(const std::vector<std::string>& ids, const std::string& colour);
  void setHere(const std::string& id); ///< new steps go after it; empty: at the end
  void remove(const std::vector<std::string>& ids);
  void setVisible(const std::string& id, bool visible) { setVisible(std::vector<std::string>{id}, visible); }
  void setVisible(const std::vector<std::string>& ids, bool visible);
  void showOnly(const std::vector<std::string>& ids); ///< everything else goes out of sight
  void showAll();
  void setLook(const std::vector<std::string>& ids, const std::function<void(recipe::Look&)>& change,
               const QString& words);
  std::vector<std::string> selectedObjects() const; ///< ids by which what is picked is shown or hidden
  /// Where a points field of a step has its places; nothing: in space.
  std::optional<recipe::PointsPlace> placeOf(const recipe::StepEntry& entry, const recipe::Field& f) const;
  /// A new point at the end of the active field; one that was snapped stays exactly where it is.
  void addPoint(const Vec3& world, bool snapped);
  void dragPoint(const std::string& step, const std::string& key, const std::string& item, const Vec3& world,
                 bool snapped);
  void stop() { runner_.stop(); }
  /// One step back: stop a drag, stop computing, clear picks, drop the draft, fold the row. False if nothing was left.
  bool escape();

  // Files
  void newProject();
  Expected<void> openFile(const QString& path);
  /// Work that was lost: as it was, not saved, of the file it belonged to.
  void takeOver(exchange::Project project, const QString& path);
  Expected<void> saveFile(const QString& path, const std::string& thumbnailPng);
  /// The kind of step, and its field, that takes such a file; the one that takes the fewest kinds when several do.
  std::optional<std::pair<std::string, std::string>> takerOf(const QString& path) const;
  QString takenFiles() const; ///< all of them, for a file dialog
  /// Puts a file into the project; the value for a file field.
  Expected<json> importFile(const QString& path);

signals:
  void recipeChanged();  ///< values or order of steps
  void modelChanged();   ///< new results
  void figuresChanged(); ///< new measurements of bodies
  void focusChanged();   ///< unfolded row, active field, selection
  void busyChanged(bool busy);
  void progressed(double fraction, const QString& words);
  void fileChanged();     ///< another project, or this one saved
  void projectReplaced(); ///< another project
  void problemArose(const lumsk::Problem& p);
  void told(const QString& sentence); ///< news that need no answer
  void wantsLookAt(const lumsk::Vec3& p);
  void waysWanted(); ///< every construction through what is picked is to be tried

public:
  void lookAt(const Vec3& p) { emit wantsLookAt(p); }

private:
  void adopt(exchange::Project project, const QString& path);
  void change(recipe::RecipePtr next, bool moving);
  std::string asOf() const; ///< the step that the view is as of; empty: all of them
  void showAsOf();

  recipe::Recipe withPoints(const recipe::StepEntry& entry, const recipe::Field& f, const json& points,
                            const std::string& item) const;
  void dragTo(recipe::Recipe next);
  void record(const recipe::RecipePtr& value, const QString& words);
  void returnTo(const recipe::RecipePtr& value);
  void chooseField();
  void followChoice();
  bool hasFlags(const std::string& key) const;
  void endReplacing();
  static json pickValue(const scene::Hit& h);
  std::string freeMeasurementName(const std::string& base) const;
  std::string freeLabel(const std::string& base) const;

  const recipe::Registry& registry_;
  recipe::History history_, draftHistory_;
  recipe::RecipePtr now_, saved_, dragBase_, beforeDraft_;
  std::optional<recipe::StepPtr> beforeWay_; ///< the draft before ways were shown; null in it: there was none
  std::string draft_, open_, field_, replacing_, shownAsOf_;
  std::vector<scene::Hit> selection_;
  std::vector<std::string> rows_;
  QString path_;
  exchange::ProjectLock lock_;
  Evaluated last_;
  Figures figures_;
  QElapsedTimer busySince_;
  Runner runner_; ///< last: its thread ends before what it reports to
};

} // namespace lumsk::app
