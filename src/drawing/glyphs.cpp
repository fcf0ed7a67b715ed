#include "drawing/glyphs.h"

#include <ft2build.h>
#include FT_FREETYPE_H
#include FT_OUTLINE_H

#include <memory>

namespace lumsk::drawing {

namespace {

using nurbs::LineSegment;
using nurbs::Segment;

constexpr size_t kMostSigns = 500;

/// One contour after another, as the library walks them.
struct Walk {
  double scale = 1.0, x = 0.0;
  Vec3 at = Vec3::Zero(), first = Vec3::Zero();
  std::vector<Segment> segments;
  std::vector<std::vector<Segment>> contours;

  Vec3 place(const FT_Vector* v) const { return {x + scale * double(v->x), scale * double(v->y), 0}; }
  void close() {
    if ((at - first).norm() > 1e-9 && !segments.empty()) segments.push_back(LineSegment{at, first});
    if (!segments.empty()) contours.push_back(std::move(segments));
    segments.clear();
  }
  void curve(const std::vector<Vec3>& points) {
    Points p(Eigen::Index(points.size()), 3);
    for (size_t i = 0; i < points.size(); ++i) p.row(Eigen::Index(i)) = points[i].transpose();
    const int degree = int(points.size()) - 1;
    segments.push_back(nurbs::Spline::trusted(degree, nurbs::uniformKnots(degree, 1), std::move(p)));
    at = points.back();
  }
};

const FT_Outline_Funcs kWalk = {[](const FT_Vector* to, void* w) {
                                  auto& walk = *static_cast<Walk*>(w);
                                  walk.close();
                                  walk.at = walk.first = walk.place(to);
                                  return 0;
                                },
                                [](const FT_Vector* to, void* w) {
                                  auto& walk = *static_cast<Walk*>(w);
                                  const Vec3 p = walk.place(to);
                                  if ((p - walk.at).norm() > 1e-9) walk.segments.push_back(LineSegment{walk.at, p});
                                  walk.at = p;
                                  return 0;
                                },
                                [](const FT_Vector* c, const FT_Vector* to, void* w) {
                                  auto& walk = *static_cast<Walk*>(w);
                                  walk.curve({walk.at, walk.place(c), walk.place(to)});
                                  return 0;
                                },
                                [](const FT_Vector* c, const FT_Vector* d, const FT_Vector* to, void* w) {
                                  auto& walk = *static_cast<Walk*>(w);
                                  walk.curve({walk.at, walk.place(c), walk.place(d), walk.place(to)});
                                  return 0;
                                },
                                0,
                                0};

struct Library {
  FT_Library handle = nullptr;
  FT_Face face = nullptr;
  ~Library() {
    if (face) FT_Done_Face(face);
    if (handle) FT_Done_FreeType(handle);
  }
};

/// Signs of UTF-8; what is no sign is taken as a question mark.
std::vector<unsigned long> signsOf(const std::string& s) {
  std::vector<unsigned long> out;
  for (size_t i = 0; i < s.size();) {
    const unsigned char c = static_cast<unsigned char>(s[i]);
    const int more = c < 0x80 ? 0 : c >> 5 == 6 ? 1 : c >> 4 == 14 ? 2 : c >> 3 == 30 ? 3 : -1;
    unsigned long v = more <= 0 ? c : c & (0x3f >> more);
    bool good = more >= 0 && i + size_t(more) < s.size();
    for (int k = 1; good && k <= more; ++k) {
      const unsigned char d = static_cast<unsigned char>(s[i + size_t(k)]);
      good = d >> 6 == 2;
      v = v << 6 | (d & 0x3f);
    }
    out.push_back(good ? v : '?');
    i += good ? size_t(more) + 1 : 1;
  }
  return out;
}

double capitalHeight(FT_Face face) {
  if (const FT_UInt h = FT_Get_Char_Index(face, 'H'); h && !FT_Load_Glyph(face, h, FT_LOAD_NO_SCALE))
    if (const double y = double(face->glyph->metrics.height); y > 0) return y;
  return 0.7 * double(face->units_per_EM);
}

} // namespace

Expected<TextOutlines> textOutlines(const std::string& text, const std::string& font, const TextOptions& o,
                                    const Tolerances& tol) {
  Library library;
  if (FT_Init_FreeType(&library.handle) ||
      FT_New_Memory_Face(library.handle, reinterpret_cast<const FT_Byte*>(font.data()), FT_Long(font.size()), 0,
                         &library.face) ||
      !FT_IS_SCALABLE(library.face))
    return fail(problem("LM-P057", "this font cannot be read").tryThis("choose an OpenType or TrueType font"));
  const auto signs = signsOf(text);
  if (signs.size() > kMostSigns)
    return fail(problem("LM-P058", "this text is too long for outlines")
                    .measure(count(double(signs.size())))
                    .want(count(double(kMostSigns))));
  FT_Face face = library.face;
  Walk walk;
  walk.scale = o.capitalHeightMm / capitalHeight(face);
  TextOutlines out;
  FT_UInt before = 0;
  for (unsigned long sign : signs) {
    const FT_UInt glyph = FT_Get_Char_Index(face, sign);
    if (!glyph && sign > ' ') out.missing += sign < 0x80 ? std::string(1, char(sign)) : "?";
    if (FT_Load_Glyph(face, glyph, FT_LOAD_NO_SCALE | FT_LOAD_NO_BITMAP)) continue;
    if (FT_Vector kern; before && !FT_Get_Kerning(face, before, glyph, FT_KERNING_UNSCALED, &kern))
      walk.x += walk.scale * double(kern.x);
    if (glyph && face->glyph->format == FT_GLYPH_FORMAT_OUTLINE)
      FT_Outline_Decompose(&face->glyph->outline, &kWalk, &walk);
    walk.close();
    walk.x += walk.scale * double(face->glyph->metrics.horiAdvance) + o.spacingMm;
    before = glyph;
  }
  out.widthMm = std::max(0.0, walk.x - o.spacingMm);
  Eigen::Isometry3d shift = Eigen::Isometry3d::Identity();
  shift.translation().x() = -o.align * out.widthMm;
  for (auto& contour : walk.contours)
    if (auto p = nurbs::Path::make(std::move(contour), tol.point)) out.loops.push_back(nurbs::transformed(*p, shift));
  if (out.loops.empty())
    return fail(problem("LM-P058", "there is nothing to draw").tryThis("write something that the font has signs for"));
  return out;
}

namespace {
// The font's bytes stand in the program itself.
__asm__(".section .rodata\n"
        ".global lumskOwnFont\n.global lumskOwnFontEnd\n"
        "lumskOwnFont:\n.incbin \"" LUMSK_OWN_FONT "\"\n"
        "lumskOwnFontEnd:\n.byte 0\n.previous\n");
} // namespace

extern "C" const char lumskOwnFont[], lumskOwnFontEnd[];

const std::string& ownFont() {
  static const std::string bytes(lumskOwnFont, lumskOwnFontEnd);
  return bytes;
}

} // namespace lumsk::drawing
