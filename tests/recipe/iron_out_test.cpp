#include "recipe/iron_out.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/wrinkles.h"
#include "support/recipes.h"

#include <random>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Forms that networks lie on: a hill, half a vessel, a saddle, part of an egg, a long grip.
Vec3 formAt(int form, double u, double v) {
  switch (form) {
  case 0: return {100 * u, 80 * v, 20 * std::sin(2 * u + 0.3) * std::cos(1.5 * v)};
  case 1: {
    const double r = 50 - 12 * v + 10 * std::sin(2.5 * v);
    return {r * std::cos(kPi * u), 1.2 * r * std::sin(kPi * u), 120 * v};
  }
  case 2: return {120 * u, 120 * v, 64 * (u - 0.5) * (v - 0.5) + 10 * u * u};
  case 3: return {80 * std::sin(0.5 + 1.2 * u) * std::cos(0.3 + v), 60 * std::sin(0.5 + 1.2 * u) * std::sin(0.3 + v), 40 * std::cos(0.5 + 1.2 * u)};
  default: return {150 * u, 40 * (v - 0.5), 30 * std::exp(-3 * (u - 0.5) * (u - 0.5)) - 40 * (v - 0.5) * (v - 0.5)};
  }
}

struct Net {
  Bench bench;
  std::vector<std::string> curves;
  std::string skin;
  recipe::PickRef whole() const {
    recipe::PickRef p;
    p.step = skin;
    p.kind = recipe::Kind::Skin;
    return p;
  }
  double wrinkles(const recipe::Model& m) const {
    std::vector<nurbs::Surface> skins;
    for (const auto& o : m.result(skin)->outcome->outputs)
      for (const auto& [name, face] : std::get<brep::BodyPtr>(o.object)->natural) skins.push_back(*face.surface);
    return nurbs::wrinkleIndex(skins);
  }
};

/// Splines through common crossings, each of which is off by up to `noiseMm`, and the network through them.
Net networkOn(int form, int rows, int columns, double noiseMm, const std::string& kind = "network") {
  std::mt19937 random(unsigned(31 + form));
  std::uniform_real_distribution<double> any(-1, 1);
  std::vector<std::vector<std::array<double, 3>>> at(static_cast<size_t>(rows));
  for (int i = 0; i < rows; ++i)
    for (int j = 0; j < columns; ++j) {
      Vec3 off(any(random), any(random), any(random));
      while (off.norm() > 1) off = Vec3(any(random), any(random), any(random));
      const Vec3 p = formAt(form, double(j) / (columns - 1), double(i) / (rows - 1)) + noiseMm * off;
      at[size_t(i)].push_back({p.x(), p.y(), p.z()});
    }
  Net n;
  json all = json::array();
  const auto through = [&](const std::vector<std::array<double, 3>>& points) {
    n.curves.push_back(spline(n.bench, points));
    all.push_back(pick(n.curves.back(), "curve"));
  };
  for (const auto& row : at) through(row);
  for (int j = 0; j < columns && kind == "network"; ++j) {
    std::vector<std::array<double, 3>> column;
    for (const auto& row : at) column.push_back(row[size_t(j)]);
    through(column);
  }
  n.skin = n.bench.add(kind, {{kind == "network" ? "curves" : "sections", all}});
  n.bench.run();
  return n;
}

std::string code(const Expected<recipe::IronedOut>& r) { return r ? "ok" : r.error().code; }

} // namespace

class IronOutTest : public QObject {
  Q_OBJECT

  static Expected<recipe::IronedOut> ironed(const Net& n, double mostMm = 0.2) {
    return recipe::ironedOut({n.whole()}, {mostMm}, *n.bench.model, steps::registry(), {});
  }
  static recipe::ModelPtr evaluated(const recipe::Recipe& r) {
    return recipe::Evaluator(steps::registry()).evaluate(std::make_shared<const recipe::Recipe>(r), {});
  }

private slots:
  void noiseIsIronedOutOfFiveNetworks() {
    const int rows[] = {4, 5, 4, 5, 4}, columns[] = {5, 6, 4, 5, 7};
    for (int form = 0; form < 5; ++form) {
      const Net clean = networkOn(form, rows[form], columns[form], 0), noisy = networkOn(form, rows[form], columns[form], 0.2);
      const auto r = ironed(noisy);
      QVERIFY2(r, r ? "" : sentence(r.error()).c_str());
      const auto after = evaluated(r->recipe);
      QCOMPARE(after->result(noisy.skin)->status, recipe::Status::Ok);
      const double index = noisy.wrinkles(*after), wanted = clean.wrinkles(*clean.bench.model);
      qInfo("form %d: clean %.3f, with noise %.3f, ironed out %.3f, moved by %.3f mm", form, wanted, r->before, index, r->mostMm);
      VERIFY_AT_MOST(std::abs(index - r->after), 0.02 * index);
      VERIFY_AT_MOST(index, 1.5 * wanted);
      QVERIFY(index < r->before);
      // The moves are rows of steps that shape curves, none longer than said.
      int points = 0;
      for (const std::string& id : r->shaped) {
        const auto& shape = *r->recipe.find(id);
        QCOMPARE(shape.kind, std::string("shape_curve"));
        for (const json& row : (*shape.inputs)["moves"]) {
          const Vec3 move(row.value("x", 0.0), row.value("y", 0.0), row.value("z", 0.0));
          VERIFY_AT_MOST(move.norm(), 0.2 + 1e-7);
          points += move.norm() >= 1e-4;
        }
      }
      QCOMPARE(points, r->points);
      // The skin is made from these, and they still cross.
      for (const json& p : (*r->recipe.find(noisy.skin)->inputs)["curves"])
        QVERIFY(std::find(r->shaped.begin(), r->shaped.end(), p["step"].get<std::string>()) != r->shaped.end());
      for (const auto& note : after->result(noisy.skin)->outcome->notes) QVERIFY2(note.code != "LM-N003", note.code.c_str());
    }
  }

  void onlyChosenCurvesMove() {
    Net n = networkOn(0, 4, 5, 0);
    json points = (*n.bench.recipe.find(n.curves[1])->inputs)["points"];
    const Vec3 bump = formAt(0, 0.375, 1.0 / 3) + Vec3(0, 0, 0.3); // between two crossings
    points.insert(points.begin() + 2, json{{"id", "q9"}, {"at", {bump.x(), bump.y(), bump.z()}}});
    n.bench.set(n.curves[1], "points", points);
    n.bench.run();
    QCOMPARE(n.bench.result(n.skin).status, recipe::Status::Ok);
    recipe::PickRef p;
    p.step = n.curves[1];
    p.kind = recipe::Kind::Curve;
    const auto r = recipe::ironedOut({p}, {0.2}, *n.bench.model, steps::registry(), {});
    QVERIFY2(r, r ? "" : sentence(r.error()).c_str());
    QCOMPARE(r->shaped.size(), size_t(1));
    const auto after = evaluated(r->recipe);
    QCOMPARE(after->result(n.skin)->status, recipe::Status::Ok); // it still crosses those that stay
    QVERIFY(r->after < r->before);
    const auto& inputs = *r->recipe.find(n.skin)->inputs;
    QCOMPARE(inputs["curves"][1]["step"].get<std::string>(), r->shaped[0]);
    QCOMPARE(inputs["curves"][0]["step"].get<std::string>(), n.curves[0]);
  }

  void aLoftIsIronedAndIronedAgainFromWhereItIs() {
    const Net n = networkOn(1, 6, 6, 0.3, "loft");
    const auto once = ironed(n, 0.1);
    QVERIFY2(once, once ? "" : sentence(once.error()).c_str());
    const auto model = evaluated(once->recipe);
    const auto twice = recipe::ironedOut({n.whole()}, {0.1}, *model, steps::registry(), {});
    QVERIFY2(twice, twice ? "" : sentence(twice.error()).c_str());
    QVERIFY(twice->after < once->after);
    QCOMPARE(twice->recipe.steps.size(), once->recipe.steps.size()); // the same steps hold more
    QVERIFY(twice->shaped == once->shaped);
  }

  void curvesThatLeaveAMirrorPlaneSquareStillDo() {
    Bench b;
    json sections = json::array();
    std::mt19937 random(5);
    std::uniform_real_distribution<double> any(-0.15, 0.15);
    std::vector<std::string> curves;
    for (int i = 0; i < 5; ++i) {
      const double z = 12.0 * i, w = 40 - 2.0 * i + any(random);
      curves.push_back(b.add("spline", {{"points", pointList({{0, -w, z}, {0.6 * w, -0.7 * w + any(random), z}, {w, any(random), z}, {0.6 * w, 0.7 * w, z}, {0, w, z}})},
                                        {"start", "perpendicular"}, {"end", "perpendicular"}, {"mirror", picks({pick("world", "plane", "side")})}}));
      sections.push_back(pick(curves.back(), "curve"));
    }
    const std::string skin = b.add("loft", {{"sections", sections}});
    b.run();
    QCOMPARE(b.result(skin).status, recipe::Status::Ok);
    const auto leaves = [](const recipe::Model& m, const std::string& id, bool end) {
      const auto& path = *std::get<recipe::CurvePtr>(m.result(id)->outcome->outputs[0].object);
      nurbs::CurveDerivatives d;
      path.derivatives(end ? path.last() : 0, 1, d);
      return std::pair(std::abs(d[0].x()), std::abs(d[1].normalized().x()));
    };
    const bool square = leaves(*b.model, curves[2], false).second > 1 - 1e-6;
    QVERIFY(square);
    recipe::PickRef p;
    p.step = skin;
    p.kind = recipe::Kind::Skin;
    const auto r = recipe::ironedOut({p}, {0.2}, *b.model, steps::registry(), {});
    QVERIFY2(r, r ? "" : sentence(r.error()).c_str());
    const auto after = evaluated(r->recipe);
    for (const std::string& id : r->shaped)
      for (const bool end : {false, true}) {
        const auto [off, along] = leaves(*after, id, end);
        VERIFY_AT_MOST(off, 0.001);
        VERIFY_AT_MOST(degFromRad(std::acos(std::min(1.0, along))), 0.01);
      }
  }

  void whyItWrinklesNamesThePointThatWasPulledAway() {
    Net n = networkOn(0, 5, 6, 0);
    json points = (*n.bench.recipe.find(n.curves[2])->inputs)["points"];
    points[3]["at"][2] = points[3]["at"][2].get<double>() + 0.8;
    n.bench.set(n.curves[2], "points", points);
    json crossing = (*n.bench.recipe.find(n.curves[5 + 3])->inputs)["points"];
    crossing[2]["at"] = points[3]["at"];
    n.bench.set(n.curves[5 + 3], "points", crossing);
    n.bench.run();
    const auto led = recipe::skinsLedBy({n.whole()}, *n.bench.model, steps::registry());
    QVERIFY(led);
    const auto shares = recipe::whyWrinkled(*led, {});
    QVERIFY(shares);
    const Vec3 pulled(points[3]["at"][0].get<double>(), points[3]["at"][1].get<double>(), points[3]["at"][2].get<double>());
    double sum = 0;
    for (const auto& s : *shares) sum += s.share;
    VERIFY_AT_MOST(std::abs(sum - 1), 1e-9);
    VERIFY_AT_MOST(((*shares)[0].at - pulled).norm(), 8); // crossings lie 20 mm apart
    QVERIFY((*shares)[0].share > 0.15);
  }

  void whatCannotBeIronedOutIsSaid() {
    Bench b;
    const std::string lone = spline(b, {{0, 0, 0}, {10, 3, 0}, {20, 0, 0}});
    b.run();
    recipe::PickRef curve, plane;
    curve.step = lone, curve.kind = recipe::Kind::Curve;
    plane.step = "world", plane.part = "side", plane.kind = recipe::Kind::Plane;
    const auto tried = [&](const std::vector<recipe::PickRef>& p, const recipe::Model& m) { return code(recipe::ironedOut(p, {0.2}, m, steps::registry(), {})); };
    QCOMPARE(tried({}, *b.model), std::string("LM-R045"));
    QCOMPARE(tried({plane}, *b.model), std::string("LM-R045"));
    QCOMPARE(tried({curve}, *b.model), std::string("LM-R046"));
    // A pipe does not go through its path.
    b.add("pipe", {{"paths", picks({pick(lone, "curve")})}, {"size", 4}});
    b.run();
    QCOMPARE(tried({curve}, *b.model), std::string("LM-R047"));
    // A plane has no wrinkles.
    Bench flat;
    json rails = json::array();
    for (double y : {0.0, 30.0}) rails.push_back(pick(spline(flat, {{0, y, 0}, {20, y, 0}, {40, y, 0}}), "curve"));
    const std::string skin = flat.add("loft", {{"sections", rails}});
    flat.run();
    recipe::PickRef whole;
    whole.step = skin, whole.kind = recipe::Kind::Skin;
    QCOMPARE(tried({whole}, *flat.model), std::string("LM-R048"));
    // Stopped, it says so and changes nothing.
    const Net n = networkOn(0, 4, 5, 0.2);
    Context stopped;
    stopped.cancel.cancel();
    QVERIFY(!recipe::ironedOut({n.whole()}, {0.2}, *n.bench.model, steps::registry(), stopped));
    const auto led = recipe::skinsLedBy({n.whole()}, *n.bench.model, steps::registry());
    QVERIFY(led);
    std::vector<nurbs::IronCurve> curves;
    for (const auto& c : led->curves) curves.push_back({*c.path, c.held, {}});
    const auto made = nurbs::ironed(led->skins, curves, {}, stopped);
    QVERIFY(!made && made.error().code == cancelled().code);
  }
};

static test::Register<IronOutTest> registeredIronOutTest;
#include "iron_out_test.moc"
