#include "support/recipes.h"

#include <cstdio> // before the next, which needs it
#include <jpeglib.h>
#include <png.h>
#include <sys/resource.h>

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

/// Left half red, right half blue, as rows of three bytes a pixel.
std::vector<unsigned char> halves(int w, int h) {
  std::vector<unsigned char> out(size_t(w) * size_t(h) * 3);
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) out[(size_t(y) * size_t(w) + size_t(x)) * 3 + (x < w / 2 ? 0 : 2)] = 255;
  return out;
}

std::string png(int w, int h, bool interlaced) {
  std::string out;
  png_structp p = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
  png_infop info = png_create_info_struct(p);
  png_set_write_fn(p, &out, [](png_structp q, png_bytep d, size_t n) { static_cast<std::string*>(png_get_io_ptr(q))->append(reinterpret_cast<char*>(d), n); }, nullptr);
  png_set_IHDR(p, info, png_uint_32(w), png_uint_32(h), 8, PNG_COLOR_TYPE_RGB, interlaced ? PNG_INTERLACE_ADAM7 : PNG_INTERLACE_NONE, PNG_COMPRESSION_TYPE_DEFAULT, PNG_FILTER_TYPE_DEFAULT);
  std::vector<unsigned char> pixels = halves(w, h);
  std::vector<png_bytep> rows;
  for (int y = 0; y < h; ++y) rows.push_back(&pixels[size_t(y) * size_t(w) * 3]);
  png_set_rows(p, info, rows.data());
  png_write_png(p, info, PNG_TRANSFORM_IDENTITY, nullptr);
  png_destroy_write_struct(&p, &info);
  return out;
}

std::string jpeg(int w, int h, bool progressive) {
  jpeg_compress_struct j;
  jpeg_error_mgr errors;
  j.err = jpeg_std_error(&errors);
  jpeg_create_compress(&j);
  unsigned char* bytes = nullptr;
  unsigned long size = 0;
  jpeg_mem_dest(&j, &bytes, &size);
  j.image_width = JDIMENSION(w), j.image_height = JDIMENSION(h), j.input_components = 3, j.in_color_space = JCS_RGB;
  jpeg_set_defaults(&j);
  if (progressive) jpeg_simple_progression(&j);
  jpeg_start_compress(&j, TRUE);
  std::vector<unsigned char> pixels = halves(w, h);
  while (j.next_scanline < j.image_height) {
    unsigned char* row = &pixels[size_t(j.next_scanline) * size_t(w) * 3];
    jpeg_write_scanlines(&j, &row, 1);
  }
  jpeg_finish_compress(&j);
  jpeg_destroy_compress(&j);
  const std::string out(reinterpret_cast<char*>(bytes), size);
  std::free(bytes);
  return out;
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
    for (const auto& [name, bytes] : {std::pair{"a.png", png(9001, 1200, false)}, {"b.png", png(3000, 400, true)}, {"a.jpg", jpeg(9000, 1200, false)}, {"b.jpg", jpeg(3000, 400, true)}}) {
      const auto large = recipe::readImage(bytes, name);
      VERIFY_OK(large);
      QVERIFY2(large->width <= 2048 && large->width > 1024, name);
      VERIFY_AT_MOST(std::abs(double(large->width) / large->height - 7.5), 0.06);
      const unsigned char* left = &large->rgba[0];
      const unsigned char* right = &large->rgba[large->rgba.size() - 4];
      QVERIFY2(left[0] > 250 && left[2] < 5 && left[3] == 255 && right[2] > 250 && right[0] < 5, name);
    }
  }

  void cutOffPicturesAreRefusedWhereverTheyEnd() {
    for (const auto& [name, bytes] : {std::pair{"a.png", png(200, 100, false)}, {"b.png", png(200, 100, true)}, {"a.jpg", jpeg(200, 100, false)}, {"b.jpg", jpeg(200, 100, true)}, {"a.bmp", bitmap()}})
      for (size_t part = 1; part < 20; ++part) {
        const auto read = recipe::readImage(bytes.substr(0, bytes.size() * part / 20), name);
        QVERIFY2(!read && read.error().code == "LM-I010", name);
      }
  }

  void sizesAreLookedAtBeforeThereIsMemoryForThem() {
    std::string tga(18, '\0');
    tga[2] = 2, tga[12] = char(0xb0), tga[13] = 0x36, tga[14] = char(0xb0), tga[15] = 0x36, tga[16] = 24; // 14000 x 14000
    std::string bmp = bitmap();
    bmp[20] = 1, bmp[24] = 1; // 65576 x 65556
    rusage before{}, after{};
    getrusage(RUSAGE_SELF, &before);
    for (const std::string& bytes : {tga, bmp}) {
      const auto read = recipe::readImage(bytes, "large");
      QVERIFY(!read && read.error().code == "LM-I011");
    }
    getrusage(RUSAGE_SELF, &after);
    VERIFY_AT_MOST(double(after.ru_maxrss - before.ru_maxrss), 20000.0); // kB
  }
};

static test::Register<PictureStepTest> registeredPictureStepTest;
#include "picture_test.moc"
