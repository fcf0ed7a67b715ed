#include "steps/curves.h"

namespace lumsk::steps {

using namespace recipe;

Vec3 placeOf(const Picked& p) {
  if (const auto* point = std::get_if<PointObject>(&p.object)) return point->at;
  return curveOf(p)->at(0.5 * curveOf(p)->last());
}

std::vector<nurbs::Path> curvesOf(const Inputs& in, const std::string& key) {
  std::vector<nurbs::Path> out;
  for (const Picked& p : in.picked(key)) out.push_back(*curveOf(p));
  return out;
}

Outcome curvesOutcome(std::vector<nurbs::Path> curves, std::string summary) {
  Outcome out;
  for (nurbs::Path& c : curves) {
    const std::string name = out.outputs.empty() ? "" : std::to_string(out.outputs.size() + 1);
    out.outputs.push_back({name, std::make_shared<const nurbs::Path>(std::move(c)), ""});
  }
  out.summary = std::move(summary);
  return out;
}

std::string curveSummary(const nurbs::Path& p) {
  const nurbs::PathFigures f = nurbs::figuresOf(p);
  return format(millimetres(f.lengthMm)) + " - degree " + std::to_string(f.degree) + " - " +
         std::to_string(f.controlPoints) + " points";
}

Field hideField(const std::string& what) {
  return toggle("hide", "Hide " + what, "Takes them out of sight; they stay what this is made from and can be edited.",
                true);
}

void hidePicked(const Inputs& in, const std::string& key, Outcome& out) {
  if (!in.on("hide")) return;
  for (const Picked& p : in.picked(key))
    if (p.kind == Kind::Curve) out.usedUp.push_back(p.objectId());
}

void noteDeviation(Outcome& out, double mm, const Vec3& at, const Tolerances& tol) {
  if (mm <= tol.fit.mm) return;
  out.notes.push_back(problem("LM-P101", "the new curve is off the old one").measure(millimetres(mm)).at(at));
}

bool nearerEnd(const nurbs::Path& p, const Vec3& to) { return (p.end() - to).norm() < (p.start() - to).norm(); }

} // namespace lumsk::steps
