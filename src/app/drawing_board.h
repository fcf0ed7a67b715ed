#pragma once
#include "app/focus.h"
#include "drawing/freedom.h"
#include "drawing/sketch.h"
#include "recipe/linked_things.h"

#include <QTimer>

namespace lumsk::app {

/// A tool of the drawing's own drawer.
struct BoardTool {
  std::string key;
  QString label, hint;
  std::vector<std::string> options; ///< keys of what can be set for it
  QString heading;
};

/// The drawing whose row is open: its value, what is picked in it, and what it is being drawn with. Everything that
/// changes it is an edit of the recipe's value.
class DrawingBoard : public QObject {
  Q_OBJECT
public:
  DrawingBoard(Session& session, Results& results, Focus& focus);

  bool open() const { return drawing_ != nullptr; } ///< the open row's drawing has the focus and a plane
  const drawing::Drawing& drawing() const { return *drawing_; }
  const std::shared_ptr<const drawing::Drawing>& value() const { return drawing_; }
  const Frame& frame() const { return frame_; }
  Vec3 toWorld(const Vec2& p) const { return frame_.at(p.x(), p.y()); }
  /// Why it cannot be read, if it cannot.
  const std::optional<Problem>& problem() const { return problem_; }
  const drawing::Freedom& freedom() const; ///< as it was when nothing was dragged last
  std::set<drawing::Id> contradicting() const; ///< relations of which one has to go

  // Tools
  static const std::vector<BoardTool>& tools();
  const BoardTool* tool() const; ///< null: things are picked and dragged
  void take(const std::string& key); ///< again, or empty: none
  QString option(const std::string& key) const { return options_.at(key); }
  void setOption(const std::string& key, const QString& text);
  static QString optionLabel(const std::string& key);
  Expected<double> optionValue(const std::string& key) const; ///< in mm, degrees or as a count
  bool construction() const { return construction_; }
  void setConstruction(bool on);
  bool signs() const { return signs_; } ///< of all relations, not only of what is picked
  void showSigns(bool on);

  // Picks
  const std::vector<drawing::Id>& selection() const { return selection_; }
  void pick(const drawing::Id& id, bool more);
  void pickAll(std::vector<drawing::Id> ids);
  void clearSelection() { pickAll({}); }

  // Changes: each one undo entry
  void edit(const drawing::Drawing& next, const QString& words);
  /// Takes what an edit gives, or tells why it does not.
  void take(Expected<drawing::Drawing> made, const QString& words);
  void say(drawing::Law law); ///< of what is picked
  /// To something outside: a curve, edge or point as it is, of a body its section with the plane, else its outline. What
  /// is linked already stays so. Says where a curve that lasts lies below an edge.
  void link(const scene::Hit& hit);
  void bringIn(const QString& path);  ///< the curves of a DXF or SVG file
  void writeOut(const QString& path); ///< what comes out, as DXF or SVG
  void setText(const drawing::Id& dimension, const QString& text);
  void write(const drawing::Id& entity, const QString& text); ///< what letters say
  static bool reads(const QString& path); ///< whether it is a file that `bringIn` knows
  void removePicked();
  void turnConstruction(); ///< of what is picked
  void turnOff(const drawing::Id& relation);
  void turnMeasured(const drawing::Id& dimension);
  /// Changes of what is picked as a whole: offset, repeats, splines.
  void apply(const std::string& tool);
  void dragTo(const drawing::Drawing& next); ///< live, until `endDrag`
  void endDrag(const QString& words);

  void wiggle(double mm); ///< shows one way in which it can still move, for a moment
  drawing::Drawing shown() const; ///< as it is painted
  QString sentence() const; ///< what it waits for
  recipe::Names names() const { return focus_.names(); }

signals:
  void opened();  ///< another drawing, or none
  void changed(); ///< its value, picks or tool
  void told(const QString& words);

private:
  void sync();
  recipe::ItemRef ref() const { return {focus_.open(), focus_.field()}; }
  Session& session_;
  Results& results_;
  Focus& focus_;
  std::shared_ptr<const drawing::Drawing> drawing_;
  recipe::LinkedThings things_;
  mutable std::shared_ptr<const drawing::Drawing> freedomOf_;
  mutable drawing::Freedom freedom_;
  std::optional<Problem> problem_;
  Frame frame_;
  std::string step_, tool_;
  std::map<std::string, QString> options_;
  std::vector<drawing::Id> selection_;
  bool construction_ = false, signs_ = true;
  recipe::RecipePtr read_;
  QTimer sway_;
  int swayStep_ = 0;
  double swayMm_ = 0;
};

} // namespace lumsk::app
