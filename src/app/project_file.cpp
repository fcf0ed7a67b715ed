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
  seen_ = told_ = {};
  focus_.clear();
  results_.forget();
  session_.replaceBy(std::make_shared<const Recipe>(), true);
  announce();
}

void ProjectFile::adopt(Read read, const QString& path, bool saved) {
  newProject();
  seen_ = std::move(read.state);
  exchange::Project& project = read.project;
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
  const auto read = [file = path.toStdString()]() -> Expected<Read> {
    Read out;
    out.state = exchange::stateOf(file); // before: what is written meanwhile is noticed
    exchange::removeLeftovers(QFileInfo(QString::fromStdString(file)).path().toStdString());
    LUMSK_TRY(project, exchange::readProject(file));
    out.project = std::move(project);
    return out;
  };
  beside<Read>(read, [this, path](Read made) { adopt(std::move(made), path, true); }, std::move(done));
}

void ProjectFile::takeOver(std::function<Expected<exchange::Project>()> read, const QString& path, Done done) {
  const auto work = [read = std::move(read), file = path.toStdString()]() -> Expected<Read> {
    Read out;
    LUMSK_TRY(project, read());
    out.project = std::move(project);
    if (!file.empty()) out.state = exchange::stateOf(file);
    return out;
  };
  beside<Read>(work, [this, path](Read made) { adopt(std::move(made), path, false); }, std::move(done));
}

void ProjectFile::save(const QString& path, const std::string& png, Done done, bool over) {
  session_.keepDraft();
  using Written = std::pair<recipe::RecipePtr, exchange::FileState>;
  const bool own = path == path_ && !over;
  const auto work = [file = path.toStdString(), png, recipe = session_.recipePtr(), model = results_.model(), own, seen = seen_]() -> Expected<Written> {
    LUMSK_CHECK(exchange::writeProject(file, {*recipe, png, exchange::worthKeeping(*model)}, {own ? &seen : nullptr}));
    return Written{recipe, exchange::stateOf(file)};
  };
  beside<Written>(
      work,
      [this, path](Written written) {
        seen_ = std::move(written.second);
        session_.markSaved(written.first);
        if (path_ != path) lock_.take(path.toStdString());
        path_ = path;
        emit fileChanged();
      },
      std::move(done));
}

void ProjectFile::lookForOthers() {
  if (path_.isEmpty() || isDemo(path_) || busy() || look_.busy()) return;
  using Found = std::optional<exchange::FileState>;
  look_.run<Found>(
      [file = path_.toStdString(), seen = seen_, told = told_](const Context&) -> Found {
        if (!exchange::changedSince(file, seen) || !exchange::changedSince(file, told)) return {};
        return exchange::stateOf(file);
      },
      [this, path = path_, time = seen_.timeNs](const Found& other) {
        if (!other || path != path_ || time != seen_.timeNs || busy()) return; // it was saved or left meanwhile
        told_ = *other;
        emit changedOutside();
      });
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
  std::uintmax_t all = bytes.size();
  for (const std::string& used : exchange::usedImports(session_.recipe()))
    if (used != hash) all += session_.recipe().imports.at(used)->size();
  if (all > exchange::kMostImported)
    return fail(problem("LM-F021", "with '" + QFileInfo(path).fileName().toStdString() + "' the project would hold too many large files")
                    .tryThis("a project takes " + std::to_string(exchange::kMostImported >> 20) + " MB of them; take out what is not needed"));
  session_.bringAlong(hash, std::move(bytes));
  return json{{"hash", hash}, {"name", QFileInfo(path).fileName().toStdString()}};
}

} // namespace lumsk::app
