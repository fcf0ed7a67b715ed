#include "steps/common.h"

#include <cmath>

namespace lumsk::steps {

using namespace recipe;

namespace picture_ {

Schema schema() {
  return {
      file("file", "File", "A picture; it travels inside the project.", "Pictures (*.png *.jpg *.jpeg *.bmp *.gif)"),
      picks("plane", "On plane", "The plane it stands on; without one, the front plane.", Kind::Plane)
          .optional()
          .atMost(1),
      choice("size", "Size", "By the picture's width, or by two points of it whose distance is known.",
             {{"width", "by its width"}, {"points", "by two points"}}),
      length("width", "Width", "Of the whole picture.", "200").within(0.1, 1e5).when("size", {"width"}),
      points("marks", "Two points", "Click two points of the picture; they stay on it.").when("size", {"points"}),
      length("distance", "Distance", "Between the two points, in truth.", "100")
          .within(0.01, 1e5)
          .when("size", {"points"}),
      length("across", "Across", "Moves the picture along its plane.", "0").withHandle(Handle::Distance),
      length("up", "Up", "Moves the picture along its plane.", "0").withHandle(Handle::Distance),
      angle("turn", "Turn", "About its middle.", "0").within(-360, 360),
      ratioField("strength", "Strength", "How clearly it shows, from nothing to plain.", "0.5").within(0.05, 1)};
}

/// Where marks were clicked is kept in parts of the picture's width, so that they stay on it when its size changes.
constexpr double kUnscaledMm = 200; ///< width until two points and a distance are there

Expected<double> widthOf(const Inputs& in, Outcome& out) {
  if (in.text("size") == "width") return in.number("width");
  const Points& marks = in.points("marks");
  if (marks.rows() < 2) {
    out.notes.push_back(problem("LM-I012", "the picture has no size yet")
                            .tryThis("click two points of it and give their distance")
                            .inField("marks"));
    return kUnscaledMm;
  }
  if (marks.rows() > 2)
    return fail(problem("LM-I013", "only two points give the size").tryThis("remove the others").inField("marks"));
  const double parts = (marks.row(1) - marks.row(0)).norm();
  if (parts < 1e-4)
    return fail(problem("LM-I014", "the two points lie on one another").tryThis("move them apart").inField("marks"));
  return in.number("distance") / parts;
}

Expected<Outcome> compute(const Inputs& in, const Context&) {
  const std::string* bytes = in.file("file");
  if (!bytes) return fail(problem("LM-I004", "choose a picture").inField("file"));
  auto image = readImage(*bytes, in.fileName("file"));
  if (!image) return fail(image.error().inField("file"));
  Outcome out;
  LUMSK_TRY(width, widthOf(in, out));
  const double height = width * image->height / image->width;
  const Frame plane = in.plane("plane", worldPlanes()[1].second);
  const double a = in.number("turn") * kPi / 180;
  const Frame frame{plane.at(in.number("across"), in.number("up")), std::cos(a) * plane.x + std::sin(a) * plane.y,
                    std::cos(a) * plane.y - std::sin(a) * plane.x};
  out.marks.add(PointsPlace{"marks", frame, width});
  out.marks.add(HandlePlace{"across", plane.at(0, in.number("up")), plane.x, 1.0});
  out.marks.add(HandlePlace{"up", plane.at(in.number("across"), 0), plane.y, 1.0});
  out.summary = format(millimetres(width)) + " x " + format(millimetres(height));
  out.outputs.push_back({"", PictureObject{frame, width, height, in.number("strength"),
                                           std::make_shared<const Image>(std::move(*image))}});
  return out;
}

} // namespace picture_

Step picture() { return Step{"picture", 1, "Backdrop picture", Stage::Curves, picture_::schema, picture_::compute}.under("bring in"); }

} // namespace lumsk::steps
