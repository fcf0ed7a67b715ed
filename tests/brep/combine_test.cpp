#include "brep/combine.h"
#include "inspect/state.h"
#include "shapes/cut_cases.h"
#include "shapes/ray_volume.h"
#include "support/registry.h"

#include <QtTest>

using namespace lumsk;
using namespace lumsk::test;

class CombineTest : public QObject {
  Q_OBJECT
private slots:
  /// Solids that cross, touch, are flush, coincide over an area or nearly, and many at once: what comes of them has the
  /// volume that rays find, or is refused with its place.
  void combinedSolidsHaveTheVolumesThatRaysFind() {
    int right = 0;
    for (const CombineCase& c : combineCases(6, 3)) {
      std::vector<brep::SolidMesh> meshes{*brep::exportMesh(*c.target, {0.005, 10}, {})};
      for (const auto& t : c.tools) meshes.push_back(*brep::exportMesh(*t, {0.005, 10}, {}));
      const auto any = [](const std::vector<char>& in) { return std::any_of(in.begin() + 1, in.end(), [](char x) { return x; }); };
      const auto truth = rayVolumes(meshes, 400, {[&](const auto& in) { return in[0] || any(in); }, [&](const auto& in) { return in[0] && !any(in); },
                                                  [&](const auto& in) { return in[0] && any(in); }});
      const double whole = inspect::stateOf(*c.target).volumeMm3;
      for (const auto how : {brep::Combine::Add, brep::Combine::Cut, brep::Combine::Common}) {
        const auto made = brep::combinedHere(c.target, c.tools, how, {});
        if (!made) {
          QVERIFY2(c.kind == "touching" || c.kind == "nearly coincident", (c.kind + ": " + sentence(made.error())).c_str());
          QVERIFY(!made.error().where.empty());
          continue;
        }
        double volume = 0;
        for (const auto& b : *made) {
          const auto s = inspect::stateOf(*b);
          QVERIFY(s.solid && s.valid && s.openEdges == 0);
          VERIFY_AT_MOST(s.largestToleranceMm, 0.01);
          volume += s.volumeMm3;
        }
        VERIFY_AT_MOST(std::abs(volume - truth[size_t(how)]) / whole, 5e-4);
        ++right;
      }
    }
    QVERIFY(right >= 13);
  }
};

static test::Register<CombineTest> registeredCombineTest;
#include "combine_test.moc"
