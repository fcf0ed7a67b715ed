#include "steps/sections.h"

#include "brep/edge_paths.h"

namespace lumsk::steps {

using namespace recipe;

Field extentField() {
  Field f = choice("extent", "What counts",
                   "What of this pick counts: itself alone, the edges that go on from it without a corner, all around, "
                   "or together with the pick before it.",
                   {{"alone", "alone"},
                    {"chain", "chain", Kind::Edge},
                    {"loop", "loop", Kind::Edge},
                    {"joined", "goes on", Kind::Curve | Kind::Edge}});
  return f;
}

namespace {

Expected<CurvePtr> curveFor(const Picked& p, const std::string& key, const Tolerances& tol) {
  if (p.kind != Kind::Face) return curveOf(p);
  auto path = brep::outlineOf(*p.body, p.index, tol.point);
  if (path) return std::make_shared<const nurbs::Path>(std::move(*path));
  path.error().inField(key).item = p.item;
  return fail(std::move(path.error()));
}

/// Two curves end to end, in whichever directions they touch.
Expected<CurvePtr> joined(const CurvePtr& first, const CurvePtr& second, size_t number, bool single,
                          const Tolerances& tol) {
  nurbs::Path a = *first, b = *second;
  const auto apart = [](const Vec3& p, const Vec3& q) { return (p - q).norm(); };
  const double ends = std::min(apart(a.end(), b.start()), apart(a.end(), b.end()));
  // Only where the first is a single curve may it be turned: what it was joined with lies at its start.
  if (single && std::min(apart(a.start(), b.start()), apart(a.start(), b.end())) < ends) a = nurbs::reversed(a);
  if (apart(a.end(), b.end()) < apart(a.end(), b.start())) b = nurbs::reversed(b);
  const double gap = apart(a.end(), b.start());
  if (gap > tol.point.mm || a.closed() || b.closed())
    return fail(problem("LM-L031", "pick " + std::to_string(number) + " does not go on from the one before it")
                    .measure(millimetres(gap))
                    .want(millimetres(tol.point.mm))
                    .at(b.start())
                    .tryThis("let it count alone, or bring the ends together"));
  std::vector<nurbs::Segment> segments = a.segments();
  segments.insert(segments.end(), b.segments().begin(), b.segments().end());
  LUMSK_TRY(path, nurbs::Path::make(std::move(segments), tol.point));
  return std::make_shared<const nurbs::Path>(std::move(path));
}

} // namespace

Expected<std::vector<PickedSection>> sectionsIn(const Inputs& in, const std::string& key, const Tolerances& tol,
                                                const std::string& called) {
  std::vector<PickedSection> out;
  const auto& picked = in.picked(key);
  for (size_t i = 0; i < picked.size(); ++i) {
    if (const auto* point = std::get_if<PointObject>(&picked[i].object)) {
      out.push_back({picked[i].item, picked[i], nullptr, point->at, {i}});
      continue;
    }
    LUMSK_TRY(curve, curveFor(picked[i], key, tol));
    if (in.itemText(key, i, "extent") == "joined" && !out.empty() && out.back().curve) {
      LUMSK_TRY(longer, joined(out.back().curve, curve, i + 1, out.back().places.size() == 1, tol));
      out.back().curve = longer;
      out.back().places.push_back(i);
      continue;
    }
    out.push_back({picked[i].item, picked[i], curve, {}, {i}});
  }
  constexpr double kFoldsBackDeg = 178;
  for (size_t i = 0; i < out.size(); ++i) {
    if (!out[i].curve) continue;
    for (double t : out[i].curve->corners({kFoldsBackDeg})) {
      Problem p = problem("LM-L036", called + " " + std::to_string(i + 1) + " folds back on itself");
      p.item = out[i].item;
      return fail(std::move(p.at(out[i].curve->at(t)).inField(key).tryThis("take the piece out that runs back")));
    }
    if (const auto at = nurbs::selfCrossings(*out[i].curve, tol.point); !at.empty()) {
      Problem p = problem("LM-L007", called + " " + std::to_string(i + 1) + " crosses itself");
      p.item = out[i].item;
      return fail(std::move(p.at(at.front()).inField(key).tryThis("mend that curve")));
    }
  }
  return out;
}

} // namespace lumsk::steps
