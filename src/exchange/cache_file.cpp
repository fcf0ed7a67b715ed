#include "exchange/cache_file.h"

#include "brep/guard.h"
#include "brep/pack.h"
#include "recipe/cache.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace lumsk::exchange {

using brep::toJson;
using brep::vecFrom;
using nlohmann::json;

namespace {

constexpr double kWorthSeconds = 0.005;
constexpr size_t kLargestBytes = size_t(64) << 20;

Problem unreadable(const std::string& why) {
  return problem("LM-F005", "a kept result cannot be used (" + why + ")").tryThis("it is computed again");
}

/// Stops reading where lists stand within one another more deeply than a kept result has them.
struct DepthGuard : nlohmann::json_sax<json> {
  static constexpr int kDeepest = 30;
  int depth = 0;
  bool tooDeep = false;
  bool enter() { return !(tooDeep = ++depth > kDeepest); }
  bool null() override { return true; }
  bool boolean(bool) override { return true; }
  bool number_integer(number_integer_t) override { return true; }
  bool number_unsigned(number_unsigned_t) override { return true; }
  bool number_float(number_float_t, const string_t&) override { return true; }
  bool string(string_t&) override { return true; }
  bool binary(binary_t&) override { return true; }
  bool key(string_t&) override { return true; }
  bool start_object(std::size_t) override { return enter(); }
  bool start_array(std::size_t) override { return enter(); }
  bool end_object() override { return --depth, true; }
  bool end_array() override { return --depth, true; }
  bool parse_error(std::size_t, const std::string&, const nlohmann::detail::exception&) override { return false; }
};

bool nestedTooDeeply(const std::string& bytes) {
  DepthGuard guard;
  json::sax_parse(bytes, &guard, json::input_format_t::cbor, true);
  return guard.tooDeep;
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

Expected<std::string> packOutcome(const recipe::Outcome& o) {
  return brep::guarded("keeping a result", [&]() -> Expected<std::string> {
    json j{{"outputs", json::array()}, {"notes", json::array()}, {"usedUp", o.usedUp},        {"flags", json::array()},
           {"handles", json::array()}, {"summary", o.summary},   {"measured", json::object()},
           {"seconds", o.seconds}};
    for (const auto& [name, q] : o.measured) j["measured"][name] = {q.value, int(q.dimension)};
    for (const auto& out : o.outputs)
      j["outputs"].push_back({{"name", out.name},
                              {"continues", out.continues},
                              {"label", out.label},
                              {"colour", out.colour},
                              {"body", toJson(*std::get<brep::BodyPtr>(out.object))}});
    for (const auto& n : o.notes) j["notes"].push_back(toJson(n));
    for (const auto& f : o.flags)
      j["flags"].push_back({{"field", f.field},
                            {"item", f.item},
                            {"at", toJson(f.at)},
                            {"direction", toJson(f.direction)},
                            {"startMovable", f.startMovable},
                            {"mark", f.mark},
                            {"group", f.group}});
    for (const auto& h : o.handles)
      j["handles"].push_back(
          {{"field", h.field}, {"at", toJson(h.at)}, {"direction", toJson(h.direction)}, {"mmPerUnit", h.mmPerUnit}});
    const auto bytes = json::to_cbor(j);
    return std::string(bytes.begin(), bytes.end());
  });
}

Expected<recipe::Outcome> unpackOutcome(const std::string& bytes) {
  return brep::guarded("using a kept result", [&]() -> Expected<recipe::Outcome> {
    if (nestedTooDeeply(bytes)) return fail(unreadable("it is nested too deeply"));
    const json j = json::from_cbor(bytes, true, false);
    if (!j.is_object()) return fail(unreadable("it is cut off"));
    recipe::Outcome o;
    for (const auto& out : j.at("outputs")) {
      auto body = brep::bodyFrom(out.at("body"));
      if (!body) return fail(unreadable("its shape does not fit its names"));
      o.outputs.push_back({out.at("name").get<std::string>(), std::move(body), out.at("continues").get<std::string>(),
                           out.at("label").get<std::string>(), out.at("colour").get<std::string>()});
    }
    for (const auto& n : j.at("notes")) o.notes.push_back(brep::problemFrom(n));
    o.usedUp = j.at("usedUp").get<std::vector<std::string>>();
    for (const auto& f : j.at("flags"))
      o.flags.push_back({f.at("field").get<std::string>(), f.at("item").get<std::string>(), vecFrom(f.at("at")),
                         vecFrom(f.at("direction")), f.at("startMovable").get<bool>(), f.at("mark").get<std::string>(),
                         f.at("group").get<int>()});
    for (const auto& h : j.at("handles"))
      o.handles.push_back({h.at("field").get<std::string>(), vecFrom(h.at("at")), vecFrom(h.at("direction")),
                           h.at("mmPerUnit").get<double>()});
    for (const auto& [name, q] : j.at("measured").items())
      o.measured[name] = {q.at(0).get<double>(), Dimension(q.at(1).get<int>())};
    o.summary = j.at("summary").get<std::string>();
    o.seconds = j.value("seconds", 0.0);
    return o;
  });
}

} // namespace lumsk::exchange
