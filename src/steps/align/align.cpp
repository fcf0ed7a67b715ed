#include "nurbs/placing/align.h"

#include "brep/edge_paths.h"
#include "inspect/circle.h"
#include "steps/placing.h"

#include <algorithm>

namespace lumsk::steps {

using namespace recipe;
using nurbs::AlignPair;
using nurbs::Hold;

namespace align_ {

constexpr Kind kHold = kLine | Kind::Point;

Schema schema() {
  return {picks("from", "From", "Of what is to move: a flat or round face, a straight edge, a circle, a point or a plane. It brings its whole body along.", kHold)
              .atLeast(1)
              .atMost(3)
              .othersTo("to"),
          picks("to", "To", "What each of them shall meet, in the same order: flat faces lie on one another, axes become one, points coincide.", kHold)
              .atLeast(1)
              .atMost(3)
              .eachWith({toggle("flip", "Flip", "Lines run the other way, faces look the same way.", false)}),
          length("gap", "Gap", "Kept between flat faces.", "0").withHandle(Handle::Distance),
          picks("what", "Move along", "Bodies, curves and points that move along.", kPlaceable | Kind::Plane).optional(),
          toggle("copy", "Keep original", "Leaves the original where it is.", false)};
}

/// What a pick holds its object by; of whole circles the centre, too, so that rims come to lie in one another.
struct Holds {
  Hold hold;
  std::optional<Vec3> centre;
};

Expected<Holds> holdOf(const Picked& p, const std::string& key, const Tolerances& tol) {
  if (const auto* point = std::get_if<PointObject>(&p.object)) return Holds{{Hold::Kind::Point, point->at, Vec3::Zero()}, {}};
  auto line = lineOf(p, key, tol);
  if (!line) {
    Problem why = line.error();
    why.item = p.item;
    return fail(std::move(why));
  }
  const bool flat = p.kind == Kind::Plane || (p.kind == Kind::Face && brep::planeOf(*p.body, p.index, tol.point));
  Holds out{{flat ? Hold::Kind::Plane : Hold::Kind::Line, line->at, line->direction}, {}};
  if (p.kind == Kind::Edge || p.kind == Kind::Curve)
    if (const auto circle = inspect::circleOf(*curveOf(p), tol)) out.centre = circle->centre;
  return out;
}

/// The whole of which something was picked.
Object ownerOf(const Picked& p) {
  if (p.body) return Object(p.body);
  if (p.master) return Object(p.master);
  return p.object;
}

Expected<std::vector<AlignPair>> pairsOf(const Inputs& in, const Tolerances& tol) {
  const auto &from = in.picked("from"), &to = in.picked("to");
  if (from.size() != to.size())
    return fail(problem("LM-M021", "each of what moves needs one that it shall meet")
                    .measure(count(double(to.size())))
                    .want(count(double(from.size())))
                    .at(middleOf(ownerOf(from.size() > to.size() ? from.back() : to.back())))
                    .inField(from.size() > to.size() ? "to" : "from")
                    .tryThis("pick as many on either side, or take one out"));
  std::vector<AlignPair> out;
  for (size_t i = 0; i < from.size(); ++i) {
    LUMSK_TRY(a, holdOf(from[i], "from", tol));
    LUMSK_TRY(b, holdOf(to[i], "to", tol));
    AlignPair pair{a.hold, b.hold, in.itemOn("to", i, "flip"), 0};
    const bool planes = from[i].kind == Kind::Plane || to[i].kind == Kind::Plane; // these face nowhere
    const bool lines = a.hold.kind == Hold::Kind::Line && b.hold.kind == Hold::Kind::Line;
    if (planes || (lines && a.hold.direction.dot(b.hold.direction) < 0)) pair.flip = !pair.flip;
    if (b.hold.kind == Hold::Kind::Plane || a.hold.kind == Hold::Kind::Plane) pair.gapMm = in.number("gap");
    out.push_back(pair);
    if (a.centre && b.centre) out.push_back({{Hold::Kind::Point, *a.centre, Vec3::Zero()}, {Hold::Kind::Point, *b.centre, Vec3::Zero()}});
  }
  return out;
}

Expected<std::vector<Picked>> movedBy(const Inputs& in) {
  std::vector<Picked> out;
  const auto take = [&](Picked p) {
    p.object = ownerOf(p);
    if (std::none_of(out.begin(), out.end(), [&](const Picked& o) { return o.objectId() == p.objectId(); })) out.push_back(std::move(p));
  };
  for (const Picked& p : in.picked("from")) take(p);
  for (const Picked& p : in.picked("to"))
    if (std::any_of(out.begin(), out.end(), [&](const Picked& o) { return o.objectId() == p.objectId(); })) {
      Problem why = problem("LM-M022", "a body cannot be aligned with itself").at(middleOf(ownerOf(p))).tryThis("pick what it shall meet on another body");
      why.item = p.item;
      return fail(why.inField("to"));
    }
  for (const Picked& p : in.picked("what")) take(p);
  return out;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(what, movedBy(in));
  LUMSK_TRY(pairs, pairsOf(in, cx.tolerances));
  auto made = nurbs::aligned(pairs, sizeOf(what.front().object), cx.tolerances);
  if (!made) return fail(made.error().inField("to"));
  if (made->worst >= 0) {
    const bool turned = made->offDeg[size_t(made->worst)] > cx.tolerances.angle.deg;
    return fail(problem("LM-M023", "not all of them can be met at once")
                    .measure(turned ? degrees(made->offDeg[size_t(made->worst)]) : millimetres(made->offMm[size_t(made->worst)]))
                    .want(turned ? degrees(cx.tolerances.angle.deg) : millimetres(cx.tolerances.point.mm))
                    .at(pairs[size_t(made->worst)].to.at)
                    .inField("to")
                    .tryThis("take the last pair out, or flip one"));
  }
  Outcome out;
  LUMSK_CHECK(putPlaced(out, what, Eigen::Affine3d(made->placing), in.on("copy")));
  for (size_t i = 0; i < pairs.size(); ++i)
    if (pairs[i].to.kind == Hold::Kind::Plane) {
      out.marks.add(HandlePlace{"gap", pairs[i].to.at, pairs[i].to.direction, 1.0});
      break;
    }
  out.summary = std::to_string(in.picked("from").size()) + (in.picked("from").size() == 1 ? " pair" : " pairs") + " - turned by " +
                format(degrees(degFromRad(Eigen::AngleAxisd(made->placing.linear()).angle())), 4);
  return out;
}

} // namespace align_

Step align() { return Step{"align", 1, "Align", Stage::Trim, align_::schema, align_::compute}.under("change"); }

} // namespace lumsk::steps
