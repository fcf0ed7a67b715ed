#include "support/recipes.h"

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// A bitmap of 40 x 20 pixels: left half red, right half blue.
std::string bitmap() {
  const int w = 40, h = 20, size = 54 + w * h * 3;
  std::string s(size_t(size), '\0');
  const auto put = [&](size_t at, int v) {
    for (size_t k = 0; k < 4; ++k) s[at + k] = char((v >> (8 * k)) & 255);
  };
  s[0] = 'B', s[1] = 'M';
  put(2, size), put(10, 54), put(14, 40), put(18, w), put(22, h), put(34, w * h * 3);
  s[26] = 1, s[28] = 24;
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) s[size_t(54 + (y * w + x) * 3 + (x < w / 2 ? 2 : 0))] = char(255);
  return s;
}

const recipe::PictureObject& picture(Bench& b) {
  return std::get<recipe::PictureObject>(b.result("s1").outcome->outputs[0].object);
}

} // namespace

class PictureStepTest : public QObject {
  Q_OBJECT
private slots:
  void itStandsOnThePlaneWithItsProportions() {
    Bench b;
    b.add("picture", {{"file", b.file("halves.bmp", bitmap())}, {"width", "8 cm"}, {"across", 10}, {"up", 5}});
    b.run();
    VERIFY_STEP(b, "s1");
    const auto& p = picture(b);
    QCOMPARE(p.image->width, 40);
    QCOMPARE(int(p.image->rgba[0]), 255); // the left is red
    QCOMPARE(int(p.image->rgba[2]), 0);
    VERIFY_AT_MOST(std::abs(p.widthMm - 80) + std::abs(p.heightMm - 40), 1e-9);
    VERIFY_AT_MOST((p.frame.origin - Vec3(10, 0, 5)).norm(), 1e-12); // the front plane
  }

  void twoPointsAndADistanceGiveTheScale() {
    Bench b;
    b.add("picture", {{"file", b.file("halves.bmp", bitmap())},
                      {"size", "points"},
                      {"marks", pointList({{-0.25, 0.1, 0}, {0.25, 0.1, 0}})},
                      {"distance", 60},
                      {"turn", 90}});
    b.run();
    VERIFY_STEP(b, "s1");
    VERIFY_AT_MOST(std::abs(picture(b).widthMm - 120), 1e-9);
    const auto place = b.result("s1").outcome->marks.all<recipe::PointsPlace>().at(0);
    QCOMPARE(place.field, std::string("marks"));
    // The marks are where the picture shows them, and as far apart as was said.
    const Vec3 a = place.toWorld({-0.25, 0.1, 0}), c = place.toWorld({0.25, 0.1, 0});
    VERIFY_AT_MOST(std::abs((a - c).norm() - 60), 1e-9);
    VERIFY_AT_MOST((a - Vec3(-12, 0, -30)).norm(), 1e-9); // a quarter turn
    VERIFY_AT_MOST((place.fromWorld(a) - Vec3(-0.25, 0.1, 0)).norm(), 1e-12);
  }

  void missingPointsAreNotedAndBadPicturesRefused() {
    Bench b;
    b.add("picture", {{"file", b.file("halves.bmp", bitmap())}, {"size", "points"}});
    b.run();
    VERIFY_STEP(b, "s1");
    QCOMPARE(b.result("s1").outcome->notes.at(0).code, std::string("LM-I012"));
    b.set("s1", "marks", pointList({{0, 0, 0}, {0, 0, 0}}));
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-I014"));
    b.set("s1", "marks", pointList({{0, 0, 0}, {0.1, 0, 0}, {0.2, 0, 0}}));
    b.run();
    QCOMPARE(b.code("s1"), std::string("LM-I013"));
    for (const std::string& bytes : {std::string(), std::string("no picture"), bitmap().substr(0, 60)}) {
      b.set("s1", "file", b.file("bad.png", bytes));
      b.run();
      QVERIFY(b.code("s1") == "LM-I010" || (bytes.size() == 60 && b.code("s1") == "LM-I013"));
    }
  }

  void largePicturesAreShownReduced() {
    const auto image = recipe::readImage(bitmap(), "halves.bmp", 12);
    VERIFY_OK(image);
    QVERIFY(image->width == 10 && image->height == 5);
    QVERIFY(image->rgba[0] == 255 && image->rgba[size_t(9) * 4 + 2] == 255);
  }
};

static test::Register<PictureStepTest> registeredPictureStepTest;
#include "picture_test.moc"
