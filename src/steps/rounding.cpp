#include "steps/rounding.h"

#include "brep/convert.h"
#include "brep/edge_paths.h"
#include "brep/names.h"
#include "brep/round.h"
#include "brep/round_kernel.h"
#include "inspect/joins.h"
#include "nurbs/curves/curve_parts.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"
#include "steps/bodies.h"
#include "steps/graphs.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;

namespace {

constexpr double kContactDeg = 0.01, kBallMm = 0.01; ///< what results of the kernel have to keep
constexpr double kSmoothDeg = 5;                     ///< joins that turn by less are meant to be tangent

struct Run {
  nurbs::Path path;
  std::string item, name; ///< of the pick, of the edge in its body
  brep::Signature signature;
  double size = 1;
  bool own = false;
};

/// Runs that share ends.
std::vector<std::vector<Run>> groupsOf(std::vector<Run> runs, double near) {
  std::vector<int> of(runs.size());
  for (size_t i = 0; i < runs.size(); ++i) {
    of[i] = int(i);
    for (size_t j = 0; j < i; ++j) {
      if (runs[i].path.closed() || runs[j].path.closed()) continue;
      bool meets = false;
      for (const Vec3& a : {runs[i].path.start(), runs[i].path.end()})
        for (const Vec3& b : {runs[j].path.start(), runs[j].path.end()}) meets = meets || (a - b).norm() <= near;
      if (!meets) continue;
      const int from = of[j], to = of[i];
      for (size_t k = 0; k <= i; ++k)
        if (of[k] == from) of[k] = to;
    }
  }
  std::vector<std::vector<Run>> out;
  std::vector<int> known;
  for (size_t i = 0; i < runs.size(); ++i) {
    auto at = std::find(known.begin(), known.end(), of[i]);
    if (at == known.end()) {
      known.push_back(of[i]);
      out.emplace_back();
      at = known.end() - 1;
    }
    out[size_t(at - known.begin())].push_back(std::move(runs[i]));
  }
  return out;
}

bool anyFades(const std::vector<nurbs::RoundStretch>& stretches) {
  return std::any_of(stretches.begin(), stretches.end(), [](const auto& s) { return s.fades[0] || s.fades[1]; });
}

class Worker {
public:
  Worker(const Inputs& in, const EdgeWork& work, const Context& cx) : in_(in), w_(work), cx_(cx) {}

  Expected<Outcome> run() {
    for (const PickedParts& p : partsByBody(in_.picked("edges"))) {
      LUMSK_TRY(runs, runsOf(p));
      auto groups = groupsOf(std::move(runs), 10 * cx_.tolerances.point.mm);
      LUMSK_TRY(body, ringsAtOnce(p.body, groups));
      for (auto& group : groups) {
        if (cx_.stopped()) return fail(cancelled());
        auto done = group.size() == 1 ? alone(body, group.front()) : together(body, std::move(group));
        if (!done) return fail(done.error());
        body = *done;
      }
      putParts(out_, p, {body});
    }
    if (handle_ && !allLooked_) handle_->most = 0; // the least of some would promise too much
    if (handle_) out_.marks.add(*handle_);
    out_.summary = std::to_string(count_) + (count_ == 1 ? " edge" : " edges") + (controls_ ? " - " + std::to_string(controls_) + " points - " + format(millimetres(offMm_), 1) : "") + (handle_ && handle_->most > 0 ? " - up to " + format(millimetres(handle_->most), 3) : "");
    return std::move(out_);
  }

private:
  /// The edges that a pick means: itself, those around a face, or all of a face. Smooth ones are no edges of a face.
  std::vector<int> edgesMeant(const PickedParts& p, size_t k, brep::EdgeTurns& turns) const {
    const Picked& pick = in_.picked("edges")[k];
    if (pick.kind == Kind::Edge && in_.itemText("edges", k, "extent") != "loop") return {pick.index};
    std::vector<int> out;
    if (pick.kind == Kind::Face) {
      for (int e = 0; e < int(p.body->edgeNames.size()); ++e) {
        const auto beside = brep::facesAt(*p.body, e);
        if (std::find(beside.begin(), beside.end(), pick.index) != beside.end() && sharp(turns, e)) out.push_back(e);
      }
      return out;
    }
    const auto loop = brep::loopThrough(*p.body, pick.index, cx_.tolerances.point);
    const auto all = brep::edges(*p.body);
    for (int e = 0; loop && e < int(all.size()); ++e)
      if (const auto path = brep::toPath(all[size_t(e)]); path && brep::runsAlong(*loop, *path, 10 * cx_.tolerances.point.mm) && sharp(turns, e)) out.push_back(e);
    return out;
  }

  /// Whether two faces meet there with a kink.
  bool sharp(brep::EdgeTurns& turns, int edge) const { return turns.at(edge) > cx_.tolerances.corner.deg; }
  /// An edge with those that go on from it without a corner, as long as their faces meet with a kink.
  Expected<nurbs::Path> runAlong(const brep::Body& body, int edge, brep::EdgeTurns& turns) const {
    return brep::tangentChain(body, edge, cx_.tolerances.corner, cx_.tolerances.point, [&](int k) { return brep::facesAt(body, k).size() != 2 || sharp(turns, k); });
  }

  /// The runs of the picked edges, each once.
  Expected<std::vector<Run>> runsOf(const PickedParts& p) {
    std::vector<Run> out;
    brep::EdgeTurns turns(*p.body);
    const auto& picked = in_.picked("edges");
    for (size_t k = 0; k < picked.size(); ++k) {
      if (picked[k].objectId() != p.object || picked[k].index < 0) continue;
      const bool own = in_.itemText("edges", k, "sized") == "own";
      const double size = own ? in_.itemNumber("edges", k, "own").value_or(0) : in_.number("size");
      const auto meant = edgesMeant(p, k, turns);
      for (int e : meant) {
        LUMSK_TRY(path, runAlong(*p.body, e, turns));
        const auto edge = brep::toPath(brep::edges(*p.body)[size_t(e)]);
        const Vec3 middle = edge ? edge->at(0.5 * edge->last()) : path.at(0.5 * path.last());
        if (std::any_of(out.begin(), out.end(), [&](const Run& r) { return nurbs::closestPoint(r.path, middle).distanceMm < cx_.tolerances.point.mm; })) continue;
        out.push_back({std::move(path), picked[k].item, p.body->edgeNames[size_t(e)], brep::signatureOf(*p.body, brep::PartKind::Edge, e), size, own});
        if (size > cx_.tolerances.point.mm) continue;
        Problem none = problem("LM-O001", "it needs a size above nought").measure(millimetres(size)).at(middle).tryThis("give a size above nought");
        none.inField(own ? "edges" : "size").item = own ? picked[k].item : "";
        return fail(std::move(none));
      }
      if (!meant.empty()) continue;
      Problem smooth = problem("LM-O005", "this face has no edge at which it meets another one with a kink").at(brep::signatureOf(*p.body, brep::PartKind::Face, picked[k].index).middle).inField("edges").tryThis("pick edges, or another face");
      smooth.item = picked[k].item;
      return fail(std::move(smooth));
    }
    return out;
  }

  std::string faceNameOf(const Run& r) const { return brep::faceName(in_.stepId(), w_.role, r.name); }

  /// Where in a body that earlier runs have changed a run is now; nothing where it is gone.
  Expected<std::optional<nurbs::Path>> now(const brep::Body& body, const Run& r) const {
    const auto found = std::find(body.edgeNames.begin(), body.edgeNames.end(), r.name);
    if (found == body.edgeNames.end()) return std::optional<nurbs::Path>();
    brep::EdgeTurns turns(body);
    LUMSK_TRY(path, runAlong(body, int(found - body.edgeNames.begin()), turns));
    return std::optional(std::move(path));
  }

  static double largest(const nurbs::RoundOptions& o) {
    double most = 0;
    constexpr int kLooks = 16;
    for (int i = 0; i <= kLooks; ++i) most = std::max(most, o.by == nurbs::RoundBy::Distances ? std::max(o.distancesMm[0], o.distancesMm[1]) : o.size(double(i) / kLooks));
    return most;
  }

  Problem told(Problem p, const Run& r) const {
    if (p.field.empty()) p.inField("edges");
    if (p.item.empty() && p.field == "edges") p.item = r.item;
    return p;
  }

  /// With the largest size that fits, where a size is what is wrong.
  Problem limited(Problem p, const Run& r, const brep::RollingEdge& edge, const nurbs::RoundOptions& o) const {
    if (p.code != "LM-O002" && p.code != "LM-O003" && p.code != "LM-O004" && p.code != "LM-O006") return told(std::move(p), r);
    if (o.by == nurbs::RoundBy::Distances) return told(std::move(p), r);
    if (const auto fits = nurbs::largestRound(edge.edge(), o, largest(o), cx_)) {
      const std::string mm = formatNumber(fits->mm, 3);
      p.want(millimetres(fits->mm)).tryThis("at most " + mm + " mm fit");
      if (!r.own) p.offer({"use " + mm + " mm", "size", mm});
    }
    return told(std::move(p), r);
  }

  /// All around, where the size at the end is not that at the start.
  bool sizeJumps(const nurbs::Path& path, const nurbs::RoundOptions& o) const { return path.closed() && std::abs(o.size(1) - o.size(0)) > cx_.tolerances.point.mm; }

  Expected<brep::BodyPtr> byBall(const brep::BodyPtr& body, const Run& r, const nurbs::Path& path) {
    const auto o = w_.options(r.size);
    if (sizeJumps(path, o)) {
      Problem jump = problem("LM-O011", "the edge runs all around, but its size at the end is not that at its start").measure(millimetres(o.size(1))).want(millimetres(o.size(0))).at(path.start()).tryThis("let the factors be alike at 0 and at 1");
      if (!w_.along.empty()) jump.inField(w_.along);
      return fail(told(std::move(jump), r));
    }
    auto edge = brep::RollingEdge::of(body, path, 4 * largest(o), cx_);
    if (!edge) return fail(told(edge.error(), r));
    const auto stretches = nurbs::roundStretches(edge->edge(), largest(o), cx_.tolerances);
    if (!stretches) return fail(told(stretches.error(), r));
    if (!anyFades(*stretches)) return byBall(body, r, *edge, o, faceNameOf(r));
    if (o.by != nurbs::RoundBy::Radius)
      return fail(told(problem("LM-O010", "the edge fades here: only a ball does so, too").at(stretches->front().fades[0] ? stretches->front().path.start() : stretches->front().path.end()).tryThis("say the radius"), r));
    brep::BodyPtr left = body;
    for (size_t k = 0; k < stretches->size(); ++k) {
      const nurbs::RoundStretch& s = (*stretches)[k];
      if (k > 0) { // between other faces now
        auto again = brep::RollingEdge::of(left, path, 4 * largest(o), cx_);
        if (!again) return fail(told(again.error(), r));
        edge = std::move(again);
      }
      LUMSK_TRY(made, byBall(left, r, edge->along(s), o, faceNameOf(r) + (k > 0 ? "|" + std::to_string(k + 1) : "")));
      left = made;
      if (s.tapers[0] || s.tapers[1])
        out_.notes.push_back(told(problem("LM-O102", "where the edge fades a little kink is left, and the size comes to nothing towards it").measure(degrees(s.creaseDeg)).at(s.fades[0] ? s.path.start() : s.path.end()).tryThis("let the skins flow into one another there"), r));
    }
    return left;
  }

  Expected<brep::BodyPtr> byBall(const brep::BodyPtr& body, const Run& r, const brep::RollingEdge& edge, const nurbs::RoundOptions& o, const std::string& name) {
    auto made = brep::rounded(body, edge, o, name, cx_);
    if (!made) return fail(limited(made.error(), r, edge, o));
    tell(r, made->band, edge, o);
    return made->body;
  }

  /// What is said of a round that was made.
  void tell(const Run& r, const nurbs::RoundBand& band, const brep::RollingEdge& edge, const nurbs::RoundOptions& o) {
    addHandle(r, band.places[band.places.size() / 2], edge, o);
    if (band.contactDeg > cx_.tolerances.angle.deg)
      out_.notes.push_back(told(problem("LM-O101", "the round leaves its skins at an angle, of at most").measure(degrees(band.contactDeg)).want(degrees(cx_.tolerances.angle.deg)).at(r.path.at(0.5 * r.path.last())).tryThis("smooth the edge, or take another size"), r));
    showSizes(edge, band, o);
    for (const nurbs::Surface& s : band.surfaces) controls_ += s.controlPoints();
    offMm_ = std::max(offMm_, band.deviationMm);
  }

  /// Lone runs that go all around are rounded in one go and leave the groups, where all of them can be: what is wrong with one of them,
  /// or between them, is found out one by one.
  Expected<brep::BodyPtr> ringsAtOnce(const brep::BodyPtr& body, std::vector<std::vector<Run>>& groups) {
    const auto isRing = [](const std::vector<Run>& group) { return group.size() == 1 && group.front().path.closed(); };
    if (std::count_if(groups.begin(), groups.end(), isRing) < 2) return body;
    std::vector<brep::RingRound> rings;
    std::vector<const Run*> of;
    brep::RollingEdge::Skins ready;
    for (const auto& group : groups) {
      if (!isRing(group)) continue;
      if (cx_.stopped()) return fail(cancelled());
      const Run& r = group.front();
      const auto o = w_.options(r.size);
      if (sizeJumps(r.path, o)) return body;
      auto edge = brep::RollingEdge::of(body, r.path, 4 * largest(o), cx_, &ready);
      if (!edge) return body;
      const auto stretches = nurbs::roundStretches(edge->edge(), largest(o), cx_.tolerances);
      if (!stretches || anyFades(*stretches)) return body;
      rings.push_back({std::move(*edge), o, faceNameOf(r)});
      of.push_back(&r);
    }
    const auto made = brep::roundedRings(body, rings, cx_);
    if (!made && isCancelled(made.error())) return fail(made.error());
    if (!made) return body;
    for (size_t i = 0; i < rings.size(); ++i) tell(*of[i], made->bands[i], rings[i].edge, rings[i].options);
    count_ += int(rings.size());
    groups.erase(std::remove_if(groups.begin(), groups.end(), isRing), groups.end());
    return made->body;
  }

  /// A size's handle, with the most that fits, which drags stop at: of the size of all the least of those of its edges.
  void addHandle(const Run& r, const nurbs::RolledPlace& x, const brep::RollingEdge& edge, const nurbs::RoundOptions& o) {
    const double most = mostOf(edge, o);
    if (r.own) {
      out_.marks.add(HandlePlace{"edges", x.edge, (x.contact[1] - x.edge).normalized(), 1.0, r.item, "own", most});
      return;
    }
    if (!handle_) handle_ = HandlePlace{"size", x.edge, (x.contact[1] - x.edge).normalized(), 1.0};
    if (most > 0) handle_->most = handle_->most > 0 ? std::min(handle_->most, most) : most;
  }

  /// Factors along the first edge, to be dragged.
  void showSizes(const brep::RollingEdge& edge, const nurbs::RoundBand& band, const nurbs::RoundOptions& o) {
    if (w_.along.empty() || shown_ || edge.fades()[0] || edge.fades()[1] || in_.graph(w_.along).empty()) return;
    shown_ = true;
    const auto placeAt = [&](double f) { return band.places[size_t(std::lround(std::clamp(f, 0.0, 1.0) * double(band.places.size() - 1)))]; };
    showGraph(out_, in_, w_.along, edge.path(), [&](double f) { return Vec3((placeAt(f).contact[1] - placeAt(f).edge).normalized()); }, o.size(0) / std::max(1e-9, in_.graph(w_.along).front().second));
  }

  /// Nought where much more fits, or it is not looked for: of many edges, and where sizes change along.
  double mostOf(const brep::RollingEdge& edge, const nurbs::RoundOptions& o) {
    constexpr double kMuch = 3;
    constexpr int kLooks = 4;
    if (o.by == nurbs::RoundBy::Distances || edge.fades()[0] || edge.fades()[1] || o.size(0) != o.size(0.37) || ++limitsAsked_ > kLooks) {
      allLooked_ = false;
      return 0;
    }
    const auto fits = nurbs::largestRound(edge.edge(), o, kMuch * o.size(0), cx_, o.size(0));
    if (!fits || fits->mm >= kMuch * o.size(0)) return 0;
    const double digit = std::pow(10, std::floor(std::log10(fits->mm)) - 2); // three of them
    return std::floor(fits->mm / digit) * digit;
  }

  Expected<brep::BodyPtr> alone(const brep::BodyPtr& body, const Run& r) {
    auto made = byBall(body, r, r.path);
    if (made || isCancelled(made.error())) {
      count_ += made.has_value();
      return made;
    }
    // Too large is too large; what could not be put into the body the kernel may still know.
    const bool cornered = !r.path.corners(cx_.tolerances.corner).empty();
    if (!cornered && made.error().code.rfind("LM-O0", 0) == 0 && made.error().code != "LM-O007") return made;
    if (auto other = byKernel(body, {r})) return other;
    return made;
  }

  /// Kernel's rounds of a group, where they pass.
  Expected<brep::BodyPtr> byKernel(const brep::BodyPtr& body, const std::vector<Run>& group) {
    if (!w_.kernel || !body->solid()) return fail(problem("LM-O008", "these edges cannot be rounded together").at(group.front().path.start()).tryThis("round them one by one"));
    std::vector<brep::KernelRound> list;
    for (const Run& r : group)
      if (const auto found = brep::findPart(*body, brep::PartKind::Edge, r.name, &r.signature); found.index >= 0) list.push_back({found.index, r.size, faceNameOf(r)});
    const bool flat = w_.options(1).section == nurbs::RoundSection::Flat;
    LUMSK_TRY(made, brep::roundedByKernel(*body, list, flat, cx_));
    LUMSK_CHECK(checked(*body, *made, group, flat));
    allLooked_ = false; // corners may allow less
    for (const Run& r : group)
      if (auto edge = brep::RollingEdge::of(body, r.path, 4 * r.size, cx_); edge && (r.own || !handle_)) {
        auto o = w_.options(r.size);
        if (const auto band = nurbs::roundBand(edge->edge(), o, cx_)) addHandle(r, band->places[band->places.size() / 2], *edge, o);
      }
    count_ += int(group.size());
    return made;
  }

  /// Contacts are tangent, and balls of our own touch the new faces along the middles of the edges; chamfers lie between the
  /// contacts that are our own.
  Expected<void> checked(const brep::Body& before, const brep::Body& made, const std::vector<Run>& group, bool flat) const {
    for (const auto& j : inspect::joins(made, cx_.tolerances))
      if (!flat && j.edge.find(in_.stepId() + "." + w_.role + "(") != std::string::npos && j.measured && j.angleDeg < kSmoothDeg && j.angleDeg > kContactDeg)
        return fail(problem("LM-O008", "the round does not touch its face tangentially").measure(degrees(j.angleDeg)).want(degrees(kContactDeg)).at(j.angleAt).tryThis("take less, or round these edges one by one"));
    LUMSK_TRY(skin, brep::BodyFaces::of(made, -1, cx_));
    const auto shared = std::make_shared<brep::Body>(before);
    for (const Run& r : group) {
      auto edge = brep::RollingEdge::of(shared, r.path, 4 * r.size, cx_);
      if (!edge) continue;
      auto band = nurbs::roundBand(edge->edge(), w_.options(r.size), cx_);
      if (!band) return fail(limited(band.error(), r, *edge, w_.options(r.size)));
      const auto& places = band->places;
      for (size_t i = places.size() / 4; i <= 3 * places.size() / 4; i += 3) {
        // A chamfer ends on the contacts, which then are an edge; around a ball it is as far away as this is large.
        const auto near = skin.nearest(flat ? Vec3(0.5 * (places[i].contact[0] + places[i].contact[1])) : places[i].centre);
        const double off = near ? std::abs(near->distanceMm - (flat ? 0 : places[i].radiusMm)) : 1e3;
        if (off > kBallMm) return fail(told(problem("LM-O008", "the round is not what a ball leaves here").measure(millimetres(off)).want(millimetres(kBallMm)).at(places[i].contact[0]).tryThis("take less, or round these edges one by one"), r));
      }
    }
    return {};
  }

  /// Runs of a group that meet at tips, where nothing but the same two faces meets, as one all around.
  std::optional<Run> ringWithTips(const brep::Body& body, const std::vector<Run>& group) const {
    const double near = 10 * cx_.tolerances.point.mm;
    std::vector<nurbs::Path> paths;
    for (const Run& r : group) {
      if (r.size != group.front().size) return {};
      paths.push_back(r.path);
      for (const Vec3& end : {r.path.start(), r.path.end()})
        if (brep::facesAround(body, end, near) != 2) return {};
    }
    auto chained = nurbs::chained(paths, {near}, cx_);
    if (!chained || !chained->path.closed()) return {};
    Run out = group.front();
    out.path = std::move(chained->path);
    return out;
  }

  Expected<brep::BodyPtr> together(const brep::BodyPtr& body, std::vector<Run> group) {
    if (const auto ring = ringWithTips(*body, group)) {
      auto made = byBall(body, *ring, ring->path);
      count_ += made ? int(group.size()) : 0;
      return made;
    }
    auto all = byKernel(body, group);
    if (all || isCancelled(all.error())) return all;
    if (all.error().code.rfind("LM-O0", 0) == 0 && all.error().code != "LM-O008") return all; // one is too large
    std::stable_sort(group.begin(), group.end(), [](const Run& a, const Run& b) { return a.size > b.size; });
    brep::BodyPtr left = body;
    std::vector<nurbs::Path> done;
    for (const Run& r : group) {
      LUMSK_TRY(path, now(*left, r));
      if (!path) { // one before went on along it, else it is gone
        const Vec3 middle = r.path.at(0.5 * r.path.last());
        if (std::any_of(done.begin(), done.end(), [&](const nurbs::Path& p) { return nurbs::closestPoint(p, middle).distanceMm < cx_.tolerances.point.mm; })) continue;
        return fail(told(problem("LM-O008", "another edge that is worked on takes this one away").at(middle).tryThis("take less for the other one, or a step for each"), r));
      }
      auto made = byBall(left, r, *path);
      if (!made) {
        Problem p = made.error();
        if (!isCancelled(p)) p.what += ", beside other edges that are worked on";
        return fail(std::move(p));
      }
      left = *made;
      done.push_back(std::move(*path));
      ++count_;
    }
    return left;
  }

  const Inputs& in_;
  const EdgeWork& w_;
  const Context& cx_;
  Outcome out_;
  std::optional<HandlePlace> handle_; ///< of the size of all
  int limitsAsked_ = 0;
  bool allLooked_ = true; ///< at all edges, for the most that fits
  bool shown_ = false; ///< factors along
  int count_ = 0, controls_ = 0;
  double offMm_ = 0;
};

} // namespace

Field edgesField(const std::string& what) {
  Field f = picks("edges", "Edges", what + " Of an edge its whole run without a corner counts, or all around its face; of a face all of its edges.", Kind::Edge | Kind::Face)
                .atLeast(1)
                .prefer(Kind::Edge);
  // Parts of edges are no runs.
  f.each = {choice("extent", "What counts", "Of an edge: its run, those that go on from it without a corner; or all around the face.", {{"run", "its run", Kind::Edge}, {"loop", "all around", Kind::Edge}}),
            choice("sized", "Size", "As all, or of a size of its own.", {{"all", "as all"}, {"own", "own size"}}),
            length("own", "Size", "Of this one.", "2").within(0.001, 1e4).when("sized", {"own"}).withHandle(Handle::Distance)};
  return f;
}

Expected<Outcome> workOnEdges(const Inputs& in, const EdgeWork& work, const Context& cx) { return Worker(in, work, cx).run(); }

} // namespace lumsk::steps
