#include "nurbs/sweep/sweep.h"

#include "brep/curves_on.h"
#include "brep/names.h"
#include "brep/skin.h"
#include "nurbs/curves/regions.h"
#include "nurbs/measure/wrinkles.h"
#include "steps/curves.h"
#include "steps/directions.h"
#include "steps/graphs.h"
#include "steps/neighbours.h"
#include "steps/section_marks.h"
#include "steps/skin_ends.h"
#include "steps/skins.h"
#include "steps/solids.h"

#include <algorithm>
#include <nlohmann/json.hpp>

namespace lumsk::steps {

using namespace recipe;

namespace sweep_ {

constexpr double kLargestGapMm = 10;
constexpr double kOneStation = 1e-3; ///< of a rail: profiles within it stand in one place
constexpr double kFitsPart = 0.97;   ///< of the largest size that does not fold
constexpr double kSlantedDeg = 3;     ///< from square to the rail: it may be why a skin folds
constexpr int kGraphLooks = 200;

Schema profileFields() {
  return {
      picks("sections", "Profiles",
            "What is carried along the rail: curves, chains and loops of edges, outlines of faces. Several that stand in "
            "one place make a skin each; several along the rail follow one another.",
            Kind::Curve | Kind::Edge | Kind::Face)
          .atLeast(1)
          .prefer(Kind::Curve | Kind::Edge)
          .eachWith({startMark(), flip(), extentField()}),
      picks("rails", "Rails",
            "One to three curves or edges to go along; they need not touch the profile. A closed one on which an open "
            "profile ends counts as both rails, divided half way between its ends, or at two points that are picked, too.",
            Kind::Curve | Kind::Edge | Kind::Point)
          .atLeast(1)
          .prefer(Kind::Curve | Kind::Edge)
          .eachWith({extentField()}),
      choice("many", "Several profiles",
             "As they stand: in one place each makes a skin of its own, along the rail they follow one another.",
             {{"auto", "as they stand"}, {"along", "one after the other"}, {"own", "each by itself"}})
          .seldomSet(),
      toggle("whole", "Beyond the profiles", "The outer ones of profiles that follow one another are carried on to the rail's ends.", false)
          .unless("many", {"own"})
          .seldomSet()};
}

Schema frameFields() {
  return {
      choice("frame", "Turns with",
             "How the profile is turned along one rail: about it no more than it must; not at all; its height upright; its "
             "height square to a skin; its height away from an axis; or its plane from that of one profile to that of the next.",
             {{"least", "least twist"},
              {"parallel", "nothing"},
              {"upright", "a direction"},
              {"skin", "a skin"},
              {"axis", "an axis"},
              {"planes", "the profiles' planes"}}),
      picks("up", "Direction", "A plane whose normal, or a straight line whose direction is kept; without one, up.",
            kLine)
          .optional()
          .atMost(1)
          .when("frame", {"upright"}),
      angle("lean", "Lean", "How far the height leans from the direction, all along the rail: a draft.", "0")
          .within(-80, 80)
          .when("frame", {"upright"}),
      picks("skin", "Skin", "The skin or face that the rail lies on.", Kind::Skin | Kind::Solid | Kind::Face)
          .atMost(1)
          .when("frame", {"skin"}),
      picks("axis", "Axis", "A straight line, or a plane on whose normal the axis stands; without one, the upright axis.",
            kLine)
          .optional()
          .atMost(1)
          .when("frame", {"axis"})};
}

Schema sizeFields() {
  return {
      angle("twist", "Twist", "About one rail, from its start to its end; any number of turns.", "0").within(-1e6, 1e6),
      graph("twistAlong", "Twist along", "Degrees besides, by the fraction of the rail's length.", Dimension::Angle)
          .seldomSet(),
      ratioField("size", "Size", "Of the whole profile, about one rail.", "1").within(0.001, 1000).seldomSet(),
      ratioField("endSize", "Size at the end", "Beside that at the start, along one rail.", "1").within(0.001, 1000),
      angle("taper", "Taper", "The profile grows by this angle to the rail.", "0").within(-80, 80).seldomSet(),
      graph("sizeAlong", "Size along", "Factors of the size by the fraction of the rail's length.", Dimension::Ratio)
          .seldomSet(),
      choice("widths", "Between two rails", "The profile grows with their distance all over, or in width only.",
             {{"even", "all over"}, {"width", "in width only"}})
          .seldomSet()};
}

Schema placeFields() {
  return {
      choice("place", "Profile",
             "Where it stands: as it was drawn, going both ways where the rail does; or brought onto the rail's start by its "
             "middle, or by its place nearest to the rail.",
             {{"drawn", "as drawn"}, {"middle", "by its middle"}, {"nearest", "by its nearest place"}})
          .seldomSet(),
      toggle("square", "Square", "Turned square to the rail as it is brought there.", true)
          .unless("place", {"drawn"})
          .seldomSet(),
      choice("corners", "Corners",
             "Of the rail: both sides end in the plane between them; rounded; or each stretch ends square.",
             {{"mitre", "mitre"}, {"round", "round"}, {"split", "split"}}),
      length("radius", "Radius", "Of the rounded corners.", "5").within(0.001, 1e5).when("corners", {"round"}),
      choice("faces", "Faces",
             "One from corner to corner; one a piece of the profile, all along the rail; or one a piece of both.",
             {{"all", "all in one"}, {"along", "merged along"}, {"pieces", "one a piece"}})
          .seldomSet(),
      length("gap", "Largest gap", "Profiles that miss a rail by at most this are pulled onto it.", "0.01")
          .within(0, kLargestGapMm)
          .seldomSet()};
}

Schema endFields() {
  Schema s;
  const std::vector<std::string> ends{"free", "g1", "g2", "g3"};
  const std::string pull = "How far from there the skin comes back to where the profile is carried: 1 is twice the profile's "
                           "size, or half of the way.";
  addSkinEnd(s, "start", "Start", "the rail's start: free, or flowing into the neighbouring skin.", ends, "the profile.", pull);
  addSkinEnd(s, "end", "End", "the rail's end: free, or flowing into the neighbouring skin.", ends, "the profile.", pull);
  for (Field& f : s) f.seldom = true;
  const auto side = [](const std::string& which) {
    return "the rail, or the line, where open profiles " + which +
           ": free; square to the mirror plane it lies in; leaning outwards; flowing into the neighbouring skin; G3 "
           "without one: at a mirror plane. The profiles have to do so themselves.";
  };
  const std::vector<std::string> sides{"free", "perpendicular", "angle", "g1", "g2", "g3"};
  addSkinEnd(s, "left", "Side at starts", side("start"), sides, "the side.");
  addSkinEnd(s, "right", "Side at ends", side("end"), sides, "the side.");
  return s;
}

Schema schema() {
  Schema s;
  for (const Schema& part : {profileFields(), frameFields(), sizeFields(), placeFields(), endFields()})
    s.insert(s.end(), part.begin(), part.end());
  s.push_back(countField("degree", "Degree along", "Between several profiles; lowered when there are too few.", "3")
                  .within(1, 7)
                  .seldomSet());
  s.push_back(table("pairs", "Pairs",
                    "Places of profiles that belong together: click a profile while this has the focus, then drag the "
                    "squares of the new pair along the others.",
                    {ratioField("at", "At", "Fraction of that profile's length.", "0.5").within(0, 1)})
                  .seldomSet());
  s.push_back(mirrorPlaneField());
  addSolid(s, "Covers the ends of closed profiles, which makes solids; profiles within others are openings.");
  return s;
}

/// What goes along what.
struct Along {
  std::vector<PickedSection> picked; ///< profiles, in order
  std::vector<nurbs::Section> profiles;
  std::vector<nurbs::Path> rails;
  std::vector<PickedSection> railPicks; ///< one a rail; of a closed one that counts as two, twice
  std::vector<std::vector<nurbs::Station>> stations;
  std::vector<int> order; ///< empty: as they were given
  bool each = false;      ///< every profile by itself
  /// From the rail, where they stand.
  double reachMm() const {
    double most = 0;
    for (size_t i = 0; i < profiles.size(); ++i) most = std::max(most, nurbs::reachMm(profiles[i], stations[i][0]));
    return most;
  }
};

Expected<void> findRails(Along& a, const Inputs& in, const Tolerances& tol) {
  LUMSK_TRY(all, sectionsIn(in, "rails", tol, "rail"));
  std::vector<Vec3> divided;
  for (const PickedSection& r : all) {
    if (r.point) {
      divided.push_back(*r.point);
    } else {
      a.rails.push_back(*r.curve);
      a.railPicks.push_back(r);
    }
  }
  if (a.rails.empty())
    return fail(problem("LM-Y001", "a curve or edge to go along").inField("rails").isMissing());
  if (a.rails.size() > 3)
    return fail(problem("LM-Y001", "a sweep has one to three rails")
                    .measure(count(int(a.rails.size())))
                    .at(a.rails.back().start())
                    .inField("rails")
                    .tryThis("let edges of one rail count as chain or go on, or make it a network"));
  if (a.rails.size() != 1 || !a.rails[0].closed()) return {};
  const double near = std::max(in.number("gap"), tol.point.mm);
  if (auto both = nurbs::bothSides(a.rails[0], a.profiles, divided, {near}, tol.point)) {
    a.rails.assign(both->begin(), both->end());
    a.railPicks.push_back(a.railPicks.front());
  }
  return {};
}

Expected<Along> taken(const Inputs& in, const Tolerances& tol) {
  Along a;
  LUMSK_TRY(picked, sectionsIn(in, "sections", tol, "profile"));
  a.picked = std::move(picked);
  a.profiles = sectionsOf(in, "sections", a.picked);
  LUMSK_CHECK(findRails(a, in, tol));
  if (in.text("place") != "drawn") {
    const auto by = in.text("place") == "middle" ? nurbs::BroughtBy::Middle : nurbs::BroughtBy::Nearest;
    LUMSK_TRY(brought, nurbs::broughtToStart(a.profiles, a.rails[0], by, in.on("square"), tol));
    a.profiles = std::move(brought);
  }
  for (const auto& p : a.profiles) {
    a.stations.emplace_back();
    for (const auto& r : a.rails) a.stations.back().push_back(nurbs::stationOf(p, r, tol.point));
  }
  const std::string many = in.text("many");
  if (a.profiles.size() > 1 && many != "along") {
    size_t together = 0, pairs = 0;
    for (size_t i = 0; i < a.profiles.size(); ++i)
      for (size_t j = i + 1; j < a.profiles.size(); ++j, ++pairs) {
        double d = std::abs(a.stations[i][0].fraction - a.stations[j][0].fraction);
        if (a.rails[0].closed()) d = std::min(d, 1 - d);
        together += d < kOneStation ? 1 : 0;
      }
    a.each = many == "own" || together == pairs;
    if (!a.each && together > 0)
      return fail(problem("LM-Y002", "some profiles stand in one place of the rail, others further along it")
                      .at(a.stations.front()[0].onRail)
                      .inField("many")
                      .tryThis("say whether they follow one another, or make a step for each place")
                      .offer({"sweep each by itself", "many", "own"}));
  }
  if (!a.each && a.profiles.size() > 1) {
    const auto order = nurbs::orderAlongRail(a.profiles, a.rails[0], tol.point);
    if (!std::is_sorted(order.begin(), order.end())) {
      Along sorted = a;
      for (size_t i = 0; i < order.size(); ++i) {
        sorted.picked[i] = a.picked[size_t(order[i])];
        sorted.profiles[i] = a.profiles[size_t(order[i])];
        sorted.stations[i] = a.stations[size_t(order[i])];
      }
      a = std::move(sorted);
      a.order = order;
    }
  }
  return a;
}

Expected<void> frameOf(nurbs::RailFrameOptions& f, const Inputs& in, const std::vector<brep::BodyFaces>& skins,
                       const Tolerances& tol) {
  using nurbs::RailFrame;
  const std::string kind = in.text("frame");
  if (kind == "parallel") f.kind = RailFrame::Parallel;
  if (kind == "upright") {
    f.kind = RailFrame::Upright;
    LUMSK_TRY(line, lineOf(in, "up", tol));
    f.up = line.direction;
    f.leanDeg = in.number("lean");
  }
  if (kind == "skin") {
    f.kind = RailFrame::OnSkin;
    const brep::BodyFaces* skin = &skins.front();
    f.skin = [skin](const Vec3& p) -> std::optional<nurbs::NeighbourPlace> {
      const auto at = skin->nearest(p);
      if (!at) return {};
      nurbs::NeighbourPlace place;
      place.normal = at->normal;
      return place;
    };
  }
  if (kind == "axis") {
    f.kind = RailFrame::AboutAxis;
    LUMSK_TRY(line, lineOf(in, "axis", tol));
    f.axisAt = line.at;
    f.axis = line.direction;
  }
  return {};
}

/// Where there are several rails they say how the profile turns and how large it is.
Expected<void> onlyOfOneRail(const Inputs& in, const Vec3& place) {
  const auto refused = [&](const std::string& key, const std::string& what, const std::string& none) {
    Problem p = problem("LM-Y010", what + " follows from the rails where there are several");
    p.at(place).inField(key).tryThis("take it away, or go along one rail");
    if (!none.empty()) p.offer({"let the rails say it", key, none});
    return fail(std::move(p));
  };
  if (in.number("twist") != 0) return refused("twist", "the turn", "0");
  if (!in.graph("twistAlong").empty()) return refused("twistAlong", "the turn", "");
  for (const char* key : {"size", "endSize"})
    if (in.number(key) != 1) return refused(key, "the size", "1");
  if (in.number("taper") != 0) return refused("taper", "the size", "0");
  if (!in.graph("sizeAlong").empty()) return refused("sizeAlong", "the size", "");
  return {};
}

Expected<nurbs::SweepOptions> optionsOf(const Inputs& in, const Along& a, const std::vector<NamedPair>& pairs,
                                        const std::vector<brep::BodyFaces>& skins, const Context& cx) {
  nurbs::SweepOptions o;
  LUMSK_CHECK(frameOf(o.frame, in, skins, cx.tolerances));
  const double twist = in.number("twist"), end = in.number("endSize"), taper = in.number("taper");
  LUMSK_TRY(twistAlong, graphOf(in, "twistAlong"));
  LUMSK_TRY(sizeAlong, graphOf(in, "sizeAlong"));
  o.size = in.number("size");
  if (a.rails.size() > 1) LUMSK_CHECK(onlyOfOneRail(in, a.rails[1].start()));
  if (twist != 0 || twistAlong) {
    o.frame.turnDeg = [twist, twistAlong](double f) { return twist * f + (twistAlong ? twistAlong(f) : 0.0); };
    double low = 0, high = 0;
    for (int i = 0; i <= kGraphLooks; ++i) {
      const double t = o.frame.turnDeg(double(i) / kGraphLooks);
      low = std::min(low, t), high = std::max(high, t);
    }
    o.frame.turns = (high - low) / 360;
  }
  if (end != 1 || taper != 0 || sizeAlong) {
    const double length = nurbs::ArcLength(a.rails[0]).total(), reach = std::max(a.reachMm(), cx.tolerances.point.mm);
    const double grows = std::tan(radFromDeg(taper)) * length / reach;
    o.frame.size = [end, grows, sizeAlong](double f) {
      return (1 + (end - 1) * f) * (1 + grows * f) * (sizeAlong ? sizeAlong(f) : 1.0);
    };
  }
  const std::string corners = in.text("corners"), faces = in.text("faces");
  o.corners = corners == "round"   ? nurbs::RailCorners::Round
              : corners == "split" ? nurbs::RailCorners::Split
                                   : nurbs::RailCorners::Mitre;
  if (in.has("radius")) o.cornerRadiusMm = in.number("radius");
  o.faces = faces == "pieces"  ? nurbs::SweepFaces::Pieces
            : faces == "along" ? nurbs::SweepFaces::Along
                               : nurbs::SweepFaces::All;
  o.widthOnly = in.text("widths") == "width";
  o.planes = in.text("frame") == "planes";
  o.whole = in.has("whole") && in.on("whole");
  o.largestGap = {in.number("gap")};
  o.degree = in.integer("degree");
  o.mirror = mirrorPlane(in);
  for (const NamedPair& p : pairs) o.pairs.push_back(p.at);
  return o;
}

/// The picks at the ends and sides: what lies there says what the skin flows into.
Expected<void> takeEnds(nurbs::SweepOptions& o, const Inputs& in, const Along& a, size_t first, size_t last, const Context& cx) {
  const bool single = first == last;
  const double at = a.stations[first][0].fraction;
  const Picked* start = !single || at < 0.5 ? &a.picked[first].pick : nullptr;
  const Picked* end = !single || at > 0.5 ? &a.picked[last].pick : nullptr;
  // The rail that open profiles start on, and that on which they end.
  std::array<const Picked*, 2> sides{};
  if (const nurbs::Path* p = a.profiles[first].path(); p && !p->closed())
    for (size_t k = 0; k < a.rails.size(); ++k)
      if (a.stations[first][k].gapMm <= std::max(o.largestGap.mm, cx.tolerances.point.mm))
        sides[(a.stations[first][k].onProfile - p->start()).norm() > (a.stations[first][k].onProfile - p->end()).norm()] =
            &a.railPicks[k].pick;
  LUMSK_TRY(s, skinEndOf(in, "start", "sections", start, cx));
  LUMSK_TRY(e, skinEndOf(in, "end", "sections", end, cx));
  LUMSK_TRY(l, skinEndOf(in, "left", "sections", sides[0], cx));
  LUMSK_TRY(r, skinEndOf(in, "right", "sections", sides[1], cx));
  o.start = s, o.end = e, o.left = l, o.right = r;
  return {};
}

Expected<brep::BodyPtr> skinOf(const Inputs& in, const nurbs::SweepResult& r, const std::string& from, const std::string& to,
                               const std::string& which, const std::optional<Frame>& mirror, const Context& cx) {
  std::vector<nurbs::Surface> all;
  for (const auto& f : r.faces) all.push_back(f.surface);
  const bool reversed = facesInwards(all, mirror); // of open ones, to their hollow side
  const auto asked = [&](const char* key, bool here) {
    return here && in.has(key) ? askedOf(in.text(key)) : Meets::Free;
  };
  std::vector<brep::NamedSurface> faces;
  for (const auto& f : r.faces) {
    std::string source = which;
    const auto say = [&](const std::string& what, int k, int n) {
      if (n > 1) source += (source.empty() ? "" : ",") + what + std::to_string(k + 1) + "of" + std::to_string(n);
    };
    say("rail", f.stretch, r.stretches);
    say("part", f.railPiece, r.railPieces);
    say("strip", f.strip, r.strips);
    say("piece", f.profilePiece, r.profilePieces);
    faces.push_back({std::make_shared<const nurbs::Surface>(f.surface), brep::faceName(in.stepId(), "skin", source), reversed,
                     sideNames({"", "", f.first ? from : "", f.last ? to : ""}),
                     {asked("left", !r.closedProfile && f.strip == 0), asked("right", !r.closedProfile && f.strip + 1 == r.strips),
                      asked("start", f.first), asked("end", f.last)}});
  }
  return brep::skinFromSurfaces(faces, cx);
}

/// Stretches that do not touch one another are skins of their own.
std::vector<nurbs::SweepResult> apart(const nurbs::SweepResult& r) {
  if (!r.apart) return {r};
  std::vector<nurbs::SweepResult> out;
  for (int k = 0; k < r.stretches; ++k) {
    nurbs::SweepResult one = r;
    one.faces.clear();
    for (const auto& f : r.faces)
      if (f.stretch == k) one.faces.push_back(f);
    out.push_back(std::move(one));
  }
  return out;
}

/// Small crosses along the rail show how the profile is turned.
void showCrosses(Outcome& out, const std::vector<Frame>& crosses, double reach) {
  constexpr double kArm = 0.2;
  const double arm = kArm * reach;
  for (const Frame& f : crosses) {
    out.marks.add(NetLine{{f.at(-0.5 * arm, 0), f.at(arm, 0)}});
    out.marks.add(NetLine{{f.at(0, -0.5 * arm), f.at(0, arm)}});
  }
}

/// Sizes stand along the crosses' first axis, as far out as the profile reaches; turns along the second one.
void showGraphs(Outcome& out, const Inputs& in, const Along& a, const std::vector<Frame>& crosses) {
  constexpr double kTurnsShown = 90; ///< degrees that stand as far out as the profile reaches
  const double reach = a.reachMm();
  const auto cross = [&](double f) { return crosses[size_t(std::lround(f * double(crosses.size() - 1)))]; };
  showGraph(out, in, "sizeAlong", a.rails[0], [&](double f) { return cross(f).x; }, reach);
  showGraph(out, in, "twistAlong", a.rails[0], [&](double f) { return cross(f).y; }, reach / kTurnsShown);
}

/// `alone`: one profile along one rail, which has a size of its own.
Problem explained(Problem p, const Inputs& in, double slantDeg, bool alone) {
  if (p.code == "LM-Y010" && p.field == "twist" && p.required && in.graph("twistAlong").empty()) {
    const std::string whole = formatNumber(p.required->value / 360, 6);
    p.offer({whole + " turns", "twist", "360*" + whole});
  }
  if (!alone) return p;
  if (p.code == "LM-Y004" && slantDeg > kSlantedDeg && in.text("place") == "drawn") {
    p.what = "the skin folds over itself here: the profile does not stand square to the rail";
    p.offer({"bring it square onto the rail", "place", "middle"});
  } else if (p.code == "LM-Y003" && slantDeg > kSlantedDeg && in.text("place") == "drawn") {
    p.what = "the profile leans by " + format(degrees(slantDeg), 2) +
             " from square to the rail, and would fold over itself where the rail bends or turns";
    p.offer({"bring it square onto the rail", "place", "middle"});
  }
  if (p.code == "LM-Y003" && p.measured && p.required && in.number("size") > 0) {
    const std::string fits = formatNumber(kFitsPart * in.number("size") * p.measured->value / p.required->value, 3);
    p.offer({"make it " + fits + " as large", "size", fits});
  }
  if (p.field.empty() && p.code == "LM-Y003") p.inField("sections");
  return p;
}

/// `offMm`: of the skins from what is carried; `pulledMm`: of profiles onto rails; the most of both.
void tell(Outcome& out, const Along& a, double offMm, double pulledMm, const Tolerances& tol) {
  Vec3 where = Vec3::Zero();
  double most = 0;
  for (size_t i = 0; i < a.stations.size(); ++i)
    for (const auto& s : a.stations[i])
      if (s.gapMm > most && !(a.profiles[i].path() && nurbs::goesRound(*a.profiles[i].path(), s.onRail)) && s.gapMm > pulledMm + tol.point.mm) most = s.gapMm, where = s.onRail;
  if (most > tol.point.mm)
    out.notes.push_back(problem("LM-Y101", "the profile lies beside the rail and is carried there")
                            .measure(millimetres(most))
                            .at(where));
  if (pulledMm > tol.point.mm)
    out.notes.push_back(problem("LM-Y102", "pulled profiles onto the rails by at most").measure(millimetres(pulledMm)).at(a.rails[0].start()));
  if (!a.order.empty()) {
    std::string words;
    for (int i : a.order) words += (words.empty() ? "" : ", ") + std::to_string(i + 1);
    out.notes.push_back(problem("LM-Y103", "took the profiles in the order in which the rail passes them: " + words).at(a.rails[0].start()));
  }
  if (offMm > tol.fit.mm)
    out.notes.push_back(problem("LM-Y104", "the skin leaves where the profile is carried by more than the fit tolerance")
                            .measure(millimetres(offMm))
                            .want(millimetres(tol.fit.mm))
                            .at(a.rails[0].start())
                            .tryThis("let ends and sides flow on less"));
}

std::string summaryOf(const std::vector<nurbs::SweepResult>& all, size_t rails, std::optional<double> wrinkles) {
  int controls = 0;
  double off = 0, angle = 0, curvature = 0;
  bool joins = false;
  for (const auto& r : all) {
    for (const auto& f : r.faces) controls += f.surface.controlPoints();
    off = std::max(off, r.deviationMm);
    angle = std::max(angle, r.join.angleDeg), curvature = std::max(curvature, r.join.curvature);
    joins = joins || r.joins;
  }
  std::string out = std::to_string(rails) + (rails > 1 ? " rails - " : " rail - ") + std::to_string(controls) + " points - " +
                    format(millimetres(off), 1);
  if (all.front().twistDeg != 0) out += " - " + formatNumber(all.front().twistDeg / 360, 4) + " turns";
  if (joins)
    out += " - worst join " + format(degrees(angle), 1) + (curvature > 0 ? ", " + formatNumber(100 * curvature, 2) + " %" : "");
  return wrinkles ? out + wrinkleWords(*wrinkles) : out;
}

/// The wrinkle index of the same sweep without ends and sides that flow on; nothing where there is none.
std::optional<double> plainWrinkles(const Along& a, nurbs::SweepOptions o, const Context& cx) {
  o.start = o.end = o.left = o.right = {};
  std::vector<nurbs::Surface> all;
  for (size_t k = 0; k < (a.each ? a.profiles.size() : 1); ++k) {
    const auto profiles = a.each ? std::vector<nurbs::Section>{a.profiles[k]} : a.profiles;
    const auto made = nurbs::sweep(profiles, a.rails, o, cx);
    if (!made) return {};
    for (const auto& f : made->faces) all.push_back(f.surface);
  }
  return nurbs::wrinkleIndex(all);
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  LUMSK_TRY(a, taken(in, cx.tolerances));
  std::vector<brep::BodyFaces> skins;
  for (const Picked& p : in.picked("skin")) {
    LUMSK_TRY(f, brep::BodyFaces::of(*std::get<brep::BodyPtr>(p.object), p.kind == Kind::Face ? p.index : -1, cx));
    skins.push_back(std::move(f));
  }
  const auto pairs = a.each ? std::vector<NamedPair>() : pairsOf(in, a.picked);
  LUMSK_TRY(o, optionsOf(in, a, pairs, skins, cx));
  Outcome out;
  std::vector<nurbs::SweepResult> results;
  std::vector<MadeSkin> made;
  std::vector<const nurbs::Path*> borders;
  const size_t n = a.each ? a.profiles.size() : 1;
  for (size_t k = 0; k < n; ++k) {
    const size_t last = a.each ? k : a.profiles.size() - 1;
    LUMSK_CHECK(takeEnds(o, in, a, k, last, cx));
    std::vector<nurbs::Section> profiles(a.profiles.begin() + std::ptrdiff_t(k), a.profiles.begin() + std::ptrdiff_t(last) + 1);
    takeSharedEdges(in, profiles, cx.tolerances);
    auto r = nurbs::sweep(profiles, a.rails, o, cx);
    if (!r) {
      Problem p = explained(r.error(), in, nurbs::leanDeg(a.profiles[k], a.rails[0], a.stations[k][0]), k == last && a.rails.size() == 1);
      if (a.each && p.item.empty() && p.field == "sections") p.item = a.picked[k].item;
      return fail(std::move(p));
    }
    const std::string which = a.each && n > 1 ? a.picked[k].item : "";
    for (const auto& one : apart(*r)) {
      LUMSK_TRY(skin, skinOf(in, one, a.picked[k].item, a.picked[last].item, which, o.mirror, cx));
      made.push_back({skin, r->closedProfile});
      borders.push_back(a.profiles[k].path());
    }
    results.push_back(std::move(*r));
  }
  if (in.on("solid") && n > 1) {
    const nurbs::Nesting nest = nurbs::nestingOf(borders, cx.tolerances.point);
    for (size_t k = 0; k < made.size(); ++k) made[k].within = nest.opening[k], made[k].holes = nest.holes[k];
  }
  LUMSK_CHECK(putOut(out, in, made, cx));
  const nurbs::SweepResult& r = results.front();
  nurbs::SkinJoin join;
  double off = 0, pulled = 0;
  for (const auto& one : results) {
    join.take(one.join, cx.tolerances);
    off = std::max(off, one.deviationMm), pulled = std::max(pulled, one.railGapMm);
  }
  if (!a.each && a.profiles.size() > 1) {
    out.marks.add(sectionFlags(r.sections, r.alignment, a.picked));
    showPairs(out, pairs, r.sections, r.alignment, a.picked);
    noteAlignment(out, r.alignment);
  }
  showCrosses(out, r.crosses, a.reachMm());
  if (a.rails.size() == 1 && !r.crosses.empty()) showGraphs(out, in, a, r.crosses);
  tell(out, a, off, pulled, cx.tolerances);
  noteEnds(out, "LM-Y105", join, cx.tolerances);
  const nurbs::Surface &first = r.faces.front().surface, &last = r.faces.back().surface;
  addPull(out, "start", first, nurbs::FirstV, o.start.kind);
  addPull(out, "end", last, nurbs::LastV, o.end.kind);
  if (!r.closedProfile) {
    addPull(out, "left", first, nurbs::FirstU, o.left.kind);
    addPull(out, "right", last, nurbs::LastU, o.right.kind);
  }
  std::vector<nurbs::Surface> all;
  for (const auto& one : results)
    for (const auto& f : one.faces) all.push_back(f.surface);
  // Profiles of lines and arcs bend by jumps: the index says nothing of such skins.
  const bool even = std::all_of(borders.begin(), borders.end(), [&](const nurbs::Path* p) {
    const auto rough = nurbs::roughPlaces(*p);
    return std::none_of(rough.begin(), rough.end(), [](const nurbs::RoughPlace& at) { return at.smooth < 2; });
  });
  std::optional<double> wrinkles;
  if (even) wrinkles = nurbs::wrinkleIndex(all);
  if (wrinkles && r.joins)
    if (auto bumpy = bumpyNote("LM-Y106", all, *wrinkles, [&] { return plainWrinkles(a, o, cx); }, "without ends and sides that flow on",
                               "let the profile's size and the rail's start agree with what the skin flows into, or take less pull"))
      out.notes.push_back(std::move(*bumpy));
  out.summary = summaryOf(results, a.rails.size(), wrinkles);
  return out;
}

} // namespace sweep_

Step sweep() {
  return {"sweep", 1, "Sweep", Stage::Surfaces, sweep_::schema, sweep_::compute,
          Crossed{"sections", "rails", "", {"pairs"}, "", {"startSkin", "endSkin", "leftSkin", "rightSkin"}}};
}

} // namespace lumsk::steps
