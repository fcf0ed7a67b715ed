// Damaged files and random recipes: whatever comes in, the program says what is wrong and lives. Every case runs in a
// process of its own, so that crashes, hangs and memory are counted and not suffered.
//   hardening files|recipes|hostile COUNT SEED [ONLY]      (damaged files; random recipes; files that are sound by their
//   format and hostile in content; only that case, in this process, with words)
// Exit 1 when a case crashed, took more than 10 s or more than 1 GB, or gave a result that is false.
#include "brep/guard.h"
#include "brep/mesh.h"
#include "exchange/export.h"
#include "exchange/files.h"
#include "exchange/project.h"
#include "recipe/evaluator.h"
#include "recipe/point_table.h"
#include "hardening/hostile.h"
#include "inspect/state.h"
#include "steps/registry.h"

#include <chrono>
#include <cstdio>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <functional>
#include <nlohmann/json.hpp>
#include <random>
#include <sys/resource.h>
#include <sys/wait.h>
#include <thread>
#include <unistd.h>

using namespace lumsk;
using nlohmann::json;
using test::any;
using test::below;
using test::Rng;
using test::Sample;

namespace {

constexpr double kMostSeconds = 10;
constexpr long kMostKb = 1L << 20;

std::string mutated(std::string s, Rng& rng) {
  static const std::vector<std::string> numbers{
      "0", "-1", "1e308", "-1e-308", "nan", "inf", "99999999999999999999", "1e9", "2147483648", "''", "#0", "$", "*"};
  for (size_t n = 1 + below(rng, 6); n > 0 && !s.empty(); --n) {
    const size_t at = below(rng, s.size()), length = 1 + below(rng, below(rng, 8) ? 12 : s.size());
    switch (below(rng, 7)) {
    case 0: s[at] = char(rng()); break;
    case 1: s.erase(at, length); break;
    case 2: s.insert(at, s.substr(below(rng, s.size()), length)); break;
    case 3: s.insert(at, std::string(length % 64, char(rng()))); break;
    case 4: s.resize(at); break;
    case 5: s[at] = char(s[at] ^ (1 << below(rng, 8))); break;
    default: { // a number in the text becomes another one
      const size_t digit = s.find_first_of("0123456789", at);
      if (digit == std::string::npos) break;
      s.replace(digit, s.find_first_not_of("0123456789.eE+-", digit) - digit, any(rng, numbers));
    }
    }
  }
  return s;
}

size_t succeeded = 0, failedSteps = 0, accepted = 0; ///< of the case at hand
bool telling = false;                  ///< what is refused is written out

/// One step that takes a file, over that file.
recipe::Recipe withFile(const std::string& kind, const std::string& name, std::string bytes) {
  recipe::Recipe r;
  const std::string hash = recipe::hashOf(bytes);
  r.imports[hash] = std::make_shared<const std::string>(std::move(bytes));
  auto s = std::make_shared<recipe::StepEntry>();
  s->id = "s" + r.newId();
  s->kind = kind;
  s->version = steps::registry().find(kind)->version;
  json inputs;
  for (const auto& f : steps::registry().schemaOf(kind))
    if (f.kind == recipe::FieldKind::File) inputs[f.key] = {{"hash", hash}, {"name", name}};
  s->inputs = std::make_shared<const json>(std::move(inputs));
  r.steps.push_back(std::move(s));
  return r;
}

constexpr int kFalseResult = 7; ///< exit code of a case

/// A body that is said to be a whole solid is held against its mesh, by code that did not build it: closed, somewhere, and
/// of that volume.
void checkAccepted(const recipe::Model& model) {
  Context cx;
  cx.until = std::chrono::steady_clock::now() + std::chrono::seconds(4); // the time of a case is the program's
  for (const auto& b : model.bodies) {
    if (b.stale) continue;
    const auto state = inspect::stateOf(*b.body);
    if (!state.valid || !state.solid) continue;
    const auto falseResult = [&](const char* what, double measured) {
      std::printf("false: %s is said to be a valid solid of %g mm3, %s %g\n", b.label.c_str(), state.volumeMm3, what, measured);
      std::fflush(stdout);
      _exit(kFalseResult);
    };
    const double size = (state.boxHigh - state.boxLow).norm();
    if (!(size < 4e6)) falseResult("its box is", size);
    const auto mesh = brep::exportMesh(*b.body, {std::max(1e-4, size / 800), 15}, cx);
    if (!mesh) { // told, and not written anywhere
      if (telling) std::printf("no mesh: %s\n", sentence(mesh.error()).c_str());
      continue;
    }
    ++accepted;
    if (mesh->openEdges() > 0) falseResult("open edges of its mesh:", mesh->openEdges());
    const double volume = mesh->volumeMm3();
    if (std::abs(volume - state.volumeMm3) > 0.02 * state.volumeMm3 + state.areaMm2 * size / 800) falseResult("its mesh has", volume);
  }
}

void evaluate(const recipe::Recipe& r) {
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(r), {});
  // Whatever did not come out is explained.
  for (const auto& s : r.steps) {
    const auto* result = model->result(s->id);
    succeeded += result->status == recipe::Status::Ok;
    failedSteps += result->status == recipe::Status::Failed;
    if (result->status != recipe::Status::Failed) continue;
    if (telling) std::printf("%s: %s\n", s->kind.c_str(), sentence(*result->problem).c_str());
    if (!result->problem || result->problem->code.empty() || result->problem->what.empty()) std::abort();
  }
  checkAccepted(*model);
}

std::vector<Sample> samples(const std::string& folder) {
  std::vector<Sample> out;
  for (const auto& e : std::filesystem::directory_iterator(folder))
    if (auto bytes = exchange::readFile(e.path().string())) out.push_back({e.path().filename().string(), *bytes});
  std::sort(out.begin(), out.end(), [](const Sample& a, const Sample& b) { return a.name < b.name; });
  return out;
}

/// Whole files of every kind that is read, made by ourselves.
void writeSamples(const std::string& folder) {
  for (const char* demo : {"tumbler", "carafe"})
    std::filesystem::copy_file(std::string(LUMSK_DATA_DIR) + "/demos/" + demo + ".lumsk",
                               folder + "/" + demo + ".lumsk");
  const auto project = exchange::readProject(folder + "/tumbler.lumsk");
  if (!project) std::exit(2);
  std::ofstream(folder + "/recipe.json") << recipe::toText(project->recipe);
  std::ofstream(folder + "/table.txt") << "# points\n0 0 0\n10.5;2;3\n20, 4, 1\n\n1 1 1\n2 2 2\n3 1 4\n";
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project->recipe), {});
  for (const char* demo : {"carafe", "vane_lamp_shade"}) // recipes of more kinds of steps
    if (const auto other = exchange::readProject(std::string(LUMSK_DATA_DIR) + "/demos/" + demo + ".lumsk"))
      std::ofstream(folder + "/" + demo + ".json") << recipe::toText(other->recipe);
  for (const char* name : {"/cup.step", "/cup.brep", "/cup.stl"})
    if (!exchange::exportModel(*model, folder + name, {{0.5, 20}}, {})) std::exit(2);
}

/// Whatever takes such a file is given it.
void tryFile(const std::string& folder, const std::string& name, const std::string& bytes, bool asGhost) {
  const std::string ending = exchange::extensionOf(name);
  if (ending == ".lumsk" || ending == ".json") {
    const std::string path = folder + "/../case" + std::to_string(::getpid()) + ending;
    std::ofstream(path, std::ios::binary) << bytes;
    const auto project = exchange::readProject(path);
    std::filesystem::remove(path);
    if (telling && !project) std::printf("%s\n", sentence(project.error()).c_str());
    if (!project) return;
    if (!project->kept.empty()) _exit(kFalseResult); // nobody sealed any
    evaluate(project->recipe);
  } else if (ending == ".txt") {
    (void)recipe::readPointTable(bytes);
    evaluate(withFile(asGhost ? "ghost" : "points_curve", name, bytes));
  } else if (ending == ".stl" || (asGhost && (ending == ".step" || ending == ".brep"))) {
    evaluate(withFile("ghost", name, bytes));
  } else if (ending == ".step" || ending == ".brep") {
    evaluate(withFile("import", name, bytes));
  } else {
    evaluate(withFile("picture", name, bytes));
  }
}

/// Damaged anywhere.
void fileCase(const std::string& folder, Rng& rng) {
  const auto all = samples(folder);
  const Sample& s = any(rng, all);
  const std::string bytes = mutated(s.bytes, rng);
  tryFile(folder, s.name, bytes, below(rng, 3) == 0);
}

/// Sound by its format, and hostile.
void hostileCase(const std::string& folder, Rng& rng) {
  const Sample s = test::hostileFile(samples(folder), rng);
  if (telling) std::ofstream("/tmp/" + s.name, std::ios::binary) << s.bytes;
  tryFile(folder, s.name, s.bytes, below(rng, 4) == 0);
}

json randomValue(const recipe::Field& f, const recipe::Recipe& r, Rng& rng);

/// Mostly something that the field could take, from a step before; at times anything.
json randomPick(const recipe::Field& f, const recipe::Recipe& r, Rng& rng) {
  static const std::vector<std::string> parts{"start", "end", "centre", "t1", "skin", "2", "2/skin", "gone|gone", "|"};
  using recipe::Kind;
  json p;
  std::vector<std::string> fitting;
  const bool curves = recipe::has(f.accepts, Kind::Curve),
             bodies = recipe::has(f.accepts, Kind::Skin) || recipe::has(f.accepts, Kind::Solid);
  for (const auto& s : r.steps) {
    const bool curve = steps::registry().find(s->kind)->stage == recipe::Stage::Curves;
    if ((curve && curves) || (!curve && bodies)) fitting.push_back(s->id);
  }
  if (recipe::has(f.accepts, Kind::Plane) && !curves && !bodies && below(rng, 8)) {
    p["step"] = "world";
    p["part"] = any(rng, std::vector<std::string>{"top", "front", "side"});
    return p;
  }
  if (!fitting.empty() && below(rng, 8)) {
    p["step"] = any(rng, fitting);
    if (below(rng, 10) == 0) p["part"] = any(rng, parts);
    return p;
  }
  if (r.steps.empty() || below(rng, 2) == 0) {
    p["step"] = "world";
    p["part"] = any(rng, std::vector<std::string>{"top", "front", "side", "origin", "no such"});
  } else {
    p["step"] = below(rng, 6) == 0 ? "s99" : any(rng, r.steps)->id;
    if (below(rng, 2)) p["part"] = any(rng, parts);
    p["kind"] = any(rng, std::vector<std::string>{"curve", "edge", "face", "skin", "solid", "point", "plane"});
  }
  return p;
}

json randomValue(const recipe::Field& f, const recipe::Recipe& r, Rng& rng) {
  using recipe::FieldKind;
  static const std::vector<json> odd{0, -1, 1e-9, 1e12, -3.5, "", "w", "1/0", "2 in", "sqrt(-1)", "((("};
  const auto number = [&]() -> json { return below(rng, 25) ? json(double(rng() % 9000) / 100) : any(rng, odd); };
  switch (f.kind) {
  case FieldKind::Quantity: { // mostly about its default
    const double usual = std::strtod(f.fallback.c_str(), nullptr);
    if (below(rng, 12) == 0) return number();
    return usual != 0 ? json(usual * (0.4 + 0.01 * double(below(rng, 160)))) : json(double(below(rng, 60)));
  }
  case FieldKind::Choice:
  case FieldKind::Continuity: return below(rng, 20) ? json(any(rng, f.options).key) : json("no such");
  case FieldKind::Switch: return below(rng, 2) == 0;
  case FieldKind::Text: return any(rng, std::vector<std::string>{"a", "volume", "1x", "", "pi"});
  case FieldKind::Points: {
    json list = json::array();
    for (size_t n = 2 + below(rng, 7); n > 0; --n)
      list.push_back({{"id", "q" + std::to_string(n)}, {"at", {number(), number(), number()}}});
    return list;
  }
  case FieldKind::Picks: {
    json list = json::array();
    for (size_t n = std::min<size_t>(size_t(f.most), 1 + below(rng, 5)); n > 0; --n) {
      json p = randomPick(f, r, rng);
      p["id"] = "p" + std::to_string(n);
      for (const auto& sub : f.each)
        if (below(rng, 3) == 0) p[sub.key] = randomValue(sub, r, rng);
      list.push_back(std::move(p));
    }
    return list;
  }
  default: return recipe::defaultValue(f);
  }
}

void recipeCase(const std::string&, Rng& rng) {
  recipe::Recipe r;
  r.parameters.push_back({"w", "25", Dimension::Length});
  const size_t curves = 2 + below(rng, 4), all = curves + 1 + below(rng, 7);
  for (size_t n = 0; n < all; ++n) {
    // Curves first, then anything, so that many recipes get as far as bodies.
    const auto& kinds = steps::registry().all();
    const auto* chosen = &kinds[below(rng, kinds.size())];
    const auto takesFile = [](const recipe::Step& s) {
      const auto& schema = steps::registry().schemaOf(s.kind);
      return std::any_of(schema.begin(), schema.end(),
                         [](const recipe::Field& x) { return x.kind == recipe::FieldKind::File; });
    };
    while ((n < curves && chosen->stage != recipe::Stage::Curves) || (takesFile(*chosen) && below(rng, 20)))
      chosen = &kinds[below(rng, kinds.size())];
    const auto& kind = *chosen;
    auto s = std::make_shared<recipe::StepEntry>();
    s->id = "s" + r.newId();
    s->kind = kind.kind;
    s->version = kind.version;
    s->label = kind.label;
    s->on = below(rng, 12) != 0;
    json inputs = json::object();
    for (const auto& f : steps::registry().schemaOf(kind.kind))
      if ((f.kind == recipe::FieldKind::Picks && (f.least > 0 || below(rng, 3) == 0)) ||
          f.kind == recipe::FieldKind::Points || below(rng, f.kind == recipe::FieldKind::Quantity ? 2 : 4) == 0)
        inputs[f.key] = randomValue(f, r, rng);
    s->inputs = std::make_shared<const json>(std::move(inputs));
    r.steps.push_back(std::move(s));
  }
  const auto again = recipe::fromText(recipe::toText(r));
  if (!again) std::abort();
  evaluate(*again);
}

} // namespace

int main(int argc, char** argv) {
  if (argc < 4) return 2;
  const std::string what = argv[1];
  const size_t count = std::strtoul(argv[2], nullptr, 10), seed = std::strtoul(argv[3], nullptr, 10);
  const auto run = what == "files" ? fileCase : what == "hostile" ? hostileCase : recipeCase;
  brep::quietKernel();
  std::string base = (std::filesystem::temp_directory_path() / "hardeningXXXXXX").string();
  if (!mkdtemp(base.data())) return 2;
  const std::string folder = base + "/samples";
  std::filesystem::create_directory(folder);
  // Nothing with threads may have run here before a case is forked off.
  const auto forked = [](const std::function<void()>& work) {
    const pid_t child = fork();
    if (child == 0) {
      alarm(unsigned(kMostSeconds) + 1);
      work();
      _exit(0);
    }
    return child;
  };
  int status = 0;
  waitpid(forked([&] { writeSamples(folder); }), &status, 0);
  if (status != 0) return 2;
  if (argc > 4) {
    Rng rng(seed * 1000003 + std::strtoul(argv[4], nullptr, 10));
    telling = true;
    run(folder, rng);
    std::printf("%zu steps done, %zu refused, %zu solids held against their meshes\n", succeeded, failedSteps, accepted);
    std::filesystem::remove_all(base);
    return 0;
  }
  size_t crashed = 0, hung = 0, large = 0, wrong = 0;
  double longest = 0;
  long mostKb = 0;
  for (size_t i = 0; i < count; ++i) {
    const auto start = std::chrono::steady_clock::now();
    const pid_t child = forked([&] {
      Rng rng(seed * 1000003 + i);
      run(folder, rng);
    });
    rusage use{};
    wait4(child, &status, 0, &use);
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    longest = std::max(longest, seconds);
    mostKb = std::max(mostKb, use.ru_maxrss);
    const bool late = seconds > kMostSeconds;
    hung += late;
    large += use.ru_maxrss > kMostKb;
    const bool isFalse = WIFEXITED(status) && WEXITSTATUS(status) == kFalseResult;
    wrong += isFalse;
    if (status != 0 && !late && !isFalse) ++crashed;
    if (use.ru_maxrss > kMostKb) std::printf("%s case %zu of seed %zu: %ld MB\n", what.c_str(), i, seed, use.ru_maxrss >> 10);
    if (status != 0 || late)
      std::printf("%s case %zu of seed %zu: status %d, %.1f s\n", what.c_str(), i, seed, status, seconds);
  }
  std::filesystem::remove_all(base);
  std::printf("%zu %s: %zu crashed, %zu took over %.0f s, %zu over 1 GB, %zu false results; longest %.1f s, most memory %ld MB\n", count,
              what.c_str(), crashed, hung, kMostSeconds, large, wrong, longest, mostKb >> 10);
  return crashed + hung + large + wrong ? 1 : 0;
}
