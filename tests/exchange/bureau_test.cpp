#include "base/wire.h"
#include "exchange/bureau.h"
#include "inspect/state.h"
#include "support/solids.h"

#include <QElapsedTimer>
#include <QTemporaryDir>
#include <thread>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// What a bureau answers, asked of one that has just been started.
Expected<exchange::BureauAnswer> answerTo(const recipe::Model& model, const exchange::BureauWish& wish = {"pla", 0.2, 1}) {
  const auto own = exchange::OwnBureau::start(exchange::BureauManner::Usual);
  if (!own) return fail(own.error());
  return exchange::askBureau((*own)->socket(), model, wish, {{0.005, 3}, 100}, {});
}

double areaOf(const exchange::BureauLayer::Loops& loops) {
  double sum = 0;
  for (const auto& loop : loops)
    for (size_t k = 0; k < loop.size(); ++k) {
      const auto &a = loop[k], &b = loop[(k + 1) % loop.size()];
      sum += 0.5 * (a.x() * b.y() - a.y() * b.x());
    }
  return sum;
}

/// A bureau of another sort: says these lines, whatever it is asked.
class Odd {
public:
  explicit Odd(std::vector<Message> says) : path_(dir_.filePath("odd").toStdString()), listening_(path_), thread_([this, s = std::move(says)] { serve(s); }) {}
  ~Odd() {
    ends_ = true;
    thread_.join();
  }
  const std::string& socket() const { return path_; }

private:
  void serve(const std::vector<Message>& says) {
    const auto goOn = [this] { return !ends_.load(); };
    while (!ends_) {
      Wire wire = listening_.next(50);
      Message asked;
      if (!wire.open() || wire.receive(asked, 1 << 26, goOn) != Heard::Whole) continue;
      for (const Message& m : says) wire.send(m, goOn);
    }
  }
  QTemporaryDir dir_;
  std::string path_;
  Listening listening_;
  std::atomic<bool> ends_{false};
  std::thread thread_;
};

const char* kTerms = R"({"bureau":"odd","materials":[{"key":"pla","label":"PLA","eur_per_g":1}],"layers_mm":[0.2],"room_mm":[9,9,9],"least_wall_mm":1,"most_bytes":100000000,"most_copies":3})";

} // namespace

class BureauTest : public QObject {
  Q_OBJECT

private slots:
  void layersAddUpToTheSolid() {
    Bench b;
    const auto cup = prism(b, disc(40, 31, -7, 3), 24);
    const auto hole = prism(b, disc(30, 31, -7, 8), 30);
    b.add("combine", {{"bodies", picks({pick(cup)})}, {"tools", picks({pick(hole)})}, {"how", "cut"}});
    b.run();
    QCOMPARE(b.model->bodies.size(), size_t(1));
    const double volume = inspect::stateOf(*b.model->bodies[0].body).volumeMm3;
    VERIFY_AT_MOST(std::abs(volume / (M_PI * (400 * 24 - 225 * 19)) - 1), 1e-6);
    const auto own = exchange::OwnBureau::start(exchange::BureauManner::Usual);
    VERIFY_OK(own);
    const auto a = exchange::askBureau((*own)->socket(), *b.model, {"petg", 0.2, 3}, {{0.005, 3}, 100}, {});
    VERIFY_OK(a);
    QVERIFY(a->accepted);
    QCOMPARE(a->layers, 120);
    VERIFY_AT_MOST(std::abs(a->volumeMm3 / volume - 1), 0.001);
    VERIFY_AT_MOST(a->hangingMm2, 0.01);
    VERIFY_AT_MOST(a->supportGrams, 1e-6);
    VERIFY_AT_MOST((a->low - Vec3(11, -27, 3)).norm() + (a->high - Vec3(51, 13, 27)).norm(), 0.02);
    for (const auto& [index, area] : {std::pair{3, M_PI * 400}, std::pair{80, M_PI * (400 - 225)}}) {
      const auto layer = exchange::bureauLayer((*own)->socket(), a->order, index, {});
      VERIFY_OK(layer);
      VERIFY_AT_MOST(std::abs(layer->zMm - (3 + 0.2 * (index + 0.5))), 1e-6);
      VERIFY_AT_MOST(std::abs(areaOf(layer->solid) / area - 1), 0.001);
      QVERIFY(layer->thin.empty() && layer->support.empty());
    }
    QCOMPARE(exchange::bureauLayer((*own)->socket(), a->order, 120, {}).error().code, std::string("LM-F052"));
  }

  void whatHangsOverNothingIsTheAreaThatThePrintCheckFinds() {
    Bench b;
    prism(b, disc(10), 20);
    prism(b, disc(40, 0, 0, 20), 6);
    b.run();
    const auto a = answerTo(*b.model);
    VERIFY_OK(a);
    QVERIFY(a->accepted);
    VERIFY_AT_MOST(std::abs(a->hangingMm2 / (M_PI * (400 - 5.2 * 5.2)) - 1), 0.005); // a layer may stand out by its height
    VERIFY_AT_MOST(std::abs(a->supportGrams / (0.15 * 1.24e-3 * M_PI * (400 - 5.4 * 5.4) * 20) - 1), 0.02);
  }

  void whatIsRefusedIsToldWithItsPlace() {
    Bench thin;
    prism(thin, block(30, 0.6, 50, 40), 12);
    thin.run();
    const auto a = answerTo(*thin.model);
    VERIFY_OK(a);
    QVERIFY(!a->accepted && a->layers > 0);
    QCOMPARE(a->reasons.size(), size_t(1));
    QVERIFY(a->reasons[0].at);
    const Vec3 at = *a->reasons[0].at;
    VERIFY_AT_MOST(std::abs(at.y() - 40), 0.31);
    VERIFY_AT_MOST(std::abs(at.x() - 50), 15.01);
    QVERIFY(at.z() > 0 && at.z() < 12);

    Bench large;
    prism(large, block(20, 20), 301);
    large.run();
    const auto l = answerTo(*large.model);
    VERIFY_OK(l);
    QVERIFY(!l->accepted && l->layers == 0 && l->reasons.size() == 1);
    QVERIFY(l->reasons[0].what.find("301.0") != std::string::npos);

    for (const exchange::BureauWish& wish : {exchange::BureauWish{"wood", 0.2, 1}, exchange::BureauWish{"pla", 0.17, 1}, exchange::BureauWish{"pla", 0.2, 0}})
      if (const auto odd = answerTo(*large.model, wish); odd.has_value()) QVERIFY(!odd->accepted && odd->reasons.size() == 1);
  }

  void badMannersAreToldAndNothingWaitsForEver() {
    Bench b;
    prism(b, disc(40), 30);
    b.run();
    const auto codeOf = [&](exchange::BureauManner m, double seconds, const Context& cx = {}) {
      const auto own = exchange::OwnBureau::start(m);
      if (!own) return own.error().code;
      const auto a = exchange::askBureau((*own)->socket(), *b.model, {"pla", 0.2, 1}, {{}, seconds}, cx);
      return a ? std::string(a->accepted ? "accepted" : "refused") : isCancelled(a.error()) ? "cancelled" : a.error().code;
    };
    using M = exchange::BureauManner;
    QCOMPARE(codeOf(M::Down, 5), std::string("LM-F050"));
    QCOMPARE(codeOf(M::Dies, 60), std::string("LM-F051"));
    QCOMPARE(codeOf(M::Mumbles, 5), std::string("LM-F052"));
    QCOMPARE(codeOf(M::Slow, 1), std::string("LM-F053"));
    QCOMPARE(codeOf(M::Refuses, 5), std::string("refused"));
    Context stopped;
    std::thread stopper([&] {
      std::this_thread::sleep_for(std::chrono::milliseconds(700));
      stopped.cancel.cancel();
    });
    QElapsedTimer clock;
    clock.start();
    QCOMPARE(codeOf(M::Slow, 100, stopped), std::string("cancelled"));
    stopper.join();
    VERIFY_AT_MOST(double(clock.elapsed()), 5000.0);
  }

  void answersThatAreNoneAreNotTaken() {
    Bench b;
    prism(b, disc(10), 10);
    prism(b, disc(10, 30), 10);
    b.run();
    for (const std::string words : {R"({"state":"accepted"})", R"([1])", R"({"state":"accepted","order":"a","layers":-3,"eur":1})", R"({"state":"perhaps"})", R"({"state":"refused","reasons":7})",
                                     R"({"state":"refused","reasons":[{"what":"x","at_mm":["a",2,3]}]})", R"({"state":"working","share":1e300})", "\xff\xfe"}) {
      const Odd odd({{kTerms, {}}, {words, {}}});
      const auto a = exchange::askBureau(odd.socket(), *b.model, {"pla", 0.2, 1}, {{}, 5}, {});
      QVERIFY2(!a, words.c_str());
      QVERIFY2(a.error().code == "LM-F052" || a.error().code == "LM-F051" || a.error().code == "LM-F053", a.error().code.c_str());
    }
    for (const std::string terms : {R"({"bureau":"x"})", R"({"bureau":"x","materials":[],"layers_mm":[0.2],"room_mm":[1,1,1],"least_wall_mm":1,"most_bytes":1,"most_copies":1})"})
      QCOMPARE(exchange::bureauTerms(Odd({{terms, {}}}).socket(), {}).error().code, std::string("LM-F052"));
    QCOMPARE(exchange::bureauTerms("/nowhere/at all", {}).error().code, std::string("LM-F050"));
    QCOMPARE(exchange::bureauTerms(std::string(300, 'x'), {}).error().code, std::string("LM-F050"));
  }

  void aSocketIsOnlyTakenFromAnotherSocket() {
    QTemporaryDir dir;
    QFile file(dir.filePath("notes"));
    QVERIFY(file.open(QIODevice::WriteOnly) && file.write("kept") == 4);
    file.close();
    QVERIFY(!Listening(file.fileName().toStdString()).open());
    QVERIFY(file.open(QIODevice::ReadOnly));
    QCOMPARE(file.readAll(), QByteArray("kept"));
    const std::string path = dir.filePath("s").toStdString();
    {
      const Listening first(path);
      QVERIFY(first.open());
      QCOMPARE(QFile::permissions(QString::fromStdString(path)) & (QFile::ReadGroup | QFile::WriteGroup | QFile::ReadOther | QFile::WriteOther), QFile::Permissions());
    }
    QVERIFY(!QFile::exists(QString::fromStdString(path)));
  }
};

static test::Register<BureauTest> registeredBureauTest;
#include "bureau_test.moc"
