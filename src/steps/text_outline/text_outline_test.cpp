#include "nurbs/measure/arc_length.h"
#include "support/recipes.h"
#include <QFile>

using namespace lumsk;
using namespace lumsk::test;

class TextOutlineStepTest : public QObject {
  Q_OBJECT
private slots:
  void lettersAreClosedOutlinesOfTheHeight() {
    Bench b;
    b.add("text_outline", {{"text", "HOB"}, {"height", 30}, {"plane", picks({pick("world", "plane", "front")})}});
    b.add("text_outline", {{"text", "   "}});
    b.add("text_outline", {{"text", "ä\xe4\xb8\xad"}});
    b.run();
    VERIFY_STEP(b, "s1");
    const auto& out = *b.result("s1").outcome;
    QCOMPARE(out.outputs.size(), size_t(1 + 2 + 3));
    double low = 1e300, high = -1e300;
    for (const auto& o : out.outputs) {
      const auto& c = *std::get<recipe::CurvePtr>(o.object);
      QVERIFY(c.closed());
      const Points p = nurbs::polyline(c, 8);
      VERIFY_AT_MOST(p.col(1).cwiseAbs().maxCoeff(), 1e-9);
      if (&o == &out.outputs[0]) low = p.col(2).minCoeff(), high = p.col(2).maxCoeff();
    }
    VERIFY_AT_MOST(std::abs(high - low - 30), 1e-6);
    QCOMPARE(b.code("s2"), std::string("LM-P058"));
    VERIFY_STEP(b, "s3");
    QCOMPARE(b.result("s3").outcome->notes[0].code, std::string("LM-P113"));
  }

  void otherFontsAreReadAndDamagedOnesRefused() {
    QFile f(LUMSK_DATA_DIR "/fonts/Inter-SemiBold.otf");
    QVERIFY(f.open(QIODevice::ReadOnly));
    Bench b;
    const json bold = b.file("bold.otf", f.readAll().toStdString()), broken = b.file("broken.otf", "no font at all");
    b.add("text_outline", {{"text", "A"}, {"font", bold}});
    b.add("text_outline", {{"text", "A"}, {"font", broken}});
    b.add("text_outline", {{"text", "A"}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(b.code("s2"), std::string("LM-P057"));
    QVERIFY(std::abs(nurbs::ArcLength(b.curve("s1")).total() - nurbs::ArcLength(b.curve("s3")).total()) > 0.1);
  }

  void twoWordsOfGlyphsGiveTheBodyOfBoth() {
    Bench b;
    b.add("text_outline", {{"text", "A"}, {"plane", picks({pick("world", "plane", "front")})}});
    b.add("text_outline", {{"text", "B"}, {"plane", picks({pick("world", "plane", "side")})}});
    b.run();
    json list = json::array();
    for (const char* s : {"s1", "s2"})
      for (const auto& o : b.result(s).outcome->outputs) list.push_back(pick(s, "curve", o.name));
    b.add("two_view", {{"drawings", list}, {"corners", true}});
    b.run();
    VERIFY_STEP(b, "s3");
    QVERIFY(b.result("s3").outcome->outputs.size() >= 4);
  }
};

static test::Register<TextOutlineStepTest> registeredTextOutlineStepTest;
#include "text_outline_test.moc"
