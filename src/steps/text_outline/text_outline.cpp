#include "drawing/glyphs.h"
#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace text_outline_ {

Schema schema() {
  return {onPlaneField(),
          text("text", "Text", "Letters and signs of one line.", "Lumsk"),
          length("height", "Height", "Of a capital letter.", "20").within(0.01, 1e5).withHandle(Handle::Distance),
          file("font", "Font", "An OpenType or TrueType font; without one, Lumsk's own.", "Fonts (*.otf *.ttf)"),
          length("spacing", "Spacing", "Added between letters.", "0"),
          choice("align", "Align", "Where the plane's origin is in the line.",
                 {{"left", "left"}, {"middle", "middle"}, {"right", "right"}}),
          length("x", "x", "Along the plane's first direction.", "0"),
          length("y", "y", "Along its second direction.", "0")};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  drawing::TextOptions o;
  o.capitalHeightMm = in.number("height");
  o.spacingMm = in.number("spacing");
  const std::string align = in.text("align");
  o.align = align == "middle" ? 0.5 : align == "right" ? 1.0 : 0.0;
  const std::string* font = in.file("font");
  auto made = drawing::textOutlines(in.text("text"), font ? *font : drawing::ownFont(), o, cx.tolerances);
  if (!made) return fail(made.error().inField(font && made.error().code == "LM-P057" ? "font" : "text"));
  Frame f = in.plane("plane", topPlane());
  f.origin = f.at(in.number("x"), in.number("y"));
  std::vector<nurbs::Path> loops;
  for (const nurbs::Path& p : made->loops) loops.push_back(nurbs::transformed(p, onto(f)));
  const size_t n = loops.size();
  Outcome out = curvesOutcome(std::move(loops),
                              std::to_string(n) + " outlines - " + format(millimetres(made->widthMm)) + " wide");
  out.marks.add(HandlePlace{"height", f.origin, f.y, 1.0});
  if (!made->missing.empty())
    out.notes.push_back(problem("LM-P113", "the font has no sign for '" + made->missing + "'")
                            .at(f.origin)
                            .inField("text")
                            .tryThis("choose another font"));
  return out;
}

} // namespace text_outline_

Step text_outline() { return Step{"text_outline", 1, "Text", Stage::Curves, text_outline_::schema, text_outline_::compute}.under("draw"); }

} // namespace lumsk::steps
