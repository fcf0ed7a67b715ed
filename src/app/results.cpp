#include "app/results.h"

#include "app/words.h"

namespace lumsk::app {

namespace {

constexpr int kNoticedMs = 250; ///< computing that lasts longer is what Esc is meant for

/// Faces without a mesh: they would be missing from the view without a word.
int undrawn(const scene::Scene& d) {
  int count = 0;
  for (const scene::DrawnBody& b : d.bodies)
    for (const scene::MeshPtr& f : b.faces) count += f->triangles.empty();
  return count;
}

} // namespace

Results::Results(const recipe::Registry& registry, recipe::RecipePtr first, News& news) : runner_(registry) {
  auto model = std::make_shared<recipe::Model>();
  model->recipe = std::move(first);
  last_.model = model;
  last_.scene = scene::draw(*model, scene::Quality::Fine, nullptr);
  connect(&runner_, &Runner::finished, this, [this, &news](const Evaluated& e) {
    last_ = e;
    if (const int faces = undrawn(*e.scene); faces > 0 && !e.moving && !e.partial)
      emit news.told(
          tr("faces that could not be drawn: %1; look at the openings and at the steps that made them").arg(faces));
    emit modelChanged();
    emit busyChanged(runner_.busy());
  });
  connect(&runner_, &Runner::measured, this, [this](const Figures& f) {
    figures_ = f;
    emit figuresChanged();
  });
  connect(&runner_, &Runner::started, this, [this] {
    busySince_.start();
    emit busyChanged(true);
  });
  connect(&runner_, &Runner::progressed, this, &Results::progressed);
  connect(&runner_, &Runner::broken, this, [this, &news](const QString& why) {
    emit busyChanged(runner_.busy());
    emit news.told(brokenInside(why));
  });
}

MeasuredPtr Results::figuresOf(const brep::BodyPtr& b) const {
  const auto it = figures_.find(b);
  return it == figures_.end() ? nullptr : it->second;
}

bool Results::worthStopping() const {
  return runner_.busy() && busySince_.isValid() && busySince_.elapsed() > kNoticedMs;
}

void Results::request(recipe::RecipePtr recipe, bool moving, const Until& until) {
  runner_.request(std::move(recipe), moving, until.before, until.asOf);
}

} // namespace lumsk::app
