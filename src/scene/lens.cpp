#include "scene/lens.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace lumsk::scene {

using namespace recipe;
using nlohmann::json;

namespace {

Schema stripeFields() {
  return {choice("room", "Room", "How the light tubes stand around the form.",
                 {{"upright", "upright"}, {"level", "level"}, {"tunnel", "tunnel"}}),
          choice("fixed", "Fixed to", "The room turns with the eye, or stands still with the part.",
                 {{"eye", "eye"}, {"part", "part"}}),
          countField("count", "Count", "Light tubes in a full turn.", "24").within(2, 400),
          ratioField("width", "Width", "Bright part of a stripe.", "0.5").within(0.05, 0.95),
          ratioField("softness", "Softness", "How gently light goes over into dark.", "0.06").within(0, 1)};
}

/// A direction by name, or by two angles.
std::vector<Field> directionFields(const std::string& help, const std::string& fallback) {
  Field direction = choice("direction", "Direction", help,
                           {{"up", "up (z)"}, {"front", "front (-y)"}, {"side", "side (x)"}, {"own", "own"}});
  direction.fallback = fallback;
  return {
      direction,
      angle("turn", "Turn", "Of an own direction, about the upright from the x axis.", "0")
          .within(-360, 360)
          .when("direction", {"own"}),
      angle("rise", "Rise", "Of an own direction, above the level.", "45").within(-90, 90).when("direction", {"own"})};
}

Schema joined(Schema a, const Schema& b) {
  a.insert(a.end(), b.begin(), b.end());
  return a;
}

Schema isophoteFields() {
  return joined(directionFields("Bands join places whose normals make the same angle with it.", "up"),
                {countField("count", "Bands", "From along the direction to against it.", "18").within(2, 360),
                 ratioField("width", "Width", "Bright part of a band.", "0.5").within(0.05, 0.95)});
}

Schema curvatureFields() {
  return {choice("shown", "Show", "Which curvature; hollow places are negative.",
                 {{"mean", "mean"},
                  {"gauss", "Gauss"},
                  {"largest", "largest"},
                  {"smallest", "smallest"},
                  {"radius", "tightest radius"}}),
          choice("range", "Range", "By itself it covers nine tenths of what is there.",
                 {{"auto", "by itself"}, {"own", "own"}}),
          quantity("low", "From", "Lower end of the colours: 1/mm, for Gauss 1/mm2, for the radius mm.",
                   Dimension::Ratio, "-0.1")
              .within(-1e6, 1e6)
              .when("range", {"own"}),
          quantity("high", "To", "Upper end of the colours.", Dimension::Ratio, "0.1")
              .within(-1e6, 1e6)
              .when("range", {"own"})};
}

Schema draftFields() {
  return joined(directionFields("Where the mould is pulled.", "up"),
                {angle("wanted", "Wanted", "Less draft than this is marked.", "3").within(0, 89),
                 toggle("halves", "Two halves", "The other half is pulled the other way.", true)});
}

Schema wallFields() {
  return {length("thin", "Thin below", "Thinner walls are marked.", "1.2 mm").within(0.001, 1000),
          length("thick", "Thick above", "Thicker walls are marked.", "4 mm").within(0.001, 1000)};
}

Schema deviationFields() {
  return {text("to", "To", "A body, a backdrop body or points.", ""),
          length("within", "Good within", "Smaller deviations look plain.", "0.1 mm").within(0, 1000),
          length("range", "Ends at", "Where the colours end.", "1 mm").within(0.0001, 10000)};
}

Schema combFields() {
  return {toggle("curves", "Curves", "Combs on curves.", true),
          toggle("isolines", "Isolines", "Combs on lines of the skins' own net.", false),
          countField("lines", "Lines", "Isolines each way.", "6").within(1, 60).when("isolines", {"true"}),
          toggle("stack", "Sections", "Combs on a stack of parallel sections.", false),
          choice("across", "Across", "What the sections are square to.", {{"x", "x"}, {"y", "y"}, {"z", "z"}})
              .when("stack", {"true"}),
          countField("sections", "Count", "Sections, spread over the form.", "8").within(1, 60).when("stack", {"true"}),
          countField("density", "Teeth", "On every span.", "12").within(2, 100),
          ratioField("scale", "Scale", "Length of the teeth.", "1").within(0.01, 100)};
}

Schema cutFields() {
  return {
      choice("across", "Square to", "The direction that the plane is moved in.", {{"x", "x"}, {"y", "y"}, {"z", "z"}}),
      length("at", "At", "Where the plane stands.", "0").within(-1e5, 1e5),
      angle("turn", "Turn", "Of the plane about the upright; of a level plane about y.", "0").within(-180, 180),
      countField("count", "Cuts", "Parallel planes.", "1").within(1, 40),
      length("spacing", "Apart", "Distance between the planes.", "10 mm").within(0.01, 1e4),
      toggle("away", "Look inside", "What lies before the plane is taken out of sight.", true),
      toggle("combs", "Combs", "Curvature of the cut lines.", false)};
}

const std::vector<std::pair<const char*, SurfaceLens>> kSurfaceLenses{
    {"shade", SurfaceLens::Shade},         {"stripes", SurfaceLens::Stripes}, {"isophotes", SurfaceLens::Isophotes},
    {"curvature", SurfaceLens::Curvature}, {"draft", SurfaceLens::Draft},     {"wall", SurfaceLens::Wall},
    {"deviation", SurfaceLens::Deviation}};

/// Values of one lens with its schema and the names for expressions.
class Values {
public:
  Values(const Schema& schema, const json& values, const Names& names)
      : schema_(schema), values_(values), names_(names) {}
  double number(const char* key) const {
    const Field& f = *findField(schema_, key);
    const json v = value(key);
    Expected<Quantity> q = fail(problem("LM-E004", "no number"));
    if (v.is_number()) q = Quantity{v.get<double>(), f.dimension};
    if (v.is_string()) q = evaluate(v.get<std::string>(), f.dimension, names_);
    if (!q) q = evaluate(f.fallback, f.dimension, names_);
    return std::clamp(q ? q->value : f.low, f.low, f.high);
  }
  bool on(const char* key) const {
    const json v = value(key);
    return v.is_boolean() ? v.get<bool>() : findField(schema_, key)->fallback == "true";
  }
  std::string option(const char* key) const {
    const json v = value(key);
    return v.is_string() ? v.get<std::string>() : std::string();
  }
  Vec3 direction() const {
    const std::string d = option("direction");
    if (d == "front") return -Vec3::UnitY();
    if (d == "side") return Vec3::UnitX();
    if (d != "own") return Vec3::UnitZ();
    const double t = radFromDeg(number("turn")), r = radFromDeg(number("rise"));
    return {std::cos(r) * std::cos(t), std::cos(r) * std::sin(t), std::sin(r)};
  }

private:
  json value(const char* key) const {
    return values_.is_object() && values_.contains(key) ? values_[key] : defaultValue(*findField(schema_, key));
  }
  const Schema& schema_;
  const json& values_;
  const Names& names_;
};

Vec3 axisOf(const std::string& name) {
  return name == "x" ? Vec3::UnitX() : name == "y" ? Vec3::UnitY() : Vec3::UnitZ();
}

Frame cutPlane(const std::string& across, double turnDeg) {
  if (across == "z") {
    const Eigen::AngleAxisd r(radFromDeg(turnDeg), Vec3::UnitY());
    return {Vec3::Zero(), r * Vec3::UnitX(), Vec3::UnitY()};
  }
  const Eigen::AngleAxisd r(radFromDeg(turnDeg), Vec3::UnitZ());
  if (across == "y") return {Vec3::Zero(), r * -Vec3::UnitX(), Vec3::UnitZ()};
  return {Vec3::Zero(), r * Vec3::UnitY(), Vec3::UnitZ()};
}

/// Teal, warm white, coral: told apart by lightness on either side, and by the lines that the shader draws.
constexpr std::array<std::array<double, 3>, 5> kStops{
    {{0.07, 0.30, 0.33}, {0.38, 0.64, 0.62}, {0.95, 0.93, 0.88}, {0.91, 0.62, 0.46}, {0.68, 0.22, 0.12}}};

} // namespace

bool LensState::looksAt(const std::string& body) const {
  return only.empty() || std::find(only.begin(), only.end(), body) != only.end();
}

bool LensState::needsValues() const {
  return surface == SurfaceLens::Curvature || surface == SurfaceLens::Draft || surface == SurfaceLens::Wall ||
         surface == SurfaceLens::Deviation;
}

const std::vector<LensKind>& lensKinds() {
  static const std::vector<LensKind> kinds{
      {"shade", "Shade", "plain clay", 0, true, {}},
      {"stripes", "Stripes", "reflected light tubes", 'S', true, stripeFields()},
      {"isophotes", "Isophotes", "bands of equal angle to a direction", 'I', true, isophoteFields()},
      {"curvature", "Curvature", "how surfaces bend, by colours", 'K', true, curvatureFields()},
      {"draft", "Draft", "angle to the pull of a mould, undercuts marked", 'D', true, draftFields()},
      {"wall", "Wall", "thickness of solids, by colours", 'W', true, wallFields()},
      {"deviation", "Deviation", "distance to a body, a backdrop or points", 'V', true, deviationFields()},
      {"combs", "Combs", "curvature of curves, isolines and sections", 'C', false, combFields()},
      {"joins", "Joins", "how faces meet, by letters and colours", 'J', false, {}},
      {"openings", "Openings", "where bodies are open", 'G', false, {}},
      {"points", "Points", "control points of curves and skins", 'P', false, {}},
      {"cut", "Cut", "a plane moved through the form", 'X', false, cutFields()}};
  return kinds;
}

const LensKind* findLens(const std::string& key) {
  for (const LensKind& k : lensKinds())
    if (k.key == key) return &k;
  return nullptr;
}

bool isOn(const LensState& s, const std::string& lens) {
  for (const auto& [key, surface] : kSurfaceLenses)
    if (lens == key) return s.surface == surface;
  return lens == "combs"      ? s.combs
         : lens == "joins"    ? s.joins
         : lens == "openings" ? s.openings
         : lens == "points"   ? s.points
                              : lens == "cut" && s.cut;
}

void turnOn(LensState& s, const std::string& lens, bool on) {
  for (const auto& [key, surface] : kSurfaceLenses)
    if (lens == key) s.surface = on ? surface : SurfaceLens::Shade;
  if (lens == "combs") s.combs = on;
  if (lens == "points") s.points = on;
  if (lens == "cut") s.cut = on;
  if (lens == "joins") s.joins = on, s.openings = s.openings && !on;
  if (lens == "openings") s.openings = on, s.joins = s.joins && !on;
}

void take(LensState& s, const std::string& lens, const json& values, const Names& names) {
  const LensKind* kind = findLens(lens);
  if (!kind || kind->settings.empty()) return;
  const Values v(kind->settings, values, names);
  if (lens == "stripes") {
    const std::string room = v.option("room");
    s.stripes.room = room == "level"    ? StripeLook::Room::Level
                     : room == "tunnel" ? StripeLook::Room::Tunnel
                                        : StripeLook::Room::Upright;
    s.stripes.onPart = v.option("fixed") == "part";
    s.stripes.count = v.number("count");
    s.stripes.width = v.number("width");
    s.stripes.softness = v.number("softness");
  } else if (lens == "isophotes") {
    s.isophotes = {v.direction(), v.number("count"), v.number("width")};
  } else if (lens == "curvature") {
    const std::string shown = v.option("shown");
    s.curvature.shown = shown == "gauss"      ? CurvatureShown::Gauss
                        : shown == "largest"  ? CurvatureShown::Largest
                        : shown == "smallest" ? CurvatureShown::Smallest
                        : shown == "radius"   ? CurvatureShown::Radius
                                              : CurvatureShown::Mean;
    s.curvature.byItself = v.option("range") != "own";
    s.curvature.low = v.number("low");
    s.curvature.high = v.number("high");
  } else if (lens == "draft") {
    s.draft = {v.direction(), v.number("wanted"), v.on("halves")};
  } else if (lens == "wall") {
    s.wall = {v.number("thin"), v.number("thick")};
  } else if (lens == "deviation") {
    s.deviation = {v.option("to"), v.number("within"), v.number("range")};
  } else if (lens == "combs") {
    s.comb = {v.on("curves"),           v.on("isolines"),          v.on("stack"),
              int(v.number("lines")),   int(v.number("sections")), axisOf(v.option("across")),
              int(v.number("density")), v.number("scale")};
  } else if (lens == "cut") {
    s.cutting = {cutPlane(v.option("across"), v.number("turn")),
                 v.number("at"),
                 int(v.number("count")),
                 v.number("spacing"),
                 v.on("combs"),
                 v.on("away")};
  }
}

std::optional<Vec3> directionOf(const LensState& s) {
  if (s.surface == SurfaceLens::Isophotes) return s.isophotes.direction;
  if (s.surface == SurfaceLens::Draft) return s.draft.pull;
  return {};
}

json ownDirection(const Vec3& d) {
  const Vec3 u = d.normalized();
  const auto tenths = [](double deg) { return std::round(deg * 10) / 10; };
  return {{"direction", "own"},
          {"turn", tenths(degFromRad(std::atan2(u.y(), u.x())))},
          {"rise", tenths(degFromRad(std::asin(std::clamp(u.z(), -1.0, 1.0))))}};
}

std::array<double, 3> fieldColour(double t) {
  const double x = std::clamp(t, 0.0, 1.0) * double(kStops.size() - 1);
  const size_t i = std::min(size_t(x), kStops.size() - 2);
  std::array<double, 3> c{};
  for (size_t k = 0; k < 3; ++k) c[k] = kStops[i][k] + (kStops[i + 1][k] - kStops[i][k]) * (x - double(i));
  return c;
}

std::string fieldColourSource() {
  std::string s = "vec3 fieldColour(float t) {\n  float x = clamp(t, 0.0, 1.0) * " +
                  fmt::format("{:.1f};\n", double(kStops.size() - 1));
  for (size_t i = 0; i + 1 < kStops.size(); ++i) {
    const auto colour = [](const std::array<double, 3>& c) {
      return fmt::format("vec3({:.4f}, {:.4f}, {:.4f})", c[0], c[1], c[2]);
    };
    s += fmt::format("  {}return mix({}, {}, x - {:.1f});\n",
                     i + 2 < kStops.size() ? fmt::format("if (x < {:.1f}) ", double(i + 1)) : std::string(),
                     colour(kStops[i]), colour(kStops[i + 1]), double(i));
  }
  return s + "}\n";
}

} // namespace lumsk::scene
