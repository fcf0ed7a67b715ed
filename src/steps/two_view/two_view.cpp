#include "nurbs/two_view.h"

#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

constexpr double kOnPlaneTolerances = 10; ///< point tolerances within which a curve lies in a plane

Schema schema() {
  return {
      picks("drawings", "Drawings",
            "Planar curves of two views, in any order: what is seen from one side, and what from the other.",
            Kind::Curve | Kind::Edge)
          .atLeast(2),
      toggle("corners", "Corner lines",
             "Adds the straight lines that corners of one outline draw through the other: with closed outlines, all "
             "sharp edges of the body that both give.",
             false),
      hideField("drawings")};
}

bool liesIn(const nurbs::Path& p, const Frame& plane, const Tolerances& tol) {
  const Points pts = nurbs::polyline(p, 16);
  return ((pts.rowwise() - plane.origin.transpose()) * plane.normal()).cwiseAbs().maxCoeff() <=
         kOnPlaneTolerances * tol.point.mm;
}

/// The picked curves by the planes they lie in; straight ones join a plane that holds them, or are a view of their own.
Expected<std::vector<nurbs::View>> viewsOf(const Inputs& in, const Context& cx) {
  std::vector<nurbs::View> views;
  std::vector<nurbs::Path> straight;
  for (const nurbs::Path& p : curvesOf(in, "drawings")) {
    const auto plane = nurbs::fitPlane(nurbs::polyline(p, 16));
    if (!plane.unique) {
      straight.push_back(p);
      continue;
    }
    LUMSK_TRY(frame, nurbs::planeOfView({p}, nullptr, cx.tolerances));
    const auto holds =
        std::find_if(views.begin(), views.end(), [&](const auto& v) { return liesIn(p, v.plane, cx.tolerances); });
    if (holds != views.end())
      holds->curves.push_back(p);
    else
      views.push_back({{p}, frame});
  }
  std::vector<nurbs::Path> lone;
  for (const nurbs::Path& p : straight) {
    const auto holds =
        std::find_if(views.begin(), views.end(), [&](const auto& v) { return liesIn(p, v.plane, cx.tolerances); });
    if (holds != views.end() && views.size() > 1)
      holds->curves.push_back(p);
    else
      lone.push_back(p);
  }
  if (!lone.empty()) {
    LUMSK_TRY(frame, nurbs::planeOfView(lone, views.empty() ? nullptr : &views.front().plane, cx.tolerances));
    views.push_back({lone, frame});
  }
  if (views.size() != 2) {
    Problem p = problem("LM-P005", views.size() < 2 ? "all these curves lie in one plane"
                                                    : "these curves lie in more than two planes")
                    .measure(count(double(views.size())))
                    .want(count(2))
                    .tryThis("pick the curves of two planes");
    for (const auto& v : views) p.at(v.curves.front().start());
    return fail(std::move(p));
  }
  return views;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  auto views = viewsOf(in, cx);
  if (!views) return fail(views.error().inField("drawings"));
  nurbs::TwoViewOptions o;
  o.cornerLines = in.on("corners");
  auto made = nurbs::twoViewCurve((*views)[0], (*views)[1], o, cx);
  if (!made) return fail(made.error().inField("drawings"));
  const size_t n = made->branches.size();
  Outcome out = curvesOutcome(std::move(made->branches), "");
  out.summary = (n == 1 ? "one curve" : std::to_string(n) + " curves") + " - views at " +
                format(degrees(made->angleDeg), 3) + " - within " + format(millimetres(made->deviationMm), 1);
  if (!made->touches.empty()) {
    Problem note =
        problem("LM-P102", "the views also touch in single points").measure(count(double(made->touches.size())));
    note.where = made->touches;
    out.notes.push_back(std::move(note));
  }
  hidePicked(in, "drawings", out);
  return out;
}

} // namespace

Step two_view() { return {"two_view", 1, "Two-view curve", Stage::Curves, schema, compute}; }

} // namespace lumsk::steps
