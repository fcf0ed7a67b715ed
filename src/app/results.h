#pragma once
#include "app/news.h"
#include "app/runner.h"

#include <QElapsedTimer>

namespace lumsk::app {

/// What evaluating the recipe gave last.
class Results : public QObject {
  Q_OBJECT
public:
  /// What the drawing shows: what there is before a step, or just after one and what comes later faintly; else all.
  struct Until {
    std::string before = {}, asOf = {};
    bool operator==(const Until& o) const { return before == o.before && asOf == o.asOf; }
  };

  Results(const recipe::Registry& registry, recipe::RecipePtr first, News& news);
  const recipe::ModelPtr& model() const { return last_.model; }
  const scene::ScenePtr& scene() const { return last_.scene; }
  MeasuredPtr figuresOf(const brep::BodyPtr& b) const; ///< null until they are measured
  double lastSeconds() const { return last_.seconds; }
  bool partial() const { return last_.partial; } ///< more is on its way
  bool busy() const { return runner_.busy(); }
  bool worthStopping() const; ///< somebody has noticed that it computes

  void request(recipe::RecipePtr recipe, bool moving, const Until& until);
  void measureWhileMoving(bool on) { runner_.measureWhileMoving(on); } ///< figures of joins follow a drag
  void stop() { runner_.stop(); }
  void forget() { runner_.forget(); } ///< what is asked for next is another project
  void remember(const exchange::Outcomes& kept) { runner_.remember(kept); } ///< that a project brought along

signals:
  void modelChanged();   ///< new results
  void figuresChanged(); ///< new measurements of bodies
  void busyChanged(bool busy);
  void progressed(double fraction, const QString& words);

private:
  Evaluated last_;
  Figures figures_;
  QElapsedTimer busySince_;
  Runner runner_; ///< last: its thread ends before what it reports to
};

} // namespace lumsk::app
