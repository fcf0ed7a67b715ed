// A print bureau as others run one, for trying out what comes of a form that is sent to one: it listens at a socket of this machine, looks at
// the 3MF files that it gets, slices them and answers with a price or with reasons (docs/bureau.md). It shares nothing with Lumsk but how a
// message is framed, and reads files with another library than the one that wrote them.
#include "base/wire.h"
#include "bureau/verdict.h"

#include <CLI/CLI.hpp>
#include <atomic>
#include <iostream>
#include <map>
#include <mutex>
#include <nlohmann/json.hpp>
#include <poll.h>
#include <thread>
#include <unistd.h>

namespace lumsk::bureau {

using nlohmann::json;

namespace {

constexpr size_t kKeptOrders = 8;

/// How it behaves; a bureau that answers at once and always would try out nothing.
struct Behaviour {
  double pause = 0.0;    ///< seconds that it waits before it looks at a file
  bool refuses = false;  ///< everything, for lack of machines
  bool dies = false;     ///< while it slices
  bool mumbles = false;  ///< answers what is no answer
};

class Bureau {
public:
  explicit Bureau(const Behaviour& behaviour) : behaviour_(behaviour) {}

  /// Answers what one caller asks until the caller goes, or `goOn` says no.
  void serve(Wire wire, const std::function<bool()>& goOn) {
    Message asked;
    for (Heard h; (h = wire.receive(asked, kMostBytes, goOn)) != Heard::Closed;) {
      if (h == Heard::Stopped) return;
      if (h == Heard::TooMuch) {
        answer(wire, {{"state", "refused"}, {"reasons", json::array({{{"what", "more than 64 MB, or no message at all"}}})}}, goOn);
        return;
      }
      const json head = json::parse(asked.head, nullptr, false);
      const std::string ask = head.is_object() ? head.value("ask", "") : "";
      if (behaviour_.mumbles && ask != "about") return void(wire.send({"well, well", {}}, goOn));
      if (ask == "about")
        answer(wire, about(), goOn);
      else if (ask == "offer")
        offer(wire, head, asked.body, goOn);
      else if (ask == "layer")
        wire.send(layer(head), goOn);
      else
        answer(wire, {{"state", "unknown"}, {"what", "'about', 'offer' or 'layer' can be asked"}}, goOn);
    }
  }

private:
  static std::string text(const json& words) { return words.dump(-1, ' ', false, json::error_handler_t::replace); }
  static bool answer(Wire& wire, const json& words, const std::function<bool()>& goOn) { return wire.send({text(words), {}}, goOn) == Heard::Whole; }

  static json about() {
    json list = json::array();
    for (const Material& m : materials()) list.push_back({{"key", m.key}, {"label", m.label}, {"eur_per_g", m.eurPerGram}});
    return {{"bureau", "Quay Street Prints (simulated)"}, {"materials", list}, {"layers_mm", layerHeights()}, {"room_mm", {room().x(), room().y(), room().z()}},
            {"least_wall_mm", kLeastWallMm}, {"most_bytes", kMostBytes}, {"most_copies", kMostCopies}};
  }

  static json refused(const std::vector<Reason>& reasons) {
    json list = json::array();
    for (const Reason& r : reasons) {
      json one{{"what", r.what}};
      if (r.part > 0) one["part"] = r.part;
      if (r.at) one["at_mm"] = {r.at->x(), r.at->y(), r.at->z()};
      list.push_back(one);
    }
    return {{"state", "refused"}, {"reasons", list}};
  }

  void offer(Wire& wire, const json& head, const std::string& file, const std::function<bool()>& goOn) {
    const auto tell = [&](double share, const char* doing) { return answer(wire, {{"state", "working"}, {"share", share}, {"doing", doing}}, goOn); };
    const auto until = std::chrono::steady_clock::now() + std::chrono::duration<double>(behaviour_.pause);
    while (std::chrono::steady_clock::now() < until) {
      if (!tell(0.0, "waiting for somebody to look at it")) return;
      std::this_thread::sleep_for(std::chrono::milliseconds(200));
    }
    if (behaviour_.refuses) return void(answer(wire, refused({{"no machine is free this week"}}), goOn));
    Wish wish;
    try {
      wish = {head.value("material", ""), head.value("layer_mm", 0.0), head.value("copies", 1)};
    } catch (const json::exception&) {
      return void(answer(wire, refused({{"the wish is not understood"}}), goOn));
    }
    const auto parts = readParts(file);
    if (!parts) return void(answer(wire, refused({{parts.error().what}}), goOn));
    if (const auto reasons = firstReasons(*parts, wish); !reasons.empty()) return void(answer(wire, refused(reasons), goOn));
    double told = 0.0;
    const auto layers = sliced(*parts, {wish.layerMm, kLeastWallMm}, [&](double share) {
      if (behaviour_.dies && share > 0.3) std::_Exit(9);
      if (share < told + 0.02) return goOn();
      told = share;
      return tell(share, "slicing");
    });
    if (!layers) return; // whoever asked has gone
    if (const auto reasons = layerReasons(*layers); !reasons.empty()) return void(answer(wire, withLayers(refused(reasons), *layers, boxOf(*parts)), goOn));
    const Price p = priced(*layers, wish);
    answer(wire,
           withLayers({{"state", "accepted"}, {"eur", p.eur}, {"hours", p.hours}, {"grams", p.grams}, {"support_grams", p.supportGrams}, {"volume_mm3", p.volumeMm3},
                       {"hanging_mm2", p.hangingMm2}},
                      *layers, boxOf(*parts)),
           goOn);
  }

  json withLayers(json words, const std::vector<Layer>& layers, const Box& box) {
    const std::lock_guard lock(guard_);
    words["low_mm"] = {box.low.x(), box.low.y(), box.low.z()};
    words["high_mm"] = {box.high.x(), box.high.y(), box.high.z()};
    const std::string name = "q" + std::to_string(++given_);
    orders_[name] = layers;
    names_.push_back(name);
    if (names_.size() > kKeptOrders) orders_.erase(names_.front()), names_.erase(names_.begin());
    words["order"] = name;
    words["layers"] = layers.size();
    return words;
  }

  Message layer(const json& head) {
    const std::lock_guard lock(guard_);
    const Message unknown{text({{"state", "unknown"}, {"what", "there is no such layer"}}), {}};
    try {
      const auto order = orders_.find(head.value("order", ""));
      const auto k = head.value("index", std::int64_t(-1));
      if (order == orders_.end() || k < 0 || k >= std::int64_t(order->second.size())) return unknown;
      const Layer& l = order->second[size_t(k)];
      return {text({{"state", "layer"}, {"z_mm", l.zMm}}),
              text({{"solid", loops(l.solid)}, {"thin", loops(l.thin)}, {"hanging", loops(l.hanging)}, {"support", loops(l.support)}})};
    } catch (const json::exception&) {
      return unknown;
    }
  }

  /// [[x, y, x, y, ...], ...] in mm.
  static json loops(const Areas& areas) {
    json out = json::array();
    for (const auto& path : areas) {
      json loop = json::array();
      for (const auto& p : path) loop.push_back(double(p.X) / kPerMm), loop.push_back(double(p.Y) / kPerMm);
      out.push_back(std::move(loop));
    }
    return out;
  }

  Behaviour behaviour_;
  std::mutex guard_;
  std::map<std::string, std::vector<Layer>> orders_;
  std::vector<std::string> names_; ///< as they came
  int given_ = 0;
};

int run(int argc, char** argv) {
  CLI::App app{"A simulated print bureau: answers 3MF files that are sent to a socket with a price or with reasons."};
  std::string socket;
  Behaviour b;
  bool withParent = false;
  app.add_option("SOCKET", socket, "Where it listens.")->required();
  app.add_option("--pause", b.pause, "Seconds that it takes before it looks at a file.")->check(CLI::Range(0.0, 3600.0));
  app.add_flag("--refuses", b.refuses, "Refuses everything.");
  app.add_flag("--dies", b.dies, "Ends while it slices.");
  app.add_flag("--mumbles", b.mumbles, "Answers with what is no answer.");
  app.add_flag("--with-input", withParent, "Ends when its standard input does.");
  CLI11_PARSE(app, argc, argv);
  const Listening listening(socket);
  if (!listening.open()) {
    std::cerr << "cannot listen at '" << socket << "'\n";
    return 2;
  }
  std::cout << "listening" << std::endl;
  Bureau bureau(b);
  std::atomic<bool> ends{false};
  std::atomic<int> served{0};
  const auto inputEnded = [&] {
    pollfd in{0, POLLIN, 0};
    char some[64];
    return withParent && ::poll(&in, 1, 0) > 0 && ::read(0, some, sizeof some) <= 0;
  };
  while (!inputEnded()) {
    Wire wire = listening.next(200);
    if (!wire.open()) continue;
    ++served;
    std::thread([&, caller = std::move(wire)]() mutable {
      bureau.serve(std::move(caller), [&] { return !ends.load(); });
      --served;
    }).detach();
  }
  ends = true;
  while (served > 0) std::this_thread::sleep_for(std::chrono::milliseconds(10));
  return 0;
}

} // namespace

} // namespace lumsk::bureau

int main(int argc, char** argv) {
  try {
    return lumsk::bureau::run(argc, argv);
  } catch (const std::exception& e) {
    std::cerr << e.what() << '\n';
    return 2;
  }
}
