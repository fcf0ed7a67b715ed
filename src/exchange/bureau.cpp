#include "exchange/bureau.h"

#include "base/wire.h"
#include "exchange/files.h"
#include "exchange/temporary.h"

#include <cmath>
#include <fmt/format.h>
#include <nlohmann/json.hpp>

namespace lumsk::exchange {

using nlohmann::json;

namespace {

constexpr double kTermsSeconds = 10.0; ///< that small answers may take
constexpr std::size_t kMostAnswer = std::size_t(64) << 20;
constexpr size_t kMostReasons = 200, kMostWords = 400;

Problem nonsense() { return problem("LM-F052", "the bureau says something that is no answer").tryThis("ask again, or another bureau"); }

/// What others say is shown as it is, but not at any length, and on one line.
std::string words(const std::string& said) {
  std::string out = said.substr(0, kMostWords);
  while (!out.empty() && out.size() < said.size() && (static_cast<unsigned char>(out.back()) & 0xc0) == 0x80) out.pop_back(); // no half letters
  for (char& c : out)
    if (static_cast<unsigned char>(c) < 0x20) c = ' ';
  return out;
}

/// Throws `json::exception` for what is no number, and for one that makes no sense.
double figure(const json& from, const char* key) {
  const double v = from.at(key).get<double>();
  if (!std::isfinite(v) || v < 0 || v > 1e12) throw json::other_error::create(501, "out of range", nullptr);
  return v;
}

Vec3 place(const json& at) { return {at.at(0).get<double>(), at.at(1).get<double>(), at.at(2).get<double>()}; }

/// One conversation, of which every part has to be over in time.
class Talk {
public:
  Talk(const std::string& socket, double seconds, const Context& cx) : wire_(Wire::to(socket)), cx_(cx), until_(std::chrono::steady_clock::now() + std::chrono::milliseconds(std::int64_t(1000 * seconds))) {}

  bool open() const { return wire_.open(); }
  Expected<void> say(const json& head, std::string body = {}) {
    return result(wire_.send({head.dump(-1, ' ', false, json::error_handler_t::replace), std::move(body)}, goOn()));
  }
  /// The next thing that the bureau says: an object.
  Expected<json> hear() {
    LUMSK_CHECK(result(wire_.receive(heard_, kMostAnswer, goOn())));
    const json head = json::parse(heard_.head, nullptr, false);
    if (!head.is_object()) return fail(nonsense());
    return head;
  }
  const std::string& body() const { return heard_.body; }

private:
  std::function<bool()> goOn() const {
    return [this] { return !cx_.stopped() && std::chrono::steady_clock::now() < until_; };
  }
  Expected<void> result(Heard h) const {
    if (h == Heard::Whole) return {};
    if (h == Heard::TooMuch) return fail(nonsense());
    if (h == Heard::Closed) return fail(problem("LM-F051", "the bureau ended in the middle; nothing was ordered").tryThis("ask again"));
    if (cx_.cancel.cancelled()) return fail(cancelled());
    return fail(problem("LM-F053", "the bureau did not answer in time").tryThis("ask again later, or another bureau"));
  }
  Wire wire_;
  Message heard_;
  const Context& cx_;
  std::chrono::steady_clock::time_point until_;
};

Problem nobody(const std::string& socket) {
  return problem("LM-F050", "no bureau listens at '" + socket + "'").tryThis("try again later, or another address");
}

/// A question that is answered by one message; `taken` reads it and may throw `json::exception`.
template <class T> Expected<T> asked(const std::string& socket, const json& question, const Context& cx, const std::function<T(const json& head, const std::string& body)>& taken) {
  Talk talk(socket, kTermsSeconds, cx);
  if (!talk.open()) return fail(nobody(socket));
  LUMSK_CHECK(talk.say(question));
  LUMSK_TRY(head, talk.hear());
  try {
    return taken(head, talk.body());
  } catch (const json::exception&) {
    return fail(nonsense());
  }
}

BureauAnswer answerFrom(const json& head, const std::vector<std::string>& names) {
  BureauAnswer a;
  const std::string state = head.at("state").get<std::string>();
  a.accepted = state == "accepted";
  if (!a.accepted && state != "refused") throw json::other_error::create(501, "no answer", nullptr);
  a.order = head.value("order", "");
  a.layers = a.order.empty() ? 0 : int(std::min(1e6, figure(head, "layers")));
  if (a.layers > 0) a.low = place(head.at("low_mm")), a.high = place(head.at("high_mm"));
  if (a.accepted) {
    a.eur = figure(head, "eur"), a.hours = figure(head, "hours"), a.grams = figure(head, "grams");
    a.supportGrams = figure(head, "support_grams"), a.volumeMm3 = figure(head, "volume_mm3"), a.hangingMm2 = figure(head, "hanging_mm2");
    return a;
  }
  for (const json& r : head.at("reasons")) {
    if (a.reasons.size() == kMostReasons) break;
    BureauReason reason{words(r.at("what").get<std::string>()), {}, {}};
    const auto part = r.value("part", std::int64_t(0));
    if (part > 0 && part <= std::int64_t(names.size())) reason.part = names[size_t(part - 1)];
    if (r.contains("at_mm")) reason.at = place(r.at("at_mm"));
    a.reasons.push_back(std::move(reason));
  }
  if (a.reasons.empty()) a.reasons.push_back({"the bureau gives no reason", {}, {}});
  return a;
}

BureauLayer::Loops loopsFrom(const json& list) {
  BureauLayer::Loops out;
  for (const json& loop : list) {
    auto& path = out.emplace_back();
    for (size_t k = 0; k + 1 < loop.size(); k += 2) path.emplace_back(loop.at(k).get<double>(), loop.at(k + 1).get<double>());
  }
  return out;
}

} // namespace

Expected<BureauTerms> bureauTerms(const std::string& socket, const Context& cx) {
  return asked<BureauTerms>(socket, {{"ask", "about"}}, cx, [](const json& head, const std::string&) {
    BureauTerms t;
    t.name = words(head.at("bureau").get<std::string>());
    for (const json& m : head.at("materials")) t.materials.push_back({m.at("key").get<std::string>(), words(m.at("label").get<std::string>()), figure(m, "eur_per_g")});
    for (const json& l : head.at("layers_mm")) t.layersMm.push_back(l.get<double>());
    t.roomMm = place(head.at("room_mm"));
    t.leastWallMm = figure(head, "least_wall_mm");
    t.mostBytes = size_t(figure(head, "most_bytes"));
    t.mostCopies = int(std::min(figure(head, "most_copies"), 1e6));
    if (t.materials.empty() || t.layersMm.empty()) throw json::other_error::create(501, "nothing to choose from", nullptr);
    return t;
  });
}

Expected<BureauAnswer> askBureau(const std::string& socket, const recipe::Model& model, const BureauWish& wish, const BureauOptions& options, const Context& cx) {
  LUMSK_TRY(terms, bureauTerms(socket, cx));
  cx.report(0.0, "making the file");
  const TemporaryFolder folder;
  const std::string path = folder.path() + "/parts.3mf";
  ExportOptions how;
  how.mesh = options.mesh;
  LUMSK_TRY(done, exportModel(model, path, how, cx));
  LUMSK_TRY(bytes, readFile(path));
  if (bytes.size() > terms.mostBytes)
    return fail(problem("LM-F054", fmt::format("the file has {} MB, the bureau takes {} MB", bytes.size() >> 20, terms.mostBytes >> 20)).tryThis("take a coarser mesh, or fewer parts"));
  Talk talk(socket, options.mostSeconds, cx);
  if (!talk.open()) return fail(nobody(socket));
  cx.report(0.0, "sending it");
  LUMSK_CHECK(talk.say({{"ask", "offer"}, {"material", wish.material}, {"layer_mm", wish.layerMm}, {"copies", wish.copies}}, bytes));
  for (;;) {
    LUMSK_TRY(head, talk.hear());
    try {
      if (head.at("state") == "working") {
        cx.report(std::min(1.0, figure(head, "share")), words(head.value("doing", "working")));
        continue;
      }
      BureauAnswer answer = answerFrom(head, done.written);
      answer.leftOut = done.leftOut;
      return answer;
    } catch (const json::exception&) {
      return fail(nonsense());
    }
  }
}

Expected<BureauLayer> bureauLayer(const std::string& socket, const std::string& order, int index, const Context& cx) {
  return asked<BureauLayer>(socket, {{"ask", "layer"}, {"order", order}, {"index", index}}, cx, [](const json& head, const std::string& body) {
    const json loops = json::parse(body, nullptr, false);
    BureauLayer l;
    l.zMm = head.at("z_mm").get<double>();
    l.solid = loopsFrom(loops.at("solid")), l.thin = loopsFrom(loops.at("thin"));
    l.hanging = loopsFrom(loops.at("hanging")), l.support = loopsFrom(loops.at("support"));
    return l;
  });
}

} // namespace lumsk::exchange
