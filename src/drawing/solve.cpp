#include "drawing/solve.h"

#include <algorithm>
#include <set>

namespace lumsk::drawing {

namespace {

constexpr int kMostRounds = 80;      ///< of splines through points, whose places along them follow the points
constexpr double kLeastLead = 1e-4;  ///< part of a change that is still tried
constexpr size_t kMostSuspects = 16; ///< relations that are tried one by one

/// A direction for what has none: it could not be turned.
Drawing awake(const Drawing& d) {
  Drawing out = d;
  const double size = std::max(sizeOf(d), 1e-3);
  for (const Entity& e : d.entities) {
    if (e.linked || e.points.size() < 2) continue;
    for (size_t i = 0; i + 1 < e.points.size(); ++i) {
      Point *a = out.point(e.points[i]), *b = out.point(e.points[i + 1]);
      if (a != b && (a->at - b->at).norm() < 1e-9 * size) b->at.x() += 1e-3 * size;
      if (e.shape == Shape::Arc) break; // its ends may meet
    }
  }
  // What stands upright and is to lie level would be a point else, and the other way round.
  for (const Relation& r : d.relations) {
    if (!r.holds() || (r.law != Law::Level && r.law != Law::Upright)) continue;
    const Entity* line = r.of.size() == 1 ? d.entity(r.of[0]) : nullptr;
    const std::vector<Id>& ends = line ? line->points : r.of;
    if (ends.size() != 2 || !out.point(ends[0]) || !out.point(ends[1])) continue;
    const Eigen::Index along = r.law == Law::Level ? 0 : 1;
    const Vec2 by = out.at(ends[1]) - out.at(ends[0]);
    if (by.norm() > 0 && std::abs(by[along]) < 1e-6 * by.norm()) out.point(ends[1])->at[along] += 1e-3 * size;
  }
  return out;
}

/// What must not jump: how arcs run, which sizes there are, where lines point.
struct Pose {
  std::vector<double> sweeps, sizes;
  std::vector<Vec2> legs;
};
Pose poseOf(const System& s) {
  Pose out;
  for (const auto& a : s.of().arcs) out.sweeps.push_back(sweepOf(a, s.values()));
  for (const int v : s.of().positive) out.sizes.push_back(s.value(v));
  for (const auto& [a, b] : s.of().legs) out.legs.push_back({s.value(b) - s.value(a), s.value(b + 1) - s.value(a + 1)});
  return out;
}
bool arcsKept(const Pose& before, const Pose& after) {
  for (size_t i = 0; i < after.sweeps.size(); ++i)
    if (std::abs(after.sweeps[i] - before.sweeps[i]) > kPi) return false;
  return true;
}
bool sizesKept(const Pose& after, double size) {
  return std::all_of(after.sizes.begin(), after.sizes.end(), [&](double v) { return v > 1e-6 * size; });
}
bool legsKept(const Pose& before, const Pose& after) {
  for (size_t i = 0; i < after.legs.size(); ++i)
    if (before.legs[i].dot(after.legs[i]) < 0) return false;
  return true;
}

struct Try {
  Drawing drawing;
  bool done = false, arcs = true, legs = true, sizes = true;
};

Vector placesOf(const Drawing& d) {
  Vector out(Eigen::Index(2 * d.points.size()));
  for (size_t i = 0; i < d.points.size(); ++i) out.segment<2>(Eigen::Index(2 * i)) = d.points[i].at;
  return out;
}
void setPlaces(Drawing& d, const Vector& v) {
  for (size_t i = 0; i < d.points.size(); ++i) d.points[i].at = v.segment<2>(Eigen::Index(2 * i));
}

/// From where the drawing is, once. Splines through points: until the places on them agree with their points.
Expected<Try> attempt(const Drawing& d, const Context& cx) {
  Try out;
  out.drawing = d;
  Vector last;
  for (int round = 0; round < kMostRounds; ++round) {
    if (cx.stopped()) return fail(cancelled());
    LUMSK_TRY(e, equationsOf(out.drawing));
    System s(std::move(e));
    if (!s.contradicting().empty()) return out;
    const bool again = !s.of().sums.empty();
    if (round > 0 && System::worst(s.evaluate()) < kSolvedMm) return out;
    const Pose before = poseOf(s);
    out.done = s.solve(kSolvedMm, 60, cx).done;
    const Pose after = poseOf(s);
    out.arcs = out.arcs && arcsKept(before, after);
    out.legs = out.legs && legsKept(before, after);
    out.sizes = out.sizes && sizesKept(after, s.of().size);
    const Vector was = placesOf(out.drawing);
    writeBack(s, out.drawing);
    if (!out.done || !again) return out;
    // Rounds come nearer by the same factor each: every third one goes to where that leads (Aitken 1926).
    const Vector move = placesOf(out.drawing) - was;
    const double factor = round % 3 == 2 && last.size() ? move.dot(last) / std::max(last.squaredNorm(), 1e-300) : 0;
    if (factor > 0.05 && factor < 0.97) setPlaces(out.drawing, was + move / (1 - factor));
    last = move;
  }
  out.done = false;
  return out;
}

/// Dimensions that do not measure yet what they say: from where to where.
struct Lead {
  Id relation;
  double from, to;
};
std::vector<Lead> leadsOf(const Drawing& d) {
  std::vector<Lead> out;
  for (const Relation& r : d.relations)
    if (isDimension(r.law) && r.holds())
      if (const auto v = measured(d, r); v && std::abs(*v - r.value) > 1e-7) out.push_back({r.id, *v, r.value});
  return out;
}

/// All dimensions go from what they measure to what they say, in steps that nothing turns over in. Says how far it came.
std::pair<Drawing, double> led(const Drawing& start, const std::vector<Lead>& leads, const Context& cx) {
  Drawing at = start;
  double done = 0, step = 0.5;
  while (done < 1 && step > kLeastLead && !cx.stopped()) {
    const double next = std::min(1.0, done + step);
    Drawing target = at;
    for (const Lead& l : leads) target.relation(l.relation)->value = l.from + next * (l.to - l.from);
    const auto t = attempt(target, cx);
    if (t && t->done && t->arcs && t->legs) {
      at = t->drawing;
      done = next;
      step *= 2;
    } else {
      step *= 0.5;
    }
  }
  return {at, done};
}

/// Whether all but dimensions hold: else how it lies says nothing about how it is meant.
bool isPose(const Drawing& d) {
  auto e = equationsOf(d);
  if (!e) return false;
  System s(std::move(*e));
  const Vector r = s.evaluate();
  for (int i = 0; i < s.equations(); ++i)
    if (const int of = s.relationOf(i); (of < 0 || !isDimension(d.relations[size_t(of)].law)) && std::abs(r[i]) > 1e-6 * s.of().size) return false;
  return std::all_of(s.of().same.begin(), s.of().same.end(), [&](const auto& x) { return std::abs(s.of().start[size_t(x.a)] - s.of().start[size_t(x.b)]) < 1e-6 * s.of().size; });
}

Problem contradiction(const Drawing& d, const Drawing& asked, const Context& cx) {
  const std::vector<Id> ids = contradictionIn(asked, cx);
  Problem p = problem("LM-U005", ids.empty() ? "the relations of the drawing are not met together" : "relations of the drawing contradict each other");
  std::string names;
  for (const Id& id : ids) {
    const Relation& r = *d.relation(id);
    names += (names.empty() ? "" : ", ") + std::string(lawWords(r.law)) + (r.text.empty() ? "" : " " + r.text);
    p.offer({std::string("give up ") + lawWords(r.law) + (r.text.empty() ? "" : " " + r.text), {}, id});
  }
  if (!names.empty()) p.what += ": " + names;
  return p.tryThis(ids.empty() ? "take out what was added last" : "give up one of them");
}

Problem outOfReach(const Drawing& d, const Drawing& came, const std::vector<Lead>& leads) {
  const auto worst = std::max_element(leads.begin(), leads.end(), [](const Lead& a, const Lead& b) { return std::abs(a.to - a.from) < std::abs(b.to - b.from); });
  const Relation& r = *d.relation(worst->relation);
  const double factor = dimensionOf(r.law) == Dimension::Angle ? degFromRad(1) : 1;
  Problem p = problem("LM-U006", std::string("the drawing turns over or ends before the ") + lawWords(r.law) + " comes to what is asked")
                  .want({r.value * factor, dimensionOf(r.law)})
                  .tryThis("take a value nearer to the one before, or give up a relation");
  p.item = r.id;
  if (const auto v = measured(came, r)) p.measure({*v * factor, dimensionOf(r.law)});
  return p;
}

} // namespace

void writeBack(const System& s, Drawing& d) {
  for (size_t i = 0; i < d.points.size(); ++i) d.points[i].at = {s.value(int(2 * i)), s.value(int(2 * i) + 1)};
  for (const auto& [id, v] : s.of().sizeOf) d.entity(id)->size = s.value(v);
}

std::optional<double> measured(const Drawing& d, const Relation& r) {
  if (!isDimension(r.law)) return {};
  Drawing one = d;
  Relation alone = r;
  alone.off = alone.measured = false;
  alone.value = 1;
  one.relations = {alone};
  for (const Relation& other : d.relations)
    if (other.law == Law::Together && other.holds()) one.relations.insert(one.relations.begin(), other);
  auto e = equationsOf(one);
  if (!e || e->rows.empty()) return {};
  const Row& row = e->rows.back();
  if (row.relation < 0 || one.relations[size_t(row.relation)].id != r.id) return {};
  double v[2];
  evaluate(row, e->splines, e->start, v, nullptr);
  switch (row.form) {
  case Form::Apart: return std::abs(e->start[size_t(row.of[1])] - e->start[size_t(row.of[0])]);
  case Form::Turned: {
    const Vec2 c = d.at(r.of[2]), a = d.at(r.of[0]) - c, b = d.at(r.of[1]) - c;
    return std::atan2(a.x() * b.y() - a.y() * b.x(), a.dot(b));
  }
  case Form::Angle: return std::abs(v[0] / row.scale + (row.value < 0 ? -1 : 1));
  case Form::AngleToLevel: {
    const double a = std::remainder(v[0] / row.scale + 1, 2 * kPi);
    return a < 0 ? a + 2 * kPi : a;
  }
  case Form::EndRadius: {
    const double k = std::abs(v[0] / (row.scale * row.scale) + row.sign);
    return k > 1e-12 ? std::optional(1 / k) : std::nullopt;
  }
  case Form::Number: return (v[0] + row.value) * (r.law == Law::Diameter ? 2 : 1);
  default: return v[0] + row.value;
  }
}

namespace {

/// What came of it: solved, or why not is still to be told.
struct Outcome {
  std::optional<Drawing> solved;
  std::optional<std::pair<Drawing, std::vector<Lead>>> ended; ///< where led dimensions came to
};
Expected<Outcome> triedAllWays(const Drawing& start, const Context& cx) {
  LUMSK_TRY(direct, attempt(start, cx));
  if (direct.done && direct.arcs && direct.legs && direct.sizes) return Outcome{direct.drawing, {}};
  const std::vector<Lead> leads = leadsOf(start);
  const bool pose = isPose(start);
  if (direct.done && direct.sizes && (!pose || (direct.arcs && leads.empty()))) return Outcome{direct.drawing, {}};
  if (leads.empty() || !pose) return Outcome{};
  auto [at, done] = led(start, leads, cx);
  if (done >= 1) return Outcome{at, {}};
  if (direct.done || done > 0) return Outcome{{}, std::pair(at, leads)};
  return Outcome{};
}

} // namespace

Expected<Drawing> solved(const Drawing& d, const Context& cx) {
  const Drawing start = awake(d);
  LUMSK_TRY(out, triedAllWays(start, cx));
  if (out.solved) return *out.solved;
  if (cx.stopped()) return fail(cancelled());
  if (out.ended) return fail(outOfReach(d, out.ended->first, out.ended->second));
  Problem why = contradiction(d, start, cx);
  return fail(cx.stopped() ? cancelled() : std::move(why));
}

std::optional<Drawing> ifSolved(const Drawing& d) {
  auto out = triedAllWays(awake(d), {});
  return out ? out->solved : std::nullopt;
}

Drawing settled(Drawing d) {
  auto s = ifSolved(d);
  return s ? std::move(*s) : d;
}

std::optional<Drawing> settledFrom(const Drawing& before, const Drawing& asked) {
  const auto t = attempt(asked, {});
  if (!t || !t->done || !t->sizes) return {};
  auto e = equationsOf(before), f = equationsOf(t->drawing);
  if (!e || !f) return {};
  const Pose was = poseOf(System(std::move(*e))), is = poseOf(System(std::move(*f)));
  const auto same = [](Pose p, size_t arcs, size_t legs) {
    p.sweeps.resize(arcs), p.legs.resize(legs);
    return p;
  };
  const Pose now = same(is, was.sweeps.size(), was.legs.size());
  if (!arcsKept(was, now) || !legsKept(was, now)) return {};
  return t->drawing;
}

std::optional<Drawing> solvedWith(const Drawing& d, const Drawing& start, const Id& point, const Vec2& at) {
  Drawing held = start;
  held.point(point)->at = at;
  held.say(Law::Fixed, {point});
  auto out = settledFrom(d, held);
  if (!out) return {};
  out->relations.pop_back();
  out->lastId = d.lastId;
  return out;
}

std::vector<Id> contradictionIn(const Drawing& d, const Context& cx) {
  auto e = equationsOf(d);
  if (!e) return {};
  System s(std::move(*e));
  std::vector<std::pair<double, int>> suspects; // residual, relation
  if (!s.contradicting().empty()) {
    for (size_t i = 0; i < d.relations.size(); ++i)
      if (const Law l = d.relations[i].law; l == Law::Level || l == Law::Upright || l == Law::Together || l == Law::Fixed || l == Law::Equal || l == Law::SameCentre)
        suspects.push_back({double(i), int(i)});
  } else {
    if (s.solve(kSolvedMm, 200, cx).done) return {};
    const Vector r = s.evaluate();
    std::map<int, double> worst;
    for (int i = 0; i < s.equations(); ++i)
      if (const int of = s.relationOf(i); of >= 0) worst[of] = std::max(worst[of], std::abs(r[i]));
    for (const auto& [of, mm] : worst)
      if (mm > 1e-7) suspects.push_back({mm, of});
    // Levels, uprights and what is held have no equations of their own.
    for (size_t i = 0; i < d.relations.size(); ++i)
      if (!worst.count(int(i)) && d.relations[i].holds()) suspects.push_back({0, int(i)});
  }
  std::sort(suspects.rbegin(), suspects.rend());
  if (suspects.size() > kMostSuspects) suspects.resize(kMostSuspects);
  std::vector<int> out;
  for (const auto& [mm, i] : suspects) {
    if (cx.stopped()) return {};
    Drawing less = d;
    less.relations[size_t(i)].off = true;
    if (const auto t = attempt(awake(less), cx); t && t->done) out.push_back(i);
  }
  std::sort(out.rbegin(), out.rend());
  std::vector<Id> ids;
  for (const int i : out) ids.push_back(d.relations[size_t(i)].id);
  return ids;
}

} // namespace lumsk::drawing
