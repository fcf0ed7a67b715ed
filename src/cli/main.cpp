// Headless Lumsk: run, check, convert, study, steps (docs/command-line.md). Exit 0 done; 1 the recipe or model has failures;
// 2 wrong use or unreadable input.
#include "base/text.h"
#include "brep/guard.h"
#include "cli/iron.h"
#include "cli/send.h"
#include "cli/study.h"
#include "exchange/export.h"
#include "exchange/files.h"
#include "exchange/format.h"
#include "exchange/project.h"
#include "exchange/report.h"
#include "inspect/state.h"
#include "recipe/ways.h"
#include "scene/picture.h"
#include "sheet/pictures.h"
#include "sheet/sheet.h"
#include "steps/registry.h"

#include <CLI/CLI.hpp>
#include <ctime>
#include <filesystem>
#include <fmt/chrono.h>
#include <fmt/format.h>
#include <fstream>
#include <iostream>
#include <nlohmann/json.hpp>

using namespace lumsk;
using nlohmann::json;

namespace {

constexpr int kDone = 0, kFailures = 1, kWrongUse = 2;

/// What goes to a terminal holds names out of files: line by line it is rid of what would steer the terminal.
class PlainLines : public std::streambuf {
public:
  explicit PlainLines(std::ostream& out) : stream_(out), out_(out.rdbuf(this)) {}
  ~PlainLines() override {
    sync();
    stream_.rdbuf(out_);
  }

protected:
  int overflow(int c) override {
    if (c == traits_type::eof()) return 0;
    if (c != '\n') return line_ += char(c), c;
    line_ = oneLine(std::move(line_)) + '\n';
    return flush() ? c : traits_type::eof();
  }
  std::streamsize xsputn(const char* s, std::streamsize n) override {
    for (std::streamsize i = 0; i < n; ++i)
      if (overflow(static_cast<unsigned char>(s[i])) == traits_type::eof()) return i;
    return n;
  }
  int sync() override {
    line_ = oneLine(std::move(line_));
    return flush() && out_->pubsync() == 0 ? 0 : -1;
  }

private:
  bool flush() {
    const bool ok = out_->sputn(line_.data(), std::streamsize(line_.size())) == std::streamsize(line_.size());
    line_.clear();
    return ok;
  }
  std::ostream& stream_;
  std::streambuf* out_;
  std::string line_;
};

void complain(const Problem& p) { std::cerr << p.code << ": " << sentence(p) << '\n'; }

/// NAME=EXPR on a parameter. False when there is no such number.
bool setNumber(recipe::Recipe& r, const std::string& assignment) {
  const auto eq = assignment.find('=');
  if (eq == std::string::npos) return false;
  for (recipe::Parameter& p : r.parameters)
    if (p.name == assignment.substr(0, eq)) {
      p.expression = assignment.substr(eq + 1);
      return true;
    }
  return false;
}

void tellFailures(const recipe::Model& m) {
  if (m.numbersProblem) std::cerr << "numbers: " << m.numbersProblem->code << ": " << sentence(*m.numbersProblem) << '\n';
  for (const auto& s : m.recipe->steps) {
    const recipe::StepResult* r = m.result(s->id);
    if (r->status == recipe::Status::Failed && r->problem)
      std::cerr << s->id << " (" << s->label << "): " << r->problem->code << ": " << sentence(*r->problem) << '\n';
    if (r->status == recipe::Status::Stale)
      std::cerr << s->id << " (" << s->label << "): waits for a step that failed\n";
  }
}

struct Writing {
  exchange::ExportOptions options;
  bool each = false; ///< a file a body
};

struct RunArguments {
  std::string file, report, picture, sheet, paper = "a4";
  bool transparent = false;
  int turntable = 0;
  std::vector<std::string> views, sections, measured;
  std::string size = "1280x960", from = "corner", finish;
  std::vector<std::string> lenses, lensSet;
  std::vector<std::string> set, exports, parts;
  Writing writing;
};

/// What --size, --from, --lens, --lens-set and --finish ask for; nothing, with a word on stderr, when they make no
/// sense.
std::optional<scene::PictureOptions> pictureOptions(const RunArguments& a, const recipe::Names& names) {
  scene::PictureOptions o;
  const auto wrong = [](const std::string& words) -> std::optional<scene::PictureOptions> {
    std::cerr << words << '\n';
    return {};
  };
  if (std::sscanf(a.size.c_str(), "%dx%d", &o.width, &o.height) != 2 || std::min(o.width, o.height) < 16 ||
      std::max(o.width, o.height) > 8192)
    return wrong("--size is WIDTHxHEIGHT, 16 to 8192 pixels");
  const auto from = scene::viewFrom(a.from);
  if (!from) return wrong("--from is front, back, left, right, top, bottom or corner");
  o.from = *from;
  if (!a.finish.empty() && !(o.finish = recipe::finishOf(a.finish)))
    return wrong("--finish is matt, satin, gloss or metal");
  std::map<std::string, json> settings;
  for (const std::string& l : a.lenses) {
    if (!scene::findLens(l)) {
      std::string all;
      for (const auto& k : scene::lenses()) all += " " + k->key();
      return wrong("there is no lens '" + l + "'; the lenses are:" + all);
    }
    scene::turnOn(o.lens, l, true);
    settings[l] = json::object();
  }
  for (const std::string& s : a.lensSet) {
    const auto dot = s.find('.'), eq = s.find('=');
    const auto* lens = dot < eq && eq != std::string::npos ? scene::findLens(s.substr(0, dot)) : nullptr;
    const auto* field = lens ? recipe::findField(lens->settings(), s.substr(dot + 1, eq - dot - 1)) : nullptr;
    if (!field) return wrong("--lens-set is LENS.KEY=VALUE, not '" + s + "'");
    json& values = settings.emplace(lens->key(), json::object()).first->second;
    const std::string value = s.substr(eq + 1);
    values[field->key] = field->kind == recipe::FieldKind::Switch ? json(value == "true") : json(value);
    if (const auto e = recipe::shapeError(lens->settings(), values); !e.empty()) return wrong(e);
  }
  for (const auto& [lens, values] : settings) scene::take(o.lens, lens, values, names);
  return o;
}

/// Only the bodies that are named, by label or id, are there and seen. False, with a word on stderr, when one is not.
bool keepParts(recipe::Model& m, const std::vector<std::string>& names) {
  const auto is = [](const recipe::BodyEntry& b, const std::string& name) { return b.label == name || b.id == name; };
  for (const std::string& name : names) {
    if (std::any_of(m.bodies.begin(), m.bodies.end(), [&](const auto& b) { return is(b, name); })) continue;
    std::cerr << "there is no part '" << name << "'; the parts are:";
    for (const auto& b : m.bodies) std::cerr << " '" << b.label << "' (" << b.id << ')';
    std::cerr << '\n';
    return false;
  }
  std::vector<std::string> ids;
  for (const auto& b : m.bodies)
    if (std::any_of(names.begin(), names.end(), [&](const std::string& name) { return is(b, name); })) ids.push_back(b.id);
  m = exchange::withOnly(m, ids);
  return true;
}

void tellExported(const std::string& path, const exchange::Exported& done) {
  for (const auto& l : done.leftOut) std::cerr << "left out: " << l << '\n';
  std::cout << path << ": " << done.bodies << (done.bodies == 1 ? " body" : " bodies");
  if (done.curves) std::cout << ", " << done.curves << (done.curves == 1 ? " curve" : " curves");
  if (done.triangles) std::cout << ", " << done.triangles << " triangles";
  if (done.lines) std::cout << ", " << done.lines << " lines";
  std::cout << '\n';
}

/// Says first what such a file does not tell.
int exportTo(const recipe::Model& model, const std::string& path, const Writing& w) {
  if (const exchange::Format* format = exchange::formatFor(path, w.options))
    for (const std::string& words : exchange::notCarried(model, *format, w.options)) std::cerr << path << ": " << words << '\n';
  const auto failed = [](const Problem& p) {
    complain(p);
    return p.code == "LM-F024" ? kFailures : kWrongUse;
  };
  if (w.each) {
    const auto done = exchange::exportEach(model, path, w.options, {});
    if (!done) return failed(done.error());
    for (const auto& file : *done) tellExported(file.path, file.what);
    return kDone;
  }
  const auto done = exchange::exportModel(model, path, w.options, {});
  if (!done) return failed(done.error());
  tellExported(path, *done);
  return kDone;
}

/// The report sheet that is asked for.
int writeSheet(const recipe::Model& model, const RunArguments& a) {
  const auto options = pictureOptions(a, model.namesBefore(""));
  if (!options) return kWrongUse;
  sheet::SheetOptions o;
  o.title = std::filesystem::path(a.file).stem().string();
  o.when = fmt::format("{:%Y-%m-%d}", fmt::localtime(std::time(nullptr)));
  o.letter = a.paper == "letter";
  o.lens = options->lens;
  o.finish = options->finish;
  for (const std::string& words : a.sections) {
    const auto section = sheet::sectionFor(words, model);
    if (!section) return complain(section.error()), kWrongUse;
    o.sections.push_back(*section);
  }
  for (const std::string& name : a.measured) {
    const auto known = [&](const auto& s) {
      const recipe::StepResult* r = model.result(s->id);
      return r && r->outcome && r->outcome->measured.count(name) > 0;
    };
    if (std::none_of(model.recipe->steps.begin(), model.recipe->steps.end(), known)) return std::cerr << "nothing that is measured is called '" << name << "'\n", kWrongUse;
  }
  if (!a.measured.empty()) o.measured = std::set<std::string>(a.measured.begin(), a.measured.end());
  const auto done = sheet::writeSheet(model, a.sheet, o, {});
  if (!done) return complain(done.error()), kWrongUse;
  std::cout << fmt::format("{}: pages: {}, views at {}\n", a.sheet, done->pages, done->scale);
  return kDone;
}

int run(const RunArguments& a) {
  auto project = exchange::readProject(a.file, exchange::Kept::Leave);
  if (!project) return complain(project.error()), kWrongUse;
  for (const std::string& s : a.set)
    if (!setNumber(project->recipe, s)) {
      std::cerr << "there is no number to set by '" << s << "'; the numbers are:";
      for (const auto& p : project->recipe.parameters) std::cerr << ' ' << p.name;
      std::cerr << '\n';
      return kWrongUse;
    }
  recipe::Evaluator evaluator(steps::registry());
  recipe::ModelPtr model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project->recipe), {});
  tellFailures(*model);
  bool failed = model->failed();
  if (!a.parts.empty()) {
    auto part = std::make_shared<recipe::Model>(*model);
    if (!keepParts(*part, a.parts)) return kWrongUse;
    model = part;
  }
  if (!a.report.empty()) {
    const auto wrote = exchange::replaceFile(a.report, exchange::reportOf(*model).dump(2, ' ', false, json::error_handler_t::replace) + "\n");
    if (!wrote) return complain(wrote.error()), kWrongUse;
  }
  for (const std::string& path : a.exports) {
    const int code = exportTo(*model, path, a.writing);
    if (code == kWrongUse) return code;
    failed = failed || code != kDone;
  }
  if (!a.picture.empty()) {
    auto options = pictureOptions(a, model->namesBefore(""));
    if (!options) return kWrongUse;
    options->bodiesOnly = !a.parts.empty();
    options->clear = a.transparent;
    sheet::PictureJob job{*options, a.turntable, {}};
    for (const std::string& name : a.views) job.views.push_back(*scene::viewFrom(name));
    const auto done = sheet::writePictures(*model, a.picture, job, {});
    if (!done) return complain(done.error()), kWrongUse;
  }
  if (!a.sheet.empty())
    if (const int code = writeSheet(*model, a); code != kDone) return code;
  return failed ? kFailures : kDone;
}

void tellState(const json& b) {
  std::cout << fmt::format("{} {}: {}, {}, {} faces, {} open edges, area {:.1f} mm2, volume {:.1f} mm3, worst gap "
                           "{:.5f} mm, angle {:.4f} deg\n",
                           b["id"].get<std::string>(), b["label"].get<std::string>(), b["kind"].get<std::string>(),
                           b["valid"].get<bool>() ? "valid" : "NOT valid", b["faces"].get<int>(),
                           b["open_edges"].get<int>(), b["area_mm2"].get<double>(), b["volume_mm3"].get<double>(),
                           b["joins"]["gap_mm"].get<double>(), b["joins"]["angle_deg"].get<double>());
  for (const json& o : b["openings"])
    std::cout << fmt::format("  opening at {:.2f} {:.2f} {:.2f}, {:.2f} x {:.2f} x {:.2f} mm, edge {:.2f} mm in {} pieces\n",
                             o["at_mm"][0].get<double>(), o["at_mm"][1].get<double>(), o["at_mm"][2].get<double>(),
                             o["size_mm"][0].get<double>(), o["size_mm"][1].get<double>(), o["size_mm"][2].get<double>(),
                             o["length_mm"].get<double>(), o["edges"].get<int>());
  if (const int n = b["joins"]["unmeasured_edges"].get<int>(); n > 0)
    std::cout << fmt::format("  {} edges could not be measured\n", n);
}

/// Every construction through the curves of a step, the best first.
int ways(const std::string& file, const std::string& step, bool asJson) {
  const auto project = exchange::readProject(file, exchange::Kept::Leave);
  if (!project) return complain(project.error()), kWrongUse;
  const recipe::StepEntry* entry = project->recipe.find(step);
  if (!entry) return std::cerr << "no step '" << step << "'\n", kWrongUse;
  recipe::Evaluator evaluator(steps::registry());
  const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project->recipe), {});
  const recipe::Model before = recipe::modelBefore(*model, step);
  const json picks = recipe::picksForWays(*entry, steps::registry(), before);
  if (picks.empty()) {
    std::cerr << "'" << step << "' is no step that goes through curves in several ways\n";
    return kWrongUse;
  }
  Context cx;
  cx.tolerances = project->recipe.tolerances;
  json out = json::array();
  for (const recipe::Way& w : recipe::tryWays(picks, before, steps::registry(), cx)) {
    const recipe::WayFigures& f = w.figures;
    json one{{"name", w.name}, {"kind", w.step->kind}, {"fits", w.fits()}, {"holds", w.holds}, {"best", w.best}};
    if (w.fits())
      one.update({{"deviation_mm", f.deviationMm}, {"wrinkles", f.wrinkles}, {"radius_mm", f.smallestRadiusMm},
                  {"control_points", f.controlPoints}, {"seconds", w.result.seconds}});
    if (w.fits() && f.joins) one.update({{"gap_mm", f.gapMm}, {"angle_deg", f.angleDeg}, {"curvature_rel", f.curvature}});
    if (w.best) one["reason"] = w.reason;
    if (!w.fits() && w.result.problem) one["problem"] = w.result.problem->code + ": " + sentence(*w.result.problem);
    if (!asJson && w.fits())
      std::cout << fmt::format("{:24} {:.4f} mm off, wrinkles {:.3g}, radius {:.3g} mm, {} points, {:.0f} ms{}\n", w.name,
                               f.deviationMm, f.wrinkles, f.smallestRadiusMm, f.controlPoints,
                               1000 * w.result.seconds, w.best ? " - best: " + w.reason : "");
    if (!asJson && !w.fits())
      std::cout << fmt::format("{:24} {}\n", w.name, one.value("problem", std::string("does not fit")));
    out.push_back(std::move(one));
  }
  if (asJson) std::cout << out.dump(2, ' ', false, json::error_handler_t::replace) << '\n';
  return kDone;
}

int check(const std::string& file, bool asJson) {
  const exchange::Format* format = exchange::formatOf(file);
  json out{{"bodies", json::array()}};
  bool good = true;
  if (format && format->readMesh) {
    const auto mesh = format->readMesh(file);
    if (!mesh) return complain(mesh.error()), kWrongUse;
    const int open = mesh->openEdges();
    json b{{"id", "b1"},
           {"label", "mesh"},
           {"kind", open == 0 ? "solid" : "skin"},
           {"triangles", mesh->triangles.size()},
           {"open_edges", open},
           {"volume_mm3", open == 0 ? mesh->volumeMm3() : 0.0}};
    good = open > 0 || mesh->volumeMm3() > 0;
    b["valid"] = good;
    if (!asJson)
      std::cout << fmt::format("mesh: {}, {} triangles, {} open edges, volume {:.1f} mm3\n",
                               b["kind"].get<std::string>(), mesh->triangles.size(), open,
                               b["volume_mm3"].get<double>());
    out["bodies"].push_back(b);
  } else {
    std::vector<recipe::BodyEntry> bodies;
    Tolerances tol;
    if (format && format->readBodies) {
      auto read = format->readBodies(file);
      if (!read) return complain(read.error()), kWrongUse;
      bodies = std::move(*read);
    } else {
      const auto project = exchange::readProject(file, exchange::Kept::Leave);
      if (!project) return complain(project.error()), kWrongUse;
      recipe::Evaluator evaluator(steps::registry());
      const auto model = evaluator.evaluate(std::make_shared<const recipe::Recipe>(project->recipe), {});
      tellFailures(*model);
      good = !model->failed();
      bodies = model->bodies;
      tol = project->recipe.tolerances;
    }
    for (const auto& b : bodies) {
      out["bodies"].push_back(exchange::reportOf(b, tol));
      good = good && out["bodies"].back()["valid"].get<bool>();
      if (!asJson) tellState(out["bodies"].back());
    }
  }
  if (asJson) std::cout << out.dump(2, ' ', false, json::error_handler_t::replace) << '\n';
  return good ? kDone : kFailures;
}

int convert(const std::string& in, const std::vector<std::string>& to, const Writing& writing) {
  const std::string ending = exchange::extensionOf(in);
  if (ending == ".lumsk" || ending == ".json") {
    RunArguments a;
    a.file = in;
    a.exports = to;
    a.writing = writing;
    return run(a);
  }
  const exchange::Format* format = exchange::formatOf(in);
  if (!format || !format->readBodies)
    return complain(problem("LM-F035", "bodies cannot be read from '" + ending + "'").tryThis("use .step, .igs or .brep")),
           kWrongUse;
  auto bodies = format->readBodies(in);
  if (!bodies) return complain(bodies.error()), kWrongUse;
  recipe::Model model;
  model.recipe = std::make_shared<const recipe::Recipe>();
  model.bodies = std::move(*bodies);
  int code = kDone;
  for (const std::string& path : to) code = std::max(code, exportTo(model, path, writing));
  return code;
}

int listSteps(bool asJson) {
  json all = json::array();
  for (const auto& s : steps::registry().all()) {
    if (asJson)
      all.push_back({{"kind", s.kind},
                     {"version", s.version},
                     {"label", s.label},
                     {"stage", recipe::stageName(s.stage)},
                     {"fields", recipe::toJson(s.schema())}});
    else
      std::cout << fmt::format("{:14} {:10} {}\n", s.kind, recipe::stageName(s.stage), s.label);
    if (!asJson)
      for (const auto& f : s.schema())
        std::cout << fmt::format("    {:12} {:11} {}\n", f.key, recipe::fieldKindName(f.kind), f.help);
  }
  if (asJson) std::cout << all.dump(2) << '\n';
  return kDone;
}

struct StudyWords {
  cli::StudyArguments study;
  std::vector<std::string> vary;
  bool countOnly = false;
};

int runStudy(StudyWords& w) {
  for (const std::string& words : w.vary) {
    auto v = cli::varyOf(words);
    if (!v) return complain(v.error()), kWrongUse;
    w.study.vary.push_back(std::move(*v));
  }
  if (w.countOnly) {
    const auto n = cli::variantsOf(w.study.vary);
    if (!n) return complain(n.error()), kWrongUse;
    std::cout << *n << '\n';
    return kDone;
  }
  const auto failed = cli::study(w.study, std::filesystem::read_symlink("/proc/self/exe").string(), [](const std::string& line) { std::cout << line << std::endl; });
  if (!failed) return complain(failed.error()), kWrongUse;
  return *failed ? kFailures : kDone;
}

void addStudy(CLI::App& app, StudyWords& w) {
  auto* c = app.add_subcommand("study", "variants of a project by other numbers, with a table of figures (docs/handbook/studies.md)");
  c->add_option("FILE", w.study.file, "project (.lumsk or recipe.json)")->required();
  c->add_option("--vary", w.vary, "NAME=FROM:TO:STEP or NAME=VALUE,VALUE: all combinations")->required()->take_all();
  c->add_option("--out", w.study.out, "folder for the table and a folder a variant");
  c->add_option("--export", w.study.endings, "ENDING: a file of every variant, as .step")->take_all();
  c->add_flag("--picture", w.study.picture, "a picture of every variant (needs a display)");
  c->add_option("--jobs", w.study.jobs, "processes at once")->check(CLI::Range(1, 256));
  c->add_option("--only", w.study.only, "N or N-M: these variants, for several machines");
  c->add_flag("--count", w.countOnly, "only says how many variants there are");
  c->add_flag("--fresh", w.study.fresh, "begins anew in a folder that holds another study");
  c->add_option("--run", w.study.run, "words for the run of every variant: --run=--lens --run=stripes")->take_all();
}

/// How files are written, for `run` and `convert`.
void addExportOptions(CLI::App& command, Writing& w) {
  exchange::ExportOptions& o = w.options;
  std::vector<std::string> keys;
  for (const exchange::Format& f : exchange::formats()) keys.push_back(f.key);
  command.add_flag("--each", w.each, "every body as a file of its own: OUT-NAME.ENDING");
  command.add_flag("--curves", o.curves, "the curves that are seen, too, where the format has curves");
  command.add_option("--format", o.format, "another format than the ending says")->check(CLI::IsMember(keys));
  command.add_option("--chord", o.mesh.chordMm, "meshes and points: largest distance from the form, mm")->check(CLI::Range(0.0005, 100.0));
  command.add_option("--angle", o.mesh.angleDeg, "mesh: largest turn between neighbours, degrees")->check(CLI::Range(0.1, 90.0));
  command.add_option("--view", o.view.from, ".dxf .svg: the side it is seen from; flat: the plane of the curves")->check(CLI::IsMember(exchange::paperViews()));
  command.add_option("--scale", o.view.scale, ".dxf .svg: mm on paper for one of the form")->check(CLI::Range(1e-3, 1e3));
  command.add_flag("--hidden", o.view.hidden, ".dxf .svg: hidden lines, too");
  command.add_flag("!--no-outlines", o.view.outlines, ".dxf .svg: curves only");
}

void tellTexts(const recipe::Schema& schema) {
  for (const recipe::Field& f : schema) {
    std::cout << f.label << '\n' << f.help << '\n' << f.filter << '\n';
    for (const auto& o : f.options) std::cout << o.label << '\n';
    tellTexts(f.columns);
    tellTexts(f.each);
  }
}

/// Every text of steps and lenses that people read, one a line, for translators.
int listTexts() {
  for (const Dimension d : {Dimension::Length, Dimension::Angle, Dimension::Ratio, Dimension::Count})
    std::cout << dimensionName(d) << '\n';
  for (int i = 0; i < recipe::kStages; ++i) std::cout << recipe::stageName(recipe::Stage(i)) << '\n';
  for (const auto& s : steps::registry().all()) {
    std::cout << s.label << '\n';
    tellTexts(s.schema());
  }
  for (const auto& l : scene::lenses()) {
    std::cout << l->label() << '\n' << l->help() << '\n';
    if (const auto* surface = dynamic_cast<const scene::SurfaceLens*>(l.get()))
      std::cout << surface->directionWord() << '\n';
    if (const auto* field = dynamic_cast<const scene::FieldLens*>(l.get()))
      for (const std::string& words : {field->markedWords(), field->nothingWords()})
        if (!words.empty()) std::cout << words << '\n';
    tellTexts(l->settings());
  }
  for (const auto& f : exchange::formats()) std::cout << f.words << '\n';
  return kDone;
}

void addRun(CLI::App& app, RunArguments& r, const std::string& endings) {
  auto* runCommand = app.add_subcommand("run", "evaluate a project and export");
  runCommand->add_option("FILE", r.file, "project (.lumsk or recipe.json)")->required();
  runCommand->add_option("--set", r.set, "NAME=EXPR: another value for a number")->take_all();
  runCommand->add_option("--export", r.exports, "file to write: " + endings)->take_all();
  addExportOptions(*runCommand, r.writing);
  runCommand->add_option("--part", r.parts, "NAME: only this body, by its name or id, in all that is written")->take_all();
  runCommand->add_option("--report", r.report, "report as JSON");
  runCommand->add_option("--picture", r.picture, "picture as PNG (needs a display)");
  runCommand->add_flag("--transparent", r.transparent, "picture: without a ground");
  runCommand->add_option("--turntable", r.turntable, "picture: so many all round, as NAME-001.png and on");
  runCommand->add_option("--views", r.views, "picture: several on one page, by their names with commas between")
      ->delimiter(',')
      ->check(CLI::IsMember({"front", "back", "left", "right", "top", "bottom", "corner"}));
  runCommand->add_option("--sheet", r.sheet, "report sheet as PDF (needs a display)");
  runCommand->add_option("--section", r.sections, "sheet: a section, by the name or id of a plane, or as x=12.5")->take_all();
  runCommand->add_option("--measured", r.measured, "sheet: only these measurements, by their names with commas between")->delimiter(',');
  runCommand->add_option("--paper", r.paper, "sheet: a4 or letter")->check(CLI::IsMember({"a4", "letter"}));
  runCommand->add_option("--size", r.size, "picture: WIDTHxHEIGHT in pixels");
  runCommand->add_option("--from", r.from, "picture: front, back, left, right, top, bottom or corner");
  runCommand->add_option("--lens", r.lenses, "picture and sheet: a lens, as the window calls it")->take_all();
  runCommand->add_option("--lens-set", r.lensSet, "picture and sheet: LENS.KEY=VALUE, a setting of a lens")->take_all();
  runCommand->add_option("--finish", r.finish, "picture and sheet: matt, satin, gloss or metal for all bodies");
}

void addIron(CLI::App& app, cli::IronArguments& ironing) {
  auto* ironCommand = app.add_subcommand("iron", "the least moves of curves with which the skins made from them wrinkle least");
  ironCommand->add_option("FILE", ironing.file, "project (.lumsk or recipe.json)")->required();
  ironCommand->add_option("STEP", ironing.steps, "ids of curves, or of skins: all curves that these are made from")->required();
  ironCommand->add_option("--most", ironing.mostMm, "how far control points may move, mm")->check(CLI::Range(1e-4, 1e4));
  ironCommand->add_option("--out", ironing.out, "project to write");
  ironCommand->add_flag("--why", ironing.why, "only tells which control points add most to the wrinkles");
  ironCommand->add_flag("--json", ironing.asJson, "as JSON");
}

void addSend(CLI::App& app, cli::SendArguments& sending) {
  std::vector<std::string> manners;
  for (const auto& m : exchange::bureauManners()) manners.push_back(m.first);
  auto* sendCommand = app.add_subcommand("send", "send the visible solids to a print bureau and tell its answer");
  sendCommand->add_option("FILE", sending.file, "project (.lumsk or recipe.json)")->required();
  sendCommand->add_option("--bureau", sending.bureau, "socket at which a bureau listens; without it the simulated one is started");
  sendCommand->add_option("--simulate", sending.manner, "how the simulated bureau behaves")->check(CLI::IsMember(manners));
  sendCommand->add_option("--material", sending.wish.material, "key of a material, as 'pla'");
  sendCommand->add_option("--layer", sending.wish.layerMm, "height of the layers, mm");
  sendCommand->add_option("--copies", sending.wish.copies, "how many are wanted");
  sendCommand->add_option("--most", sending.options.mostSeconds, "seconds that the answer may take")->check(CLI::Range(1.0, 86400.0));
  sendCommand->add_option("--picture", sending.layers, "SVG of one layer, to write");
  sendCommand->add_option("--which", sending.layer, "which layer, from 0; the middle one without it")->check(CLI::NonNegativeNumber);
  sendCommand->add_flag("--json", sending.asJson, "as JSON");
}

} // namespace

int main(int argc, char** argv) {
  const PlainLines output(std::cout), errors(std::cerr);
  brep::quietKernel();
  CLI::App app{"Lumsk without a window"};
  app.require_subcommand(1);
  RunArguments r;
  std::string endings;
  for (const exchange::Format& f : exchange::formats())
    if (endings.find(f.endings.front()) == std::string::npos) endings += (endings.empty() ? "" : " ") + f.endings.front();
  addRun(app, r, endings);
  std::string file;
  std::vector<std::string> to;
  Writing converting;
  bool asJson = false;
  auto* checkCommand = app.add_subcommand("check", "states of the bodies of a file (.lumsk .step .igs .brep .stl)");
  checkCommand->add_option("FILE", file)->required();
  checkCommand->add_flag("--json", asJson, "as JSON");
  auto* convertCommand = app.add_subcommand("convert", "read one format, write another");
  convertCommand->add_option("IN", file)->required();
  convertCommand->add_option("OUT", to, "one or several: " + endings)->required();
  addExportOptions(*convertCommand, converting);
  std::string step;
  auto* waysCommand = app.add_subcommand("ways", "all constructions through the curves of a step, compared");
  waysCommand->add_option("FILE", file)->required();
  waysCommand->add_option("STEP", step, "id of a loft, network or boundary")->required();
  waysCommand->add_flag("--json", asJson, "as JSON");
  cli::IronArguments ironing;
  addIron(app, ironing);
  cli::SendArguments sending;
  addSend(app, sending);
  StudyWords studying;
  addStudy(app, studying);
  auto* stepsCommand = app.add_subcommand("steps", "all steps with their inputs");
  stepsCommand->add_flag("--json", asJson, "as JSON");
  auto* textsCommand = app.add_subcommand("texts", "all texts of steps and lenses, for translators");
  try {
    app.parse(argc, argv);
  } catch (const CLI::ParseError& e) {
    const int code = app.exit(e);
    return code == 0 ? kDone : kWrongUse;
  }
  try {
    if (app.got_subcommand("run")) return run(r);
    if (*checkCommand) return check(file, asJson);
    if (app.got_subcommand("study")) {
      if (studying.study.out.empty() && !studying.countOnly) return std::cerr << "--out is wanted: the folder for the table\n", kWrongUse;
      return runStudy(studying);
    }
    if (*convertCommand) return convert(file, to, converting);
    if (*waysCommand) return ways(file, step, asJson);
    if (app.got_subcommand("iron")) {
      const auto done = cli::iron(ironing);
      return done ? kDone : (complain(done.error()), kWrongUse);
    }
    if (app.got_subcommand("send")) {
      const auto accepted = cli::send(sending);
      return !accepted ? (complain(accepted.error()), kWrongUse) : *accepted ? kDone : kFailures;
    }
    if (*textsCommand) return listTexts();
    return listSteps(asJson);
  } catch (const std::exception& e) { // the last catch: nothing should come this far
    std::cerr << "LM-R031: the program failed inside (" << e.what() << "); tell us\n";
    return kFailures;
  }
}
