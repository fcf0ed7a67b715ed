#include "scene/lenses/curvature/curvature.h"
#include "scene/lenses/cut/cut.h"
#include "scene/lenses/isophotes/isophotes.h"
#include "scene/lenses/stripes/stripes.h"
#include "scene/picture.h"
#include "scene/shaders.h"
#include "shapes/bodies.h"
#include "support/registry.h"

#include <BRepPrimAPI_MakeCylinder.hxx>
#include <BRepPrimAPI_MakeSphere.hxx>

using namespace lumsk;
using namespace lumsk::test;

namespace {

constexpr int kSize = 400;

scene::Pixels drawn(const TopoDS_Shape& shape, const scene::PictureOptions& o) {
  recipe::Model model;
  model.recipe = std::make_shared<const recipe::Recipe>();
  recipe::BodyEntry body;
  body.id = "b1", body.step = "s1", body.label = "body";
  body.body = std::make_shared<const brep::Body>(kernelBody(shape));
  model.bodies.push_back(std::move(body));
  auto made = scene::drawPicture(model, o);
  if (!made) qWarning("%s", qPrintable(QString::fromStdString(sentence(made.error()))));
  return made ? *made : scene::Pixels{};
}
scene::Pixels picture(const TopoDS_Shape& shape, scene::PictureOptions o) {
  o.width = o.height = kSize;
  o.perspective = false;
  return drawn(shape, o);
}

/// Compares the bright and dark pixels of bands with a formula: `at` gives the brightness at a pixel of the form, or
/// a negative number where there is none.
void compare(const scene::Pixels& p, const std::function<double(double x, double y)>& at, const QString& what) {
  QCOMPARE(int(p.rgb.size()), kSize * kSize * 3);
  int seen = 0, wrong = 0, bright = 0;
  for (int y = 0; y < kSize; ++y)
    for (int x = 0; x < kSize; ++x) {
      // Only where the pixel's surroundings are all of one kind.
      double low = 1, high = 0;
      for (double dx : {-1.0, 0.5, 2.0})
        for (double dy : {-1.0, 0.5, 2.0}) {
          const double v = at(x + dx, y + dy);
          low = std::min(low, v);
          high = std::max(high, v);
        }
      if (low < 0 || (low < 0.98 && high > 0.02)) continue;
      ++seen;
      const unsigned char* q = &p.rgb[size_t(y * kSize + x) * 3];
      const bool light = q[0] + q[1] + q[2] > 3 * 150;
      bright += light;
      wrong += light != (high > 0.5);
    }
  QVERIFY2(seen > 8000, qPrintable(QString::number(seen)));
  QVERIFY(bright > seen / 5 && bright < seen * 4 / 5);
  QVERIFY2(double(wrong) / seen <= 0.002, qPrintable(QString("%1: %2 of the places are wrong").arg(what).arg(double(wrong) / seen)));
}

/// mm from the middle of a picture of a form with this half size, which fills four fifths of it (`Viewer::fit`).
Vec2 onForm(double x, double y, double half) { return Vec2((2 * x / kSize - 1), (1 - 2 * y / kSize)) * half / 0.8; }

} // namespace

class PictureTest : public QObject {
  Q_OBJECT
private slots:
  void stripesOnABallAreWhereTheFormulaPutsThem() {
    for (const auto room :
         {scene::StripeLook::Room::Upright, scene::StripeLook::Room::Level, scene::StripeLook::Room::Tunnel})
      for (const bool part : {false, true}) {
        scene::PictureOptions o;
        o.from = scene::ViewFrom::Right; // from +x, so that eye and part differ
        o.lens.surface = "stripes";
        scene::StripeLook look;
        look.room = room;
        look.onPart = part;
        look.count = 16;
        o.lens.put(look);
        compare(picture(BRepPrimAPI_MakeSphere(10).Shape(), o), [&](double x, double y) {
          const Vec2 p = onForm(x, y, 10) / 10;
          if (p.norm() > 0.97) return -1.0;
          const Vec3 n(p.x(), p.y(), std::sqrt(1 - p.squaredNorm())); // as the eye sees it
          const Vec3 r = 2 * n.z() * n - Vec3::UnitZ();
          // Seen from +x: right is +y of the part, up its z, towards the eye its x. The room's up is the part's z.
          const Vec3 world(r.z(), r.x(), r.y());
          return scene::stripeAt(look, part ? Vec3(world.x(), world.z(), -world.y()) : r);
        }, QString("room %1, %2").arg(int(room)).arg(part ? "fixed to the part" : "fixed to the eye"));
      }
  }

  void picturesOfAnyFormatShowTheWholeForm() {
    scene::PictureOptions o;
    o.ground = scene::Ground{0xFFFFFF, 0xFFFFFF};
    for (const auto& [width, height] : {std::pair(400, 250), {400, 120}, {120, 400}, {300, 300}})
      for (bool perspective : {true, false}) {
        o.width = width, o.height = height;
        o.perspective = perspective;
        const auto p = drawn(BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(300, -80, 20), gp_Dir(0, 0, 1)), 60, 40).Shape(), o);
        QCOMPARE(p.rgb.size(), size_t(3 * width * height));
        int left = width, right = -1, top = height, bottom = -1;
        for (int y = 0; y < height; ++y)
          for (int x = 0; x < width; ++x)
            if (p.rgb[size_t(3 * (y * width + x))] < 240) left = std::min(left, x), right = std::max(right, x), top = std::min(top, y), bottom = std::max(bottom, y);
        const double across = double(right - left + 1) / width, up = double(bottom - top + 1) / height;
        QVERIFY2(std::max(across, up) > 0.7 && std::max(across, up) < 0.9, qPrintable(QString("%1 x %2: %3 %4").arg(width).arg(height).arg(across).arg(up)));
        VERIFY_AT_MOST(std::abs(0.5 * (left + right + 1) / width - 0.5), 0.03);
        VERIFY_AT_MOST(std::abs(0.5 * (top + bottom + 1) / height - 0.5), 0.03);
      }
  }

  void picturesToScaleMeasureWhatTheyShow() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Top;
    o.ground = scene::Ground{0xFFFFFF, 0xFFFFFF};
    for (const double mmPerPixel : {0.2, 0.05}) {
      o.toScale = {Vec3(4, 0, 10), mmPerPixel}; // the axis of the cylinder lies 4 mm left of the middle
      const auto p = picture(BRepPrimAPI_MakeCylinder(3, 20).Shape(), o);
      int left = kSize, right = -1;
      for (int x = 0; x < kSize; ++x)
        if (p.rgb[size_t(3 * (kSize / 2 * kSize + x))] < 240) left = std::min(left, x), right = std::max(right, x);
      VERIFY_AT_MOST(std::abs((right - left + 1) * mmPerPixel - 6), 2.5 * mmPerPixel);
      VERIFY_AT_MOST(std::abs((0.5 * (left + right + 1) - kSize / 2) * mmPerPixel + 4), 2 * mmPerPixel);
    }
  }

  void stripesOnACylinderRunAlongIt() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Front;
    o.lens.surface = "stripes";
    scene::StripeLook look;
    look.count = 12;
    look.width = 0.35;
    o.lens.put(look);
    compare(picture(BRepPrimAPI_MakeCylinder(8, 20).Shape(), o), [&](double x, double y) {
      const Vec2 p = onForm(x, y, 10);
      if (std::abs(p.x()) > 7.8 || std::abs(p.y()) > 9.8) return -1.0;
      const Vec3 n(p.x() / 8, 0, std::sqrt(1 - p.x() * p.x() / 64));
      return scene::stripeAt(look, 2 * n.z() * n - Vec3::UnitZ());
    }, "a cylinder");
  }

  void isophotesOnABallAreCirclesAboutTheirDirection() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Front;
    o.lens.surface = "isophotes";
    const scene::IsophoteLook look{Vec3(1, -2, 2).normalized(), 20};
    o.lens.put(look);
    compare(picture(BRepPrimAPI_MakeSphere(10).Shape(), o), [&](double x, double y) {
      const Vec2 p = onForm(x, y, 10) / 10;
      if (p.norm() > 0.97) return -1.0;
      return scene::isophoteAt(look, {p.x(), -std::sqrt(1 - p.squaredNorm()), p.y()});
    }, "a ball");
  }

  void isophotesOnAnUprightCylinderFollowItsSide() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Front;
    o.lens.surface = "isophotes";
    const scene::IsophoteLook look{Vec3::UnitX()};
    o.lens.put(look);
    compare(picture(BRepPrimAPI_MakeCylinder(8, 20).Shape(), o), [&](double x, double y) {
      const Vec2 p = onForm(x, y, 10);
      if (std::abs(p.x()) > 7.8 || std::abs(p.y()) > 9.8) return -1.0;
      return scene::isophoteAt(look, {p.x() / 8, -std::sqrt(1 - p.x() * p.x() / 64), 0});
    }, "an upright cylinder");
  }

  void aColouredLensPaintsTheColoursOfItsLegend() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Front;
    o.lens.surface = "curvature";
    scene::CurvatureLook look;
    look.byItself = false;
    look.low = -0.2;
    look.high = 0.17; // 0.1 lies a little above four fifths
    o.lens.put(look);
    const auto p = picture(BRepPrimAPI_MakeSphere(10).Shape(), o);
    QVERIFY(!p.rgb.empty());
    const unsigned char* q = &p.rgb[size_t(kSize / 2 * kSize + kSize / 2) * 3];
    const auto c = scene::fieldColour((0.1 + 0.2) / 0.37);
    const double light = q[0] / (255 * c[0]); // shaded a little
    QVERIFY(light > 0.8 && light < 1.1);
    for (size_t k = 1; k < 3; ++k) VERIFY_AT_MOST(std::abs(q[k] / (255 * c[k]) / light - 1), 0.06);
  }

  void aCutTakesWhatLiesBeforeItOutOfSight() {
    scene::PictureOptions o;
    o.from = scene::ViewFrom::Front;
    scene::turnOn(o.lens, "cut", true);
    scene::CutLook look;
    look.plane = {Vec3::Zero(), Vec3::UnitX(), Vec3::UnitZ()};
    o.lens.put(look);
    const auto whole = picture(BRepPrimAPI_MakeSphere(10).Shape(), {});
    const auto cut = picture(BRepPrimAPI_MakeSphere(10).Shape(), o);
    const size_t middle = size_t(kSize / 2 * kSize + kSize / 2 + 40) * 3;
    // The filled section is of one colour; the ball's own shade changes over the same places.
    for (int k = 0; k < 3; ++k)
      VERIFY_AT_MOST(std::abs(int(cut.rgb[middle + size_t(k)]) - int(cut.rgb[middle + 60 * 3 + size_t(k)])), 1);
    QVERIFY(whole.rgb[middle] != cut.rgb[middle]);
  }
};
static test::Register<PictureTest> registeredPictureTest;
#include "picture_test.moc"
