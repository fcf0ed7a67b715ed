#include "nurbs/measure/arc_length.h"
#include "steps/skin_curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace iso_curve_ {

Schema schema() {
  return {picks("face", "Face", "The face whose rows the curves follow.", Kind::Face | Kind::Skin).atMost(1),
          picks("through", "Through", "Points near which the curves run.", Kind::Point).optional(),
          choice("along", "Along", "Which of the face's two directions.",
                 {{"u", "first"}, {"v", "second"}, {"both", "both"}}),
          table("at", "At", "Or places across the face, as fractions of its parameter.",
                {ratioField("fraction", "Fraction", "Of the parameter across the curve.", "0.5").within(0, 1)})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(faces, facesOf(in, "face", cx));
  const auto& f = faces.front();
  std::vector<Vec3> places;
  for (const Picked& p : in.picked("through")) places.push_back(std::get<PointObject>(p.object).at);
  brep::FoundCurves found;
  const std::string along = in.text("along");
  for (bool u : {true, false}) {
    if (along == (u ? "v" : "u")) continue;
    for (const Vec3& p : places) {
      LUMSK_TRY(made, f.isoparametric(p, u, cx));
      addFound(std::move(made), found);
    }
    for (double x : in.column("at", "fraction")) {
      LUMSK_TRY(made, f.isoparametricAt(x, u, cx));
      addFound(std::move(made), found);
    }
  }
  if (places.empty() && in.column("at", "fraction").empty())
    return fail(problem("LM-P033", "say where the curves run")
                    .inField("through")
                    .tryThis("pick a point near the face, or add a fraction"));
  return foundOutcome(std::move(found), "face", "the face has no such curve", cx);
}

} // namespace iso_curve_

Step iso_curve() { return Step{"iso_curve", 1, "Isoparametric", Stage::Curves, iso_curve_::schema, iso_curve_::compute}.under("from others"); }

} // namespace lumsk::steps
