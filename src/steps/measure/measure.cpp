#include "inspect/measure.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace measure_ {

constexpr Kind kAnything = Kind::Point | Kind::Curve | Kind::Edge | Kind::Face | Kind::Skin | Kind::Solid | Kind::Plane;

Schema schema() {
  Field name = measurementName("measured");
  name.endingsField = "what";
  name.endings["centre"] = {"_x", "_y", "_z"};
  return {choice("what", "What", "What is measured.",
                 {{"distance", "distance"},
                  {"angle", "angle"},
                  {"radius", "radius"},
                  {"length", "length"},
                  {"area", "area"},
                  {"volume", "volume"},
                  {"centre", "centre of mass"},
                  {"clearance", "clearance of bodies"}}),
          picks("of", "Of", "Two things for distance, angle and clearance; else one, or several that are added up.",
                kAnything)
              .atLeast(1),
          name};
}

inspect::Thing thingOf(const Picked& p) {
  inspect::Thing t;
  if (const auto* plane = std::get_if<PlaneObject>(&p.object)) t.plane = plane->frame;
  if (const auto* point = std::get_if<PointObject>(&p.object)) t.point = point->at;
  if (const auto* curve = std::get_if<CurvePtr>(&p.object)) t.curve = *curve;
  if (const auto* body = std::get_if<brep::BodyPtr>(&p.object)) t.body = *body;
  if (p.kind == Kind::Face) t.body = p.body, t.face = p.index;
  return t;
}

/// What each kind of measurement can be taken of.
Expected<void> checkPicks(const std::string& what, const std::vector<Picked>& of) {
  const bool two = what == "distance" || what == "angle" || what == "clearance";
  if (two && of.size() != 2)
    return fail(problem("LM-Q010", "this is measured between two things")
                    .measure(count(double(of.size())))
                    .want(count(2))
                    .inField("of")
                    .tryThis(of.size() < 2 ? "pick another one" : "leave two"));
  if (what == "centre" && of.size() != 1)
    return fail(problem("LM-Q010", "a centre of mass belongs to one body").inField("of").tryThis("leave one"));
  const Kind bodies = Kind::Skin | Kind::Solid;
  const Kind fits = what == "length"      ? Kind::Curve | Kind::Edge
                    : what == "radius"    ? Kind::Curve | Kind::Edge | Kind::Face
                    : what == "area"      ? bodies | Kind::Face
                    : what == "volume"    ? Kind::Solid
                    : what == "centre"    ? bodies
                    : what == "clearance" ? bodies
                    : what == "angle"     ? Kind::Curve | Kind::Edge | Kind::Face | Kind::Plane
                                          : kAnything;
  for (const Picked& p : of)
    if (!has(fits, p.kind)) {
      Problem bad = problem("LM-Q011", aKind(p.kind) + " has no " + (what == "centre" ? "centre of mass" : what))
                        .inField("of")
                        .tryThis("pick " + aKind(fits));
      bad.item = p.item;
      return fail(std::move(bad));
    }
  return {};
}

/// A measurement, and what shows it in the view.
struct Found {
  std::vector<Quantity> values;
  std::optional<Object> shown;
  std::string words;
};

Expected<Found> between(const std::string& what, const std::vector<Picked>& of, const Context& cx) {
  const inspect::Thing a = thingOf(of[0]), b = thingOf(of[1]);
  if (what == "angle") {
    LUMSK_TRY(deg, inspect::angleBetween(a, b, cx.tolerances));
    return Found{{degrees(deg)}, {}, ""};
  }
  LUMSK_TRY(near, inspect::distanceBetween(a, b, cx));
  Found out{{millimetres(near.mm)}, {}, ""};
  if (near.mm <= cx.tolerances.point.mm) {
    out.words = "they touch or cross";
  } else if (auto line = nurbs::Path::make({nurbs::LineSegment{near.from, near.to}}, cx.tolerances.point)) {
    out.shown = std::make_shared<const nurbs::Path>(std::move(*line));
  }
  return out;
}

Expected<Found> sum(const std::string& what, const std::vector<Picked>& of) {
  Found out;
  double total = 0;
  for (const Picked& p : of) {
    const inspect::Thing t = thingOf(p);
    if (what == "length") total += inspect::lengthOf(*t.curve);
    if (what == "area") {
      LUMSK_TRY(a, inspect::areaOf(t));
      total += a;
    }
    if (what == "volume") {
      LUMSK_TRY(v, inspect::volumeOf(*t.body));
      total += v;
    }
    if (what == "radius") {
      LUMSK_TRY(r, inspect::radiusOf(t));
      if (out.words.empty() || r.mm < total) total = r.mm;
      out.words = r.tightest || of.size() > 1 ? "the tightest" : "of a circle";
    }
  }
  const Dimension d = what == "area" ? Dimension::Area : what == "volume" ? Dimension::Volume : Dimension::Length;
  out.values = {{total, d}};
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const std::string what = in.text("what");
  const auto& of = in.picked("of");
  LUMSK_CHECK(checkPicks(what, of));
  Expected<Found> found = Found{};
  if (what == "centre") {
    LUMSK_TRY(c, inspect::centreOf(*thingOf(of[0]).body));
    found = Found{{millimetres(c.x()), millimetres(c.y()), millimetres(c.z())}, PointObject{c}, ""};
  } else if (of.size() == 2 && (what == "distance" || what == "angle" || what == "clearance")) {
    found = between(what, of, cx);
  } else {
    found = sum(what, of);
  }
  if (!found) return fail(isCancelled(found.error()) ? found.error() : found.error().inField("of"));
  Outcome out;
  const std::string name = in.text("name");
  if (found->values.size() == 1) {
    out.measured[name] = found->values[0];
    out.summary = name + " = " + format(found->values[0], 6);
  } else {
    static const char* endings[] = {"_x", "_y", "_z"};
    for (size_t k = 0; k < 3; ++k) {
      out.measured[name + endings[k]] = found->values[k];
      out.summary += (k ? ", " : name + " = ") + formatNumber(found->values[k].value, 6);
    }
  }
  if (!found->words.empty()) out.summary += " - " + found->words;
  if (found->shown) out.outputs.push_back({"", *found->shown});
  return out;
}

} // namespace measure_

Step measure() { return {"measure", 1, "Measure", Stage::Check, measure_::schema, measure_::compute}; }

} // namespace lumsk::steps
