#include "exchange/cache_file.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/pack.h"
#include "recipe/cache.h"

#include <TopoDS.hxx>

#include <algorithm>
#include <nlohmann/json.hpp>

namespace lumsk::exchange {

using brep::toJson;
using brep::vecFrom;
using nlohmann::json;

namespace {

constexpr double kWorthSeconds = 0.015; // reading a body takes some milliseconds, too
constexpr size_t kLargestBytes = size_t(64) << 20;

Problem unreadable(const std::string& why) {
  return problem("LM-F005", "a kept result cannot be used (" + why + ")").tryThis("it is computed again");
}

} // namespace

Outcomes worthKeeping(const recipe::Model& model) {
  std::vector<const recipe::StepResult*> good;
  for (const auto& [id, r] : model.results) {
    if (r.status != recipe::Status::Ok || r.seconds < kWorthSeconds || r.outcome->outputs.empty()) continue;
    const auto& outputs = r.outcome->outputs;
    if (std::all_of(outputs.begin(), outputs.end(),
                    [](const recipe::Output& o) { return std::holds_alternative<brep::BodyPtr>(o.object); }))
      good.push_back(&r);
  }
  std::sort(good.begin(), good.end(), [](auto* a, auto* b) { return a->seconds > b->seconds; });
  Outcomes out;
  size_t bytes = 0;
  for (const auto* r : good)
    if ((bytes += recipe::sizeOf(*r->outcome)) <= kLargestBytes) out[r->key] = r->outcome;
  return out;
}

namespace {

/// What is kept of a result is said once, in `members`, for writing and for reading; the bindings there do not compile
/// when something is added to a struct and forgotten here. Marks say theirs themselves.
template <class Way> void members(Way& way, recipe::NamedPoint& x) {
  auto& [name, at, output] = x;
  way("name", name), way("at", at), way("output", output);
}
template <class Way> void members(Way& way, recipe::Output& x) {
  auto& [name, object, continues, label, colour, also, group, alone] = x;
  way("name", name), way("body", object), way("continues", continues), way("label", label), way("colour", colour), way("also", also), way("alone", alone);
  way("group", group);
}
template <class Way> void members(Way& way, Quantity& x) {
  auto& [value, dimension] = x;
  way("value", value), way("dimension", dimension);
}
template <class Way> void members(Way& way, Frame& x) {
  auto& [origin, along, across] = x;
  way("origin", origin), way("x", along), way("y", across);
}
template <class Way> void members(Way& way, recipe::Outcome& o) {
  auto& [outputs, points, notes, usedUp, marks, measured, summary, seconds] = o;
  way("outputs", outputs), way("points", points), way("notes", notes), way("usedUp", usedUp), way("marks", marks);
  way("measured", measured), way("summary", summary), way("seconds", seconds);
}

constexpr LengthTolerance kSamePoint{1e-3};

class Writer {
public:
  json j = json::object();
  template <class T> void operator()(const char* key, T& x) { j[key] = of(x); }

private:
  static json of(std::string& x) { return x; }
  static json of(bool x) { return x; }
  static json of(int x) { return x; }
  static json of(double x) { return x; }
  static json of(Dimension x) { return int(x); }
  static json of(Vec3& x) { return toJson(x); }
  static json of(Problem& x) { return toJson(x); }
  static json of(recipe::Object& x) { return toJson(*std::get<brep::BodyPtr>(x)); }
  static json of(recipe::CurvePtr& x) { return x ? json::binary(brep::shapeBytes(brep::toWire(*x))) : json(); }
  template <class T> static json of(std::vector<T>& x) {
    json out = json::array();
    for (T& y : x) out.push_back(of(y));
    return out;
  }
  static json of(recipe::Marks& x) {
    json out = json::array();
    for (recipe::Mark mark : x.list())
      std::visit(
          [&](auto& m) {
            out.push_back(of(m));
            out.back()["kind"] = m.kName;
          },
          mark);
    return out;
  }
  static json of(recipe::Names& x) {
    json out = json::object();
    for (auto& [name, q] : x) out[name] = of(q);
    return out;
  }
  template <class T> static json of(T& x) {
    Writer way;
    members(way, x);
    return std::move(way.j);
  }
};

/// Throws what the JSON library does where members are missing or of another kind.
class Reader {
public:
  explicit Reader(const json& j) : j_(j) {}
  template <class T> void operator()(const char* key, T& x) { to(x, j_.at(key)); }
  bool shapesFit() const { return shapesFit_; }

private:
  void to(std::string& x, const json& j) { x = j.get<std::string>(); }
  void to(bool& x, const json& j) { x = j.get<bool>(); }
  void to(int& x, const json& j) { x = j.get<int>(); }
  void to(double& x, const json& j) { x = j.get<double>(); }
  void to(Dimension& x, const json& j) { x = Dimension(j.get<int>()); }
  void to(Vec3& x, const json& j) { x = vecFrom(j); }
  void to(Problem& x, const json& j) { x = brep::problemFrom(j); }
  void to(recipe::Object& x, const json& j) {
    auto body = brep::bodyFrom(j);
    shapesFit_ = shapesFit_ && body;
    x = std::move(body);
  }
  void to(recipe::CurvePtr& x, const json& j) {
    if (j.is_null()) return;
    const TopoDS_Shape wire = brep::shapeFrom(j.get_binary());
    const auto path = !wire.IsNull() && wire.ShapeType() == TopAbs_WIRE
                          ? brep::toPath(TopoDS::Wire(wire), kSamePoint)
                          : std::nullopt;
    shapesFit_ = shapesFit_ && path;
    if (path) x = std::make_shared<const nurbs::Path>(*path);
  }
  template <class T> void to(std::vector<T>& x, const json& j) {
    for (const json& y : j) to(x.emplace_back(), y);
  }
  void to(recipe::Marks& x, const json& j) {
    for (const json& y : j) toMark(x, y, y.at("kind").get<std::string>());
  }
  /// The kind of mark that has the name, of those from `I` on.
  template <size_t I = 0> void toMark(recipe::Marks& x, const json& j, const std::string& kind) {
    if constexpr (I < std::variant_size_v<recipe::Mark>) {
      using T = std::variant_alternative_t<I, recipe::Mark>;
      if (kind != T::kName) return toMark<I + 1>(x, j, kind);
      T m;
      to(m, j);
      x.add(std::move(m));
    } else {
      shapesFit_ = false;
    }
  }
  void to(recipe::Names& x, const json& j) {
    for (const auto& [name, q] : j.items()) to(x[name], q);
  }
  template <class T> void to(T& x, const json& j) {
    Reader way(j);
    members(way, x);
    shapesFit_ = shapesFit_ && way.shapesFit_;
  }

  const json& j_;
  bool shapesFit_ = true;
};

} // namespace

Expected<std::string> packOutcome(const recipe::Outcome& o) {
  return brep::guarded("keeping a result", [&]() -> Expected<std::string> {
    Writer way;
    recipe::Outcome copy = o;
    members(way, copy);
    const auto bytes = json::to_cbor(way.j);
    return std::string(bytes.begin(), bytes.end());
  });
}

Expected<recipe::Outcome> unpackOutcome(const std::string& bytes) {
  return brep::guarded("using a kept result", [&]() -> Expected<recipe::Outcome> {
    const json j = json::from_cbor(bytes, true, false);
    if (!j.is_object()) return fail(unreadable("it is cut off"));
    recipe::Outcome o;
    Reader way(j);
    members(way, o);
    if (!way.shapesFit()) return fail(unreadable("its shape does not fit its names"));
    return o;
  });
}

} // namespace lumsk::exchange
