#include "app/project_file.h"

#include "app/demos.h"
#include "app/words.h"
#include "exchange/files.h"

#include <QFileInfo>
#include <algorithm>

namespace lumsk::app {

using recipe::Field;
using recipe::FieldKind;
using recipe::Recipe;

namespace {

constexpr std::uintmax_t kLargestImport = 256u << 20; ///< bytes

/// Everything here and above may rely on the shapes that schemas give: what a file has otherwise is put aside, and said.
QStringList withoutDamagedInputs(Recipe& recipe, const recipe::Registry& registry) {
  QStringList out;
  for (auto& step : recipe.steps) {
    if (!registry.find(step->kind)) continue;
    std::vector<std::string> errors;
    json inputs = recipe::withoutDamaged(registry.schemaOf(step->kind), *step->inputs, errors);
    if (errors.empty()) continue;
    auto sound = std::make_shared<recipe::StepEntry>(*step);
    sound->inputs = std::make_shared<const json>(std::move(inputs));
    for (const std::string& e : errors)
      out << ProjectFile::tr("%1: %2; the file's value was left out")
                 .arg(QString::fromStdString(step->label), QString::fromStdString(e));
    step = std::move(sound);
  }
  return out;
}

/// Whether a filter like "Bodies (*.step *.stp)" names the pattern.
bool takes(const std::string& filter, const std::string& pattern) {
  const auto at = filter.find(pattern);
  const auto end = at + pattern.size();
  return at != std::string::npos && end < filter.size() && (filter[end] == ' ' || filter[end] == ')');
}

} // namespace

ProjectFile::ProjectFile(Session& session, Results& results, Focus& focus, News& news)
    : session_(session), results_(results), focus_(focus), news_(news) {
  connect(&work_, &Background::broken, this, [this](const QString& why) {
    std::exchange(done_, {})(fail(problem("LM-F042", brokenInside(why).toStdString()).tryThis("save under another name, or start again")));
  });
}

template <class T> void ProjectFile::beside(std::function<Expected<T>()> work, std::function<void(T)> use, Done done) {
  if (work_.busy())
    return done(fail(problem("LM-F041", "another file is still being read or written").tryThis("try again in a moment")));
  done_ = std::move(done);
  work_.run<Expected<T>>([work = std::move(work)](const Context&) { return work(); },
                         [this, use = std::move(use)](Expected<T> made) {
                           if (made) use(std::move(*made));
                           std::exchange(done_, {})(made ? Expected<void>() : fail(made.error()));
                         });
}

void ProjectFile::announce() {
  emit focus_.focusChanged();
  emit projectReplaced();
  emit fileChanged();
}

void ProjectFile::newProject() {
  lock_.release();
  path_.clear();
  focus_.clear();
  results_.forget();
  session_.replaceBy(std::make_shared<const Recipe>(), true);
  announce();
}

void ProjectFile::adopt(exchange::Project project, const QString& path, bool saved) {
  newProject();
  for (const QString& e : withoutDamagedInputs(project.recipe, session_.registry())) emit news_.told(e);
  results_.remember(project.kept);
  path_ = path;
  session_.replaceBy(std::make_shared<const Recipe>(std::move(project.recipe)), saved);
  if (!path.isEmpty() && !isDemo(path)) // which nobody writes to
    if (const auto other = lock_.take(path.toStdString()))
      emit news_.problemArose(
          problem("LM-F040", "this project may be open twice: " + *other).tryThis("save under another name"));
  announce();
}

void ProjectFile::open(const QString& path, Done done) {
  beside<exchange::Project>([file = path.toStdString()] { return exchange::readProject(file); },
                            [this, path](exchange::Project read) { adopt(std::move(read), path, true); },
                            std::move(done));
}

void ProjectFile::takeOver(std::function<Expected<exchange::Project>()> read, const QString& path, Done done) {
  beside<exchange::Project>(
      std::move(read), [this, path](exchange::Project project) { adopt(std::move(project), path, false); },
      std::move(done));
}

void ProjectFile::save(const QString& path, const std::string& png, Done done) {
  session_.keepDraft();
  const recipe::RecipePtr recipe = session_.recipePtr();
  beside<recipe::RecipePtr>(
      [file = path.toStdString(), png, recipe, model = results_.model()]() -> Expected<recipe::RecipePtr> {
        LUMSK_CHECK(exchange::writeProject(file, {*recipe, png, exchange::worthKeeping(*model)}));
        return recipe;
      },
      [this, path](const recipe::RecipePtr& written) {
        session_.markSaved(written);
        if (path_ != path) lock_.take(path.toStdString());
        path_ = path;
        emit fileChanged();
      },
      std::move(done));
}

std::optional<std::pair<std::string, std::string>> ProjectFile::takerOf(const QString& path) const {
  const std::string pattern = "*" + exchange::extensionOf(path.toStdString());
  std::optional<std::pair<std::string, std::string>> best;
  long fewest = 1000;
  for (const auto& s : session_.registry().all())
    for (const Field& f : session_.registry().schemaOf(s.kind)) {
      const long kinds = std::count(f.filter.begin(), f.filter.end(), '*');
      if (f.kind != FieldKind::File || !takes(f.filter, pattern) || kinds >= fewest) continue;
      fewest = kinds;
      best = std::pair{s.kind, f.key};
    }
  return best;
}

QString ProjectFile::takenFiles() const {
  QStringList kinds, endings;
  for (const auto& s : session_.registry().all())
    for (const Field& f : session_.registry().schemaOf(s.kind)) {
      if (f.kind != FieldKind::File) continue;
      kinds << said(f.filter);
      endings << QString::fromStdString(f.filter).section('(', 1).chopped(1).split(' ');
    }
  endings.removeDuplicates();
  kinds.removeDuplicates();
  return tr("All of these (%1)").arg(endings.join(' ')) + ";;" + kinds.join(";;");
}

Expected<json> ProjectFile::bringIn(const QString& path) {
  LUMSK_TRY(bytes, exchange::readFile(path.toStdString(), kLargestImport));
  const std::string hash = recipe::hashOf(bytes);
  session_.bringAlong(hash, std::move(bytes));
  return json{{"hash", hash}, {"name", QFileInfo(path).fileName().toStdString()}};
}

} // namespace lumsk::app
