#include "shapes/cut_cases.h"
#include "support/registry.h"

#include "brep/convert.h"
#include "brep/skin.h"
#include "nurbs/on_skin/arrangement.h"

#include <BRepPrimAPI_MakeBox.hxx>
#include <TopExp.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <gp_Pnt.hxx>

#include "shapes/bodies.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

std::vector<brep::BodyPtr> piecesOf(const CutCase& c, std::optional<Problem>& refused) {
  auto d = brep::Division::of({c.target}, c.dividers, {c.reachMm, "t"}, {});
  if (!d) return refused = d.error(), std::vector<brep::BodyPtr>();
  auto made = (*d)->bodies(std::vector<char>((*d)->pieces().size(), 1), true, true, {});
  if (!made) return refused = made.error(), std::vector<brep::BodyPtr>();
  std::vector<brep::BodyPtr> out;
  for (auto& b : *made) out.push_back(b.body);
  return out;
}

/// Nothing wrong; what is refused says where, and is one of those that may be.
void judge(const std::vector<CutCase>& cases, int least) {
  int good = 0;
  for (const CutCase& c : cases) {
    std::optional<Problem> refused;
    const auto pieces = piecesOf(c, refused);
    if (refused) {
      QVERIFY2(c.mayRefuse && !refused->where.empty(), qPrintable(QString::fromStdString(c.name + ": " + sentence(*refused))));
      continue;
    }
    const std::string wrong = wrongWith(c, pieces);
    QVERIFY2(wrong.empty(), qPrintable(QString::fromStdString(c.name + ": " + wrong)));
    ++good;
  }
  QVERIFY2(good >= least, qPrintable(QString::number(good)));
}

nurbs::PlaneArc line(Vec2 a, Vec2 b, int from, int to, bool border) {
  return {[=](double f) { return Vec2(a + f * (b - a)); }, 0, 1, from, to, border};
}

std::vector<nurbs::PlaneArc> square() {
  const Vec2 p[4] = {{0, 0}, {10, 0}, {10, 10}, {0, 10}};
  std::vector<nurbs::PlaneArc> out;
  for (int k = 0; k < 4; ++k) out.push_back(line(p[k], p[(k + 1) % 4], k, (k + 1) % 4, true));
  return out;
}

} // namespace

class DivisionTest : public QObject {
  Q_OBJECT
private slots:
  void arcsDivideASquareAndLooseOnesAreTold() {
    auto arcs = square();
    arcs.push_back(line({0, 0}, {10, 10}, 0, 2, false));
    arcs.push_back(line({0, 0}, {3, 1}, 0, 4, false)); // a loose end
    const auto a = nurbs::arranged(arcs, 1e-6);
    QVERIFY(a.sound);
    QCOMPARE(a.parts.size(), size_t(2));
    for (const auto& p : a.parts) VERIFY_AT_MOST(std::abs(p.area - 50), 1e-9);
    QCOMPARE(a.dangling, std::vector<int>{5});
  }

  void aRingWithinIsAPartAndAnOpeningOfTheOther() {
    auto arcs = square();
    nurbs::PlaneArc ring;
    ring.at = [](double t) { return Vec2(5 + 2 * std::cos(t), 5 + 2 * std::sin(t)); };
    ring.last = 2 * kPi, ring.from = ring.to = 4, ring.samples = 200;
    arcs.push_back(ring);
    const auto a = nurbs::arranged(arcs, 1e-6);
    QVERIFY(a.sound);
    QCOMPARE(a.parts.size(), size_t(2));
    const auto& outer = a.parts[a.parts[0].holes.empty() ? 1 : 0];
    QCOMPARE(outer.holes.size(), size_t(1));
    VERIFY_AT_MOST(std::abs(outer.area - (100 - 4 * kPi)), 0.01);
    QVERIFY((outer.inside - Vec2(5, 5)).norm() > 2);
  }

  void madeUpCutsOfAllKindsAreRightOrRefusedWithTheirPlace() { judge(cutCases(4, 11), 38); }
  void solidsFallIntoSolidsOrAreRefusedWithTheirPlace() { judge(solidCases(12, 5), 7); }

  void keptPiecesGrowTogetherAgainWhereNothingWasTakenAway() {
    std::vector<CutCase> all = cutCases(1, 3);
    for (const CutCase& c : all) {
      if (c.kind != "several" && c.kind != "clean" && c.kind != "faces") continue;
      auto d = brep::Division::of({c.target}, c.dividers, {}, {});
      QVERIFY(d);
      const size_t n = (*d)->pieces().size();
      const auto again = (*d)->bodies(std::vector<char>(n, 1), false, false, {});
      QVERIFY(again);
      QCOMPARE(again->size(), size_t(1));
      QCOMPARE(brep::faces(*again->front().body).size(), brep::faces(*c.target).size());
      VERIFY_AT_MOST(std::abs(brep::massOf(again->front().body->shape).areaMm2 / brep::massOf(c.target->shape).areaMm2 - 1), 1e-9);
    }
  }

  void skinsThatCutEachOtherShareTheirNewEdges() {
    std::vector<CutCase> all = cutCases(12, 4);
    const auto mutual = std::find_if(all.begin(), all.end(), [](const CutCase& c) {
      return c.kind == "clean" && c.dividers[0].body && c.dividers[0].body->faceNames[0] == "c.wall" && brep::faces(*c.dividers[0].body).size() == 1 &&
             c.dividers[0].body->natural.begin()->second.surface->closedU();
    });
    QVERIFY(mutual != all.end());
    brep::Divider a, b;
    a.id = "a", a.body = mutual->target, b.id = "b", b.body = mutual->dividers[0].body;
    auto d = brep::Division::of({a.body, b.body}, {a, b}, {}, {});
    QVERIFY2(d, d ? "" : qPrintable(QString::fromStdString(sentence(d.error()))));
    const auto& pieces = (*d)->pieces();
    QVERIFY(pieces.size() >= 4);
    std::vector<char> kept;
    for (const auto& p : pieces)
      kept.push_back(std::all_of(p.sides.begin(), p.sides.end(), [](const auto& s) { return s.second == brep::SideOf::Front; }));
    const auto made = (*d)->bodies(kept, false, false, {});
    QVERIFY(made);
    QCOMPARE(made->size(), size_t(2));
    TopTools_IndexedMapOfShape edges;
    TopExp::MapShapes(made->at(0).body->shape, TopAbs_EDGE, edges);
    int shared = 0;
    for (const auto& e : brep::edges(*made->at(1).body)) shared += edges.Contains(e);
    QVERIFY(shared >= 1);
  }

  void aToolWhollyWithinLeavesAHollow() {
    const auto box = [](double low, double size) {
      return std::make_shared<brep::Body>(kernelBody(BRepPrimAPI_MakeBox(gp_Pnt(low, low, low), size, size, size).Shape()));
    };
    brep::Divider d;
    d.id = "c", d.body = box(5, 10);
    const auto made = brep::Division::of({box(0, 20)}, {d}, {}, {});
    QVERIFY(made);
    QCOMPARE((*made)->pieces().size(), size_t(2));
    std::vector<char> kept;
    for (const auto& p : (*made)->pieces()) kept.push_back(p.sides.at("c") == brep::SideOf::Front);
    const auto bodies = (*made)->bodies(kept, false, false, {});
    QVERIFY(bodies);
    QCOMPARE(bodies->size(), size_t(1));
    VERIFY_AT_MOST(std::abs(brep::massOf(bodies->front().body->shape).volumeMm3 - 7000), 1e-3);
  }

  void cuttersThatMissOrStopFarShortSayHowFar() {
    std::vector<CutCase> all = cutCases(1, 6);
    const auto c = std::find_if(all.begin(), all.end(), [](const CutCase& x) { return x.kind == "clean"; });
    brep::Divider far;
    far.id = "c", far.plane = Frame::fromNormal({0, 0, 500}, Vec3::UnitZ());
    const auto missed = brep::Division::of({c->target}, {far}, {}, {});
    QVERIFY(!missed);
    QCOMPARE(missed.error().code, std::string("LM-C001"));
    QVERIFY(missed.error().measured && missed.error().measured->value > 400 && !missed.error().where.empty());
    brep::Divider shorter;
    shorter.id = "c";
    shorter.path = std::make_shared<const nurbs::Path>(*nurbs::Path::make({nurbs::LineSegment{{-10, 0, 0}, {10, 0, 0}}}, {1e-3}));
    shorter.direction = Vec3::UnitZ();
    const auto stopped = brep::Division::of({c->target}, {shorter}, {}, {});
    QVERIFY(!stopped);
    QCOMPARE(stopped.error().code, std::string("LM-C003"));
    VERIFY_AT_MOST(std::abs(stopped.error().measured->value - 40), 8);
    const auto reached = brep::Division::of({c->target}, {shorter}, {80}, {});
    QVERIFY(reached);
    QCOMPARE((*reached)->pieces().size(), size_t(2));
    QVERIFY((*reached)->carriedOn().size() == 1 && (*reached)->carriedOn()[0].mm > 30);
  }
};

static test::Register<DivisionTest> registeredDivisionTest;
#include "division_test.moc"
