#include "nurbs/measure/closest.h"
#include "nurbs/loft/loft.h"
#include "shapes/networks.h"
#include "support/registry.h"

using namespace lumsk;
using namespace lumsk::nurbs;
using namespace lumsk::test;

namespace {

double worstAtSections(const LoftResult& r, const std::vector<Section>& sections) {
  double worst = 0;
  for (size_t i = 0; i < sections.size(); ++i) {
    if (!sections[i].path()) continue;
    for (const Surface& s : r.strips)
      for (int k = 0; k <= 400; ++k)
        worst = std::max(worst, closestPoint(*sections[i].path(), s.at(k / 400.0, r.parameters[i])).distanceMm);
  }
  return worst;
}

/// Largest turn of the curves across the sections about z, degrees.
double twistDeg(const LoftResult& r) {
  double worst = 0;
  for (int i = 0; i < 32; ++i) {
    const Vec3 a = r.strips[0].at(i / 32.0, 0.0);
    for (int j = 1; j <= 8; ++j) {
      const Vec3 b = r.strips[0].at(i / 32.0, j / 8.0);
      worst = std::max(worst, degFromRad(angleBetweenRad(Vec3(a.x(), a.y(), 0), Vec3(b.x(), b.y(), 0))));
    }
  }
  return worst;
}

Section turnedCircle(double z, double diameter, double turnDeg, bool reverse) {
  const double a = radFromDeg(turnDeg);
  const Frame f{{0, 0, z}, {std::cos(a), std::sin(a), 0}, {-std::sin(a), std::cos(a), 0}};
  const Path p = *circle(f, diameter);
  return {reverse ? reversed(p) : p};
}

/// Largest distance of places of the true form, at and between its sections, from the skin, mm.
double fromTheForm(const LoftResult& r) {
  double worst = 0;
  for (int i = 1; i < 40; ++i)
    for (int j = 1; j < 60; ++j)
      worst = std::max(worst, closestPoint(r.strips[0], smoothForm(i / 40.0, j / 60.0)).distanceMm);
  return worst;
}

} // namespace

class LoftTest : public QObject {
  Q_OBJECT
private slots:
  void eightMixedSectionsGiveALeanTrueSkin() {
    const auto sections = formSections(8);
    const auto r = loft(sections, {}, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(r->strips[0].controlPoints(), 312);
    VERIFY_AT_MOST(worstAtSections(*r, sections), 0.0005);
    // The skin cannot be nearer to the form than its sections, splines of 9 to 13 points, are.
    double off = 0;
    for (int k = 0; k < 8; ++k)
      for (int i = 0; i <= 200; ++i)
        off = std::max(off, closestPoint(*sections[size_t(k)].path(), smoothForm(i / 200.0, k / 7.0)).distanceMm);
    VERIFY_AT_MOST(fromTheForm(*r), off + 0.0005);
  }

  void betweenTrueSectionsTheSkinIsWithinAHundredthOfTheForm() {
    std::vector<Section> sections;
    for (int k = 0; k < 8; ++k) sections.push_back({*Path::make({formSection(k / 7.0, 5, 40, 7)}, {0.001})});
    const auto cubic = loft(sections, {}, {});
    VERIFY_OK(cubic);
    VERIFY_AT_MOST(fromTheForm(*cubic), 0.01);
    LoftOptions o;
    o.degree = 5;
    const auto quintic = loft(sections, o, {});
    VERIFY_OK(quintic);
    QCOMPARE(quintic->degree, 5);
    VERIFY_AT_MOST(fromTheForm(*quintic), 0.004);
  }

  void startsAndDirectionsAreBroughtTogether() {
    for (double turn : {90.0, 170.0, -135.0})
      for (bool reverse : {false, true}) {
        const auto r = loft({turnedCircle(0, 60, 0, false), turnedCircle(40, 70, turn, reverse),
                             turnedCircle(80, 50, turn / 2, !reverse)},
                            {}, {});
        VERIFY_OK(r);
        VERIFY_AT_MOST(twistDeg(*r), 0.05);
        QCOMPARE(r->alignment.sections[1].changedDirection, reverse);
        QVERIFY(r->alignment.sections[1].changedStart);
      }
    Frame turned = levelAt(60);
    turned.x = Vec3(0, 1, 0), turned.y = Vec3(-1, 0, 0);
    const auto r =
        loft({{*superellipse(levelAt(0), 70, 40, 3, {})}, {reversed(*superellipse(turned, 30, 60, 3, {}))}}, {}, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(twistDeg(*r), 3);
  }

  void anExplicitStartAndFlipAreObeyed() {
    auto a = turnedCircle(0, 60, 0, false), b = turnedCircle(40, 60, 0, false);
    b.start = 0.25;
    const auto r = loft({a, b}, {}, {});
    VERIFY_AT_MOST((r->strips[0].at(0, 1) - Vec3(0, 30, 40)).norm(), 5e-4);
  }

  void aRoundedPointHasOneTangentPlane() {
    for (double pull : {0.5, 1.0, 2.0}) {
      LoftOptions o;
      o.start = Meets::Perpendicular;
      o.start.pull = pull;
      const auto r = loft(tumblerSections(), o, {});
      VERIFY_OK(r);
      const Surface& s = r->strips[0];
      double worst = 0;
      for (int i = 0; i < 48; ++i) {
        double v = 1e-3;
        for (int k = 0; k < 60; ++k) v *= 0.001 / (s.at(i / 48.0, v) - s.at(0, 0)).norm();
        VERIFY_AT_MOST(std::abs((s.at(i / 48.0, v) - s.at(0, 0)).norm() - 0.001), 1e-6);
        worst = std::max(worst, degFromRad(angleBetweenRad(s.normal(i / 48.0, v), s.normal(0.0, 0.0))));
      }
      VERIFY_AT_MOST(worst, 0.05);
    }
  }

  void perpendicularEndsLeaveSquareToTheSection() {
    LoftOptions o;
    o.start = o.end = LoftEndOptions(Meets::Perpendicular);
    const std::vector<Section> sections{turnedCircle(0, 60, 0, false), turnedCircle(40, 75, 0, false),
                                        turnedCircle(80, 50, 0, false)};
    const auto r = loft(sections, o, {});
    VERIFY_OK(r);
    SurfaceDerivatives d;
    for (int i = 0; i < 20; ++i)
      for (double v : {0.0, 1.0}) {
        r->strips[0].derivatives(i / 20.0, v, 1, d);
        VERIFY_AT_MOST(degFromRad(angleBetweenRad(d(0, 1), {0, 0, 1})), 1e-6);
      }
    VERIFY_AT_MOST(worstAtSections(*r, sections), 0.0005);
  }

  void cornersMakeStripsThatShareTheirBorders() {
    const auto r = loft({{*polygon(levelAt(0), 60, 6, 0, {0.001})},
                         {*polygon(levelAt(30), 80, 6, 0, {0.001})},
                         {*circle(levelAt(70), 50)}},
                        {}, {});
    VERIFY_OK(r);
    QCOMPARE(r->strips.size(), size_t(6));
    for (int k = 0; k < 6; ++k)
      for (int j = 0; j <= 20; ++j)
        VERIFY_AT_MOST((r->strips[k].at(1, j / 20.0) - r->strips[(k + 1) % 6].at(0, j / 20.0)).norm(), 1e-9);
  }

  void roundedRectanglesAreFollowedThroughTheirJoints() {
    const std::vector<Section> sections{{*roundedRectangle(levelAt(0), 60, 40, 10, {0.001})},
                                        {*roundedRectangle(levelAt(50), 50, 50, 14, {0.001})}};
    const auto r = loft(sections, {}, {});
    VERIFY_OK(r);
    VERIFY_AT_MOST(worstAtSections(*r, sections), 0.0005);
  }

  void wrongInputsAreExplained() {
    const Section ring = turnedCircle(0, 60, 0, false);
    const Section open{*line({0, 0, 30}, {40, 0, 30}, {0.001})};
    const auto code = [](const std::vector<Section>& s, LoftOptions o = {}) {
      const auto r = loft(s, o, {});
      return r ? std::string() : r.error().code;
    };
    QCOMPARE(code({ring}), std::string("LM-L001"));
    QCOMPARE(code({ring, open}), std::string("LM-L002"));
    QCOMPARE(code({ring, {Vec3(0, 0, 5)}, turnedCircle(10, 5, 0, false)}), std::string("LM-L003"));
    QCOMPARE(code({ring, turnedCircle(0, 60, 50, true)}), std::string("LM-L004"));
    LoftOptions o;
    o.start.pull = 0;
    QCOMPARE(code({ring, turnedCircle(9, 60, 0, true)}, o), std::string("LM-L006"));
    o = {};
    o.start = Meets::Perpendicular;
    const Section bent{*Path::make({formSection(0.5, 3, 9, 1)}, {0.001})},
        level{*Path::make({formSection(0, 3, 9, 1)}, {0.001})};
    QCOMPARE(code({bent, level}, o), std::string("LM-L005"));
    QCOMPARE(code({level, bent}, o), std::string());
  }

  void halvesMeetTheirMirrorPlaneAtSidesAndEnds() {
    std::vector<Section> sections;
    for (int j = 0; j < 5; ++j) sections.push_back({halfOutline(22.0 * j)});
    LoftOptions o;
    o.left = o.right = Meets::Mirror;
    const auto r = loft(sections, o, {});
    VERIFY_OK(r);
    QVERIFY(r->mirror.has_value());
    for (Side side : {FirstU, LastU}) {
      const AtPlane at = sideAtPlane(r->strips[0], side);
      VERIFY_AT_MOST(at.offMm, 1e-7);
      VERIFY_AT_MOST(at.angleDeg, 1e-5);
      VERIFY_AT_MOST(at.rate * 150 * 150, 0.01);
    }
    double off = 0;
    for (int j = 0; j < 5; ++j)
      for (int k = 0; k <= 20; ++k)
        off = std::max(off, closestPoint(r->strips[0], sections[size_t(j)].path()->at(k / 20.0)).distanceMm);
    VERIFY_AT_MOST(off, 0.0006);
    // Across: the first section lies in the plane y = 0.
    std::vector<Section> across;
    for (double y : {0.0, 14.0, 30.0, 44.0})
      across.push_back({*circle({{0.1 * y, y, 0}, Vec3::UnitX(), Vec3::UnitZ()}, 60 - 0.012 * y * y)});
    LoftOptions g3;
    g3.start = Meets::Mirror;
    const auto a = loft(across, g3, {});
    VERIFY_OK(a);
    const AtPlane at = sideAtPlane(a->strips[0], FirstV);
    VERIFY_AT_MOST(at.offMm, 1e-7);
    VERIFY_AT_MOST(at.angleDeg, 1e-5);
    VERIFY_AT_MOST(at.rate * 100 * 100, 0.01);
    // Sections that do not leave squarely are named.
    Eigen::Isometry3d turn = Eigen::Isometry3d::Identity();
    turn.rotate(Eigen::AngleAxisd(0.01, Vec3::UnitZ()));
    sections[2] = {transformed(halfOutline(44), turn)};
    o.mirror = Frame{Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()};
    const auto bad = loft(sections, o, {});
    QVERIFY(!bad && (bad.error().code == "LM-L008" || bad.error().code == "LM-L009") && !bad.error().where.empty());
  }
};

static test::Register<LoftTest> registeredLoftTest;
#include "loft_test.moc"
