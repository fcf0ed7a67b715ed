#include "scene/lens.h"

#include "inspect/fields.h"

#include <algorithm>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace lumsk::scene {

using namespace recipe;
using nlohmann::json;

namespace {

/// Teal, warm white, coral: told apart by lightness on either side, and by the lines that the shader draws.
constexpr std::array<std::array<double, 3>, 5> kStops{
    {{0.07, 0.30, 0.33}, {0.38, 0.64, 0.62}, {0.95, 0.93, 0.88}, {0.91, 0.62, 0.46}, {0.68, 0.22, 0.12}}};

const SurfaceLens& plainLens() {
  static const SurfaceLens& plain = [] () -> const SurfaceLens& {
    for (const auto& l : lenses())
      if (const auto* s = dynamic_cast<const SurfaceLens*>(l.get()); s && s->plain()) return *s;
    std::abort(); // the list has one
  }();
  return plain;
}

template <class F> bool anyOn(const LensState& s, const F& holds) {
  const auto& all = lenses();
  return std::any_of(all.begin(), all.end(), [&](const auto& l) { return isOn(s, l->key()) && holds(*l); });
}

} // namespace

bool LensState::looksAt(const std::string& body) const {
  return only.empty() || std::find(only.begin(), only.end(), body) != only.end();
}

bool LensState::needsValues() const { return fieldLensOf(*this) != nullptr; }
bool LensState::needsWork() const {
  return anyOn(*this, [](const Lens& l) { return l.needsWork(); });
}
bool LensState::tellsOfPlaces() const {
  return anyOn(*this, [](const Lens& l) { return l.tellsOfPlaces(); });
}

json LensValues::value(const char* key) const {
  return values_.is_object() && values_.contains(key) ? values_[key] : defaultValue(*findField(schema_, key));
}

double LensValues::number(const char* key) const {
  const Field& f = *findField(schema_, key);
  const json v = value(key);
  Expected<Quantity> q = fail(problem("LM-E004", "no number"));
  if (v.is_number()) q = Quantity{v.get<double>(), f.dimension};
  if (v.is_string()) q = evaluate(v.get<std::string>(), f.dimension, names_);
  if (!q) q = evaluate(f.fallback, f.dimension, names_);
  return std::clamp(q ? q->value : f.low, f.low, f.high);
}

bool LensValues::on(const char* key) const {
  const json v = value(key);
  return v.is_boolean() ? v.get<bool>() : findField(schema_, key)->fallback == "true";
}

std::string LensValues::option(const char* key) const {
  const json v = value(key);
  return v.is_string() ? v.get<std::string>() : std::string();
}

Vec3 LensValues::direction() const {
  const std::string d = option("direction");
  if (d == "front") return -Vec3::UnitY();
  if (d == "side") return Vec3::UnitX();
  if (d != "own") return Vec3::UnitZ();
  const double t = radFromDeg(number("turn")), r = radFromDeg(number("rise"));
  return {std::cos(r) * std::cos(t), std::cos(r) * std::sin(t), std::sin(r)};
}

Vec3 LensValues::axis(const char* key) const {
  const std::string name = option(key);
  return name == "x" ? Vec3::UnitX() : name == "y" ? Vec3::UnitY() : Vec3::UnitZ();
}

double FieldLens::shown(const LensState&, const inspect::FieldValue& v) const { return v.a; }
bool FieldLens::known(const inspect::FieldValue& v) const { return v.b > 0; }
std::array<double, 3> FieldLens::legendColour(const LensState&, double t, double) const { return fieldColour(t); }

const Lens* findLens(const std::string& key) {
  for (const auto& l : lenses())
    if (l->key() == key) return l.get();
  return nullptr;
}

const SurfaceLens& surfaceLensOf(const LensState& s) {
  const auto* l = dynamic_cast<const SurfaceLens*>(findLens(s.surface));
  return l ? *l : plainLens();
}

const FieldLens* fieldLensOf(const LensState& s) { return dynamic_cast<const FieldLens*>(&surfaceLensOf(s)); }

int surfaceNumberOf(const LensState& s) {
  int n = 0;
  for (const auto& l : lenses()) {
    if (l.get() == &surfaceLensOf(s)) return n;
    n += dynamic_cast<const SurfaceLens*>(l.get()) ? 1 : 0;
  }
  return 0;
}

bool isOn(const LensState& s, const std::string& lens) { return s.surface == lens || s.over.count(lens) > 0; }

void turnOn(LensState& s, const std::string& lens, bool on) {
  const Lens* l = findLens(lens);
  if (!l) return;
  if (dynamic_cast<const SurfaceLens*>(l)) {
    s.surface = on ? lens : plainLens().key();
  } else if (on) {
    for (const auto& other : l->excludes()) s.over.erase(other);
    s.over.insert(lens);
  } else {
    s.over.erase(lens);
  }
}

void take(LensState& s, const std::string& lens, const json& values, const Names& names) {
  if (const Lens* l = findLens(lens)) l->take(s, LensValues(l->settings(), values, names));
}

std::optional<Vec3> directionOf(const LensState& s) { return surfaceLensOf(s).direction(s); }

json ownDirection(const Vec3& d) {
  const Vec3 u = d.normalized();
  const auto tenths = [](double deg) { return std::round(deg * 10) / 10; };
  return {{"direction", "own"},
          {"turn", tenths(degFromRad(std::atan2(u.y(), u.x())))},
          {"rise", tenths(degFromRad(std::asin(std::clamp(u.z(), -1.0, 1.0))))}};
}

Schema directionFields(const std::string& help, const std::string& fallback, const Schema& others) {
  Field direction = choice("direction", "Direction", help,
                           {{"up", "up (z)"}, {"front", "front (-y)"}, {"side", "side (x)"}, {"own", "own"}});
  direction.fallback = fallback;
  Schema all{
      direction,
      angle("turn", "Turn", "Of an own direction, about the upright from the x axis.", "0")
          .within(-360, 360)
          .when("direction", {"own"}),
      angle("rise", "Rise", "Of an own direction, above the level.", "45").within(-90, 90).when("direction", {"own"})};
  all.insert(all.end(), others.begin(), others.end());
  return all;
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
