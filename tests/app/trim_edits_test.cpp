#include "app/window.h"

#include "recipe/marks.h"
#include "support/recipes.h"

#include <random>

using namespace lumsk;
using namespace lumsk::test;

/// Two hundred edits by hand of cut skins, one after the other: nothing is lost, what fails says where, and all of it can be
/// undone.
class TrimEditsTest : public WindowTestBase {
  Q_OBJECT

  std::mt19937 random_{7};
  double between(double a, double b) { return std::uniform_real_distribution<double>(a, b)(random_); }
  int oneOf(int n) { return int(random_() % unsigned(n)); }
  QString number(double a, double b) { return QString::number(std::round(10 * between(a, b)) / 10); }

  /// Every step has a result, or a problem that says where or what is missing; bodies are sound.
  QString unsound() {
    for (const auto& s : w().recipe().steps) {
      const auto* r = result(s->id);
      if (!r) return QString("%1 has no result").arg(s->id.c_str());
      if (r->status == recipe::Status::Failed) {
        if (!r->problem) return QString("%1 failed without a word").arg(s->id.c_str());
        const Problem& p = *r->problem;
        if (p.where.empty() && p.field.empty() && !p.missing) return QString("%1: %2").arg(s->id.c_str(), sentence(p).c_str());
        if (p.code.rfind("LM-R02", 0) == 0 && p.code != "LM-R022") return QString("%1 lost a pick: %2").arg(s->id.c_str(), sentence(p).c_str());
      }
    }
    for (const auto& b : w().model()->bodies)
      if (!b.stale && !inspect::stateOf(*b.body).valid) return QString("%1 is not valid").arg(b.id.c_str());
    return {};
  }

  void edit() {
    const std::string ring = oneOf(2) ? "s6" : "s7";
    switch (oneOf(9)) {
    case 0: w().focus().unfold(ring), type("width", number(6, 34)); break;
    case 1: w().focus().unfold(ring), type("x", number(-45, 45)); break;
    case 2: w().focus().unfold(ring), type("y", number(-30, 30)); break;
    case 3: {
      w().focus().unfold(ring);
      QVERIFY(settled());
      for (const auto& m : view().marks())
        if (std::string(m.kind->name) == "handle" && m.field == "width") {
          const QPoint from = m.at.toPoint();
          drag(from, from + QPoint(int(between(-25, 25)), int(between(-10, 10))));
          break;
        }
      break;
    }
    case 4: { // a piece in the view
      w().focus().unfold("s8");
      QVERIFY(settled());
      const auto* r = result("s8");
      if (!r->outcome) break;
      const auto pieces = r->outcome->marks.all<recipe::Region>();
      if (pieces.empty()) break;
      QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(pieces[size_t(oneOf(int(pieces.size())))].at));
      break;
    }
    case 5: keys(Qt::Key_Z, Qt::ControlModifier); break;
    case 6: keys(oneOf(2) ? Qt::Key_Y : Qt::Key_Z, Qt::ControlModifier); break;
    case 7: w().steps().setOn({oneOf(2) ? "s9" : ring}, oneOf(2)); break;
    case 8: {
      w().focus().unfold("s8");
      QVERIFY(settled());
      if (w().focus().open() == "s8") choose("keep", oneOf(2) ? "back" : "others");
      break;
    }
    }
    QVERIFY(settled());
  }

private slots:
  void twoHundredEditsLoseNothing() {
    for (double y : {-40.0, 0.0, 40.0}) add("spline", {{"points", pointList({{-60, y, 0}, {-20, y, 10}, {20, y, 10}, {60, y, 0}})}});
    add("loft", {{"sections", picks({pick("s1"), pick("s2"), pick("s3")})}});
    add("plane", {{"distance", 30}});
    for (double x : {-25.0, 20.0}) add("ring", {{"width", 20}, {"x", x}, {"plane", picks({pick("s5")})}});
    add("trim", {{"body", picks({pick("s4")})}, {"by", picks({pick("s6", "curve"), pick("s7", "curve")})}, {"keep", "back"}});
    add("offset", {{"of", picks({pick("s8", "skin")})}, {"distance", 0.8}});
    view().lookFrom(scene::ViewFrom::Top);
    view().fitAll();
    QVERIFY(settled());
    QVERIFY2(unsound().isEmpty(), qPrintable(unsound()));
    const std::string text = recipe::toText(w().recipe());
    for (int i = 0; i < 200; ++i) {
      edit();
      const QString wrong = unsound();
      QVERIFY2(wrong.isEmpty(), qPrintable(QString("edit %1: %2").arg(i).arg(wrong)));
    }
    w().focus().unfold({});
    w().session().edit(w().recipe(), "end");
    // As it was made, so it is again.
    for (int i = 0; i < 400 && recipe::toText(w().recipe()) != text && w().session().canUndo(); ++i) w().session().undo();
    QCOMPARE(QString::fromStdString(recipe::toText(w().recipe())), QString::fromStdString(text));
    QVERIFY(settled());
    QVERIFY(result("s9")->status == recipe::Status::Ok);
  }
};

static test::Register<TrimEditsTest> registeredTrimEditsTest;
#include "trim_edits_test.moc"
