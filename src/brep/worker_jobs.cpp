#include "base/text.h"
#include "brep/combine.h"
#include "brep/confine.h"
#include "brep/convert.h"
#include "brep/ended.h"
#include "brep/foreign.h"
#include "brep/foreign_mesh.h"
#include "brep/guard.h"
#include "brep/heal.h"
#include "brep/round_kernel.h"
#include "brep/memory_file.h"
#include "brep/merge.h"
#include "brep/pack.h"
#include "brep/trim.h"
#include "brep/worker.h"

#include <TopoDS.hxx>

#include <csignal>
#include <cstring>
#include <cstdio>
#include <cstdlib>
#include <new>
#include <nlohmann/json.hpp>
#include <cerrno>
#include <fcntl.h>
#include <sys/prctl.h>
#include <sys/socket.h>
#include <sys/stat.h>
#include <thread>
#include <unistd.h>

namespace lumsk::brep {

using nlohmann::json;

// The child's side ----------------------------------------------------------------------------------------------------

namespace {

json toJson(const ForeignBodies& f) {
  json out{{"parts", json::array()}, {"unit", f.unit}, {"notes", json::array()}};
  for (const auto& p : f.parts)
    out["parts"].push_back({{"body", brep::toJson(*p.body)}, {"label", p.label}, {"colour", p.colour}});
  for (const auto& n : f.notes) out["notes"].push_back(brep::toJson(n));
  out["curves"] = json::array();
  for (const auto& c : f.curves) out["curves"].push_back(json::binary(shapeBytes(toWire(c))));
  return out;
}

Problem notHandedOver(const std::string& what) {
  return problem("LM-W002", what + " could not be handed over").tryThis("change the inputs a little, and tell us");
}

/// Long lists go as they lie in memory: as numbers of JSON they would take ten times as much.
template <class T> json packed(const std::vector<T>& list) {
  static_assert(std::is_trivially_copyable_v<T> || std::is_same_v<T, Vec3>);
  const auto* from = reinterpret_cast<const std::uint8_t*>(list.data());
  return json::binary({from, from + list.size() * sizeof(T)});
}
template <class T> std::vector<T> unpacked(const json& j) {
  const auto& bytes = j.get_binary();
  std::vector<T> out(bytes.size() / sizeof(T));
  if (!out.empty()) std::memcpy(static_cast<void*>(out.data()), bytes.data(), out.size() * sizeof(T));
  return out;
}

std::vector<std::uint8_t> bytesOf(const std::string& s) { return {s.begin(), s.end()}; }

Expected<json> read(const json& a, const Context& cx) {
  const auto& bytes = a.at("bytes").get_binary();
  LUMSK_TRY(made, readForeignHere({bytes.begin(), bytes.end()},
                                  {LengthUnit(a.at("unit").get<int>()), a.at("name").get<std::string>(),
                                   a.at("hash").get<std::string>(), a.at("sew").get<double>()},
                                  cx));
  return toJson(made);
}

Expected<json> mesh(const json& a, const Context& cx) {
  const auto& bytes = a.at("bytes").get_binary();
  LUMSK_TRY(
      m, readMeshHere({bytes.begin(), bytes.end()}, a.at("name").get<std::string>(), a.at("scale").get<double>(), cx));
  return json{{"points", packed(m.points)}, {"triangles", packed(m.triangles)}};
}

json toJson(const Frame& f) { return {brep::toJson(f.origin), brep::toJson(f.x), brep::toJson(f.y)}; }
Frame frameFrom(const json& j) { return {vecFrom(j.at(0)), vecFrom(j.at(1)), vecFrom(j.at(2))}; }

Expected<json> cut(const json& a, const Context& cx) {
  const BodyPtr body = bodyFrom(a.at("body"));
  if (!body) return fail(notHandedOver("the body"));
  LUMSK_TRY(made, trimByPlaneHere(*body, frameFrom(a.at("plane")), a.at("above").get<bool>(),
                                  a.at("step").get<std::string>(), cx));
  json out{{"pieces", json::array()},
           {"kept", brep::toJson(made.keptAt)},
           {"dropped", brep::toJson(made.droppedAt)},
           {"refitted", made.refittedMm}};
  for (const auto& p : made.pieces) out["pieces"].push_back(brep::toJson(*p));
  return out;
}

Expected<json> combine(const json& a, const Context& cx) {
  const BodyPtr target = bodyFrom(a.at("target"));
  std::vector<BodyPtr> tools;
  for (const json& t : a.at("tools")) tools.push_back(bodyFrom(t));
  const auto how = combineFrom(a.at("how").get<std::string>());
  if (!target || !how || std::any_of(tools.begin(), tools.end(), [](const BodyPtr& t) { return !t; })) return fail(notHandedOver("the bodies"));
  LUMSK_TRY(made, combinedHere(target, tools, *how, cx));
  json out{{"pieces", json::array()}};
  for (const auto& p : made) out["pieces"].push_back(brep::toJson(*p));
  return out;
}

Expected<json> merge(const json& a, const Context& cx) {
  std::vector<BodyPtr> solids;
  for (const json& b : a.at("solids")) {
    solids.push_back(bodyFrom(b));
    if (!solids.back()) return fail(notHandedOver("the bodies"));
  }
  LUMSK_TRY(made, mergedHere(solids, a.at("names").get<std::vector<std::string>>(), cx));
  json out = json::array();
  for (const auto& p : made) out.push_back(brep::toJson(*p));
  return out;
}

json toJson(const std::vector<Vec3>& places) {
  json out = json::array();
  for (const Vec3& p : places) out.push_back(brep::toJson(p));
  return out;
}
std::vector<Vec3> placesFrom(const json& j) {
  std::vector<Vec3> out;
  for (const json& p : j) out.push_back(vecFrom(p));
  return out;
}

Expected<json> end(const json& a, const Context& cx) {
  const BodyPtr body = bodyFrom(a.at("body")), by = bodyFrom(a.at("by"));
  if (!body || !by) return fail(notHandedOver("the bodies"));
  LUMSK_TRY(made, endedAtHere(*body, *by, {a.at("face").get<int>(), placesFrom(a.at("from")), placesFrom(a.at("beyond")), a.at("name").get<std::string>()}, cx));
  return brep::toJson(*made);
}

Expected<json> round(const json& a, const Context& cx) {
  const BodyPtr body = bodyFrom(a.at("body"));
  if (!body) return fail(notHandedOver("the body"));
  std::vector<KernelRound> rounds;
  for (const json& r : a.at("rounds")) rounds.push_back({r.at("edge").get<int>(), r.at("size").get<double>(), r.at("name").get<std::string>()});
  LUMSK_TRY(made, roundedByKernelHere(*body, rounds, a.at("flat").get<bool>(), cx));
  return brep::toJson(*made);
}

Expected<json> heal(const json& a, const Context& cx) {
  const BodyPtr body = bodyFrom(a.at("body"));
  if (!body) return fail(notHandedOver("the body"));
  LUMSK_TRY(made, healedHere(*body, a.at("faces").get<std::vector<int>>(), cx));
  return brep::toJson(*made);
}

/// The error with which the system refuses something that no job needs; 0 where it does not.
Expected<json> escape(const json& a) {
  const auto way = a.at("way").get<std::string>();
  const auto refused = [](long done) { return done < 0 ? errno : 0; };
  if (way == "read") return refused(::open(a.at("path").get<std::string>().c_str(), O_RDONLY));
  if (way == "write") return refused(::open(a.at("path").get<std::string>().c_str(), O_WRONLY | O_CREAT, 0600));
  if (way == "remove") return refused(::unlink(a.at("path").get<std::string>().c_str()));
  if (way == "rights") return refused(::chmod(a.at("path").get<std::string>().c_str(), 0777));
  if (way == "socket") return refused(::socket(AF_INET, SOCK_STREAM, 0));
  if (way == "local socket") return refused(::socket(AF_UNIX, SOCK_STREAM, 0));
  if (way == "child") {
    const pid_t child = ::fork();
    if (child == 0) ::_exit(0);
    return refused(child);
  }
  if (way == "program") {
    char* none[] = {nullptr};
    return refused(::execve("/bin/true", none, none));
  }
  if (way == "signal") return refused(::kill(::getppid(), 0));
  if (way == "thread") { // which jobs do need
    int made = 0;
    std::thread([&] { made = 1; }).join();
    return made;
  }
  if (way == "environment") return int(::environ && *::environ);
  return fail(problem("LM-W002", "there is no way '" + way + "'"));
}

/// Takes memory until it is refused.
[[noreturn]] void eat() {
  std::vector<std::vector<char>> eaten;
  for (;;) eaten.emplace_back(size_t(16) << 20, char(eaten.size()));
}

} // namespace

Expected<json> workerJob(const std::string& job, const json& a, const Context& cx) {
  if (job == "read") return read(a, cx);
  if (job == "mesh") return mesh(a, cx);
  if (job == "cut") return cut(a, cx);
  if (job == "combine") return combine(a, cx);
  if (job == "merge") return merge(a, cx);
  if (job == "end") return end(a, cx);
  if (job == "heal") return heal(a, cx);
  if (job == "round") return round(a, cx);
  if (job == "escape") return escape(a);
  if (job == "crash") std::abort();
  if (job == "hang")
    for (;;) ::pause();
  if (job == "eat") eat();
  return fail(problem("LM-W002", "there is no job '" + job + "'"));
}

int workerMain(int argc, char** argv) {
  if (argc != 4) return 2;
  ::prctl(PR_SET_PDEATHSIG, SIGKILL); // never outlives the program that waits for it
  std::set_new_handler([] { ::_exit(kWorkerNoMemory); });
  if (!confine({std::strtoull(argv[2], nullptr, 10), std::strtoull(argv[3], nullptr, 10), kWorkerOut + 1})) return kWorkerNotConfined;
  quietKernel();
  Context cx;
  cx.progress = [](double fraction, const std::string& words) {
    std::printf("@%.3f %s\n", fraction, words.c_str());
    std::fflush(stdout);
  };
  json answer;
  try {
    const json arguments = jobFrom(wholeOf(kWorkerIn));
    if (auto result = workerJob(argv[1], arguments, cx))
      answer["result"] = std::move(*result);
    else
      answer["problem"] = brep::toJson(result.error());
  } catch (const std::exception& e) {
    answer["problem"] = brep::toJson(kernelProblem("working aside", e));
  }
  const auto bytes = json::to_cbor(answer);
  return writeTo(kWorkerOut, reinterpret_cast<const char*>(bytes.data()), bytes.size()) ? kWorkerAnswered : 1;
}

// The parent's side of the jobs ---------------------------------------------------------------------------------------

namespace {

/// A whole file of a few megabytes is read in seconds; a damaged one can keep the kernel busy for ever.
double patienceFor(const std::string& bytes) { return 8.0 + 6.0 * double(bytes.size()) / (1 << 20); }

} // namespace

Expected<ForeignBodies> readForeign(const std::string& bytes, const ForeignOptions& o, const Context& cx) {
  LUMSK_TRY(
      answer,
      runInWorker("read",
                  {{"bytes", json::binary(bytesOf(bytes))}, {"unit", int(o.unit)}, {"name", o.name}, {"hash", o.hash}, {"sew", o.sewMm}},
                  "reading '" + o.name + "'", {std::min(o.seconds, patienceFor(bytes)), 0}, cx));
  return guarded("taking over a file", [&]() -> Expected<ForeignBodies> {
    ForeignBodies out;
    out.unit = oneLine(answer.at("unit").get<std::string>());
    for (const json& p : answer.at("parts")) {
      auto body = bodyFrom(p.at("body"));
      if (!body) return fail(notHandedOver("the bodies of '" + o.name + "'"));
      out.parts.push_back({std::move(body), oneLine(p.at("label").get<std::string>()), p.at("colour").get<std::string>()});
    }
    for (const json& n : answer.at("notes")) out.notes.push_back(problemFrom(n));
    for (const json& c : answer.at("curves")) {
      auto path = toPath(TopoDS::Wire(shapeFrom(c.get_binary())), cx.tolerances.point);
      if (!path) return fail(notHandedOver("the curves of '" + o.name + "'"));
      out.curves.push_back(std::move(*path));
    }
    return out;
  });
}

Expected<SolidMesh> readForeignMesh(const std::string& bytes, const std::string& name, double scale,
                                    const Context& cx) {
  LUMSK_TRY(answer, runInWorker("mesh", {{"bytes", json::binary(bytesOf(bytes))}, {"name", name}, {"scale", scale}},
                                "reading '" + name + "'", {}, cx));
  SolidMesh out{unpacked<Vec3>(answer.at("points")), unpacked<std::array<int, 3>>(answer.at("triangles"))};
  for (const auto& t : out.triangles)
    for (int p : t)
      if (p < 0 || size_t(p) >= out.points.size()) return fail(notHandedOver("the mesh of '" + name + "'"));
  return out;
}

Expected<Trimmed> trimByPlane(const Body& b, const Frame& plane, bool above, const std::string& step,
                              const Context& cx) {
  if (!cutIsDoubtful(b)) return trimByPlaneHere(b, plane, above, step, cx);
  LUMSK_TRY(answer,
            runInWorker("cut", {{"body", toJson(b)}, {"plane", toJson(plane)}, {"above", above}, {"step", step}},
                        "cutting", {}, cx));
  return guarded("taking over a cut", [&]() -> Expected<Trimmed> {
    Trimmed out;
    out.keptAt = vecFrom(answer.at("kept"));
    out.droppedAt = vecFrom(answer.at("dropped"));
    out.refittedMm = answer.at("refitted").get<double>();
    for (const json& p : answer.at("pieces")) {
      out.pieces.push_back(bodyFrom(p));
      if (!out.pieces.back()) return fail(notHandedOver("the cut pieces"));
    }
    return out;
  });
}

namespace {

Expected<std::vector<BodyPtr>> bodiesFrom(const json& list) {
  return guarded("taking over bodies", [&]() -> Expected<std::vector<BodyPtr>> {
    std::vector<BodyPtr> out;
    for (const json& p : list) {
      out.push_back(bodyFrom(p));
      if (!out.back()) return fail(notHandedOver("the bodies"));
    }
    return out;
  });
}

} // namespace

Expected<std::vector<BodyPtr>> combined(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, const Context& cx) {
  json handed = json::array();
  for (const BodyPtr& t : tools) handed.push_back(toJson(*t));
  LUMSK_TRY(answer,
            runInWorker("combine", {{"target", toJson(*target)}, {"tools", std::move(handed)}, {"how", combineName(how)}},
                        "combining bodies", {}, cx));
  return bodiesFrom(answer.at("pieces"));
}

Expected<std::vector<BodyPtr>> merged(const std::vector<BodyPtr>& solids, const std::vector<std::string>& names, const Context& cx) {
  json all = json::array();
  for (const BodyPtr& b : solids) all.push_back(toJson(*b));
  LUMSK_TRY(answer, runInWorker("merge", {{"solids", std::move(all)}, {"names", names}}, "merging bodies", {}, cx));
  return bodiesFrom(answer);
}

Expected<BodyPtr> roundedByKernel(const Body& b, const std::vector<KernelRound>& rounds, bool flat, const Context& cx) {
  json list = json::array();
  for (const KernelRound& r : rounds) list.push_back({{"edge", r.edge}, {"size", r.sizeMm}, {"name", r.name}});
  LUMSK_TRY(answer, runInWorker("round", {{"body", toJson(b)}, {"rounds", list}, {"flat", flat}}, "rounding edges", {30, 0}, cx));
  LUMSK_TRY(bodies, bodiesFrom(json::array({std::move(answer)})));
  return bodies.front();
}

Expected<BodyPtr> healedByKernel(const Body& b, const std::vector<int>& gone, const Context& cx) {
  LUMSK_TRY(answer, runInWorker("heal", {{"body", toJson(b)}, {"faces", gone}}, "removing faces", {}, cx));
  LUMSK_TRY(bodies, bodiesFrom(json::array({std::move(answer)})));
  return bodies.front();
}

Expected<BodyPtr> endedAt(const Body& b, const Body& by, const Ending& e, const Context& cx) {
  LUMSK_TRY(answer, runInWorker("end",
                                {{"body", toJson(b)}, {"by", toJson(by)}, {"face", e.face}, {"from", toJson(e.from)}, {"beyond", toJson(e.beyond)}, {"name", e.name}},
                                "ending a body", {}, cx));
  LUMSK_TRY(bodies, bodiesFrom(json::array({std::move(answer)})));
  return bodies.front();
}

} // namespace lumsk::brep
