#include "nurbs/loft/loft.h"
#include "nurbs/network/network.h"
#include "nurbs/measure/wrinkles.h"

#include "brep/names.h"
#include "brep/skin.h"
#include "steps/neighbours.h"
#include "steps/skins.h"

namespace lumsk::steps {

using namespace recipe;

namespace network_ {

Schema schema() {
  return {picks("curves", "Curves",
                "Two families of curves that cross, two or more each, in any order; a family may meet in one point.",
                Kind::Curve | Kind::Edge)
              .atLeast(3)
              .eachWith({choice("family", "Family", "The family of this curve: found by itself, A or B.",
                                {{"auto", "by itself"}, {"a", "A"}, {"b", "B"}})}),
          length("gap", "Largest gap", "Curves that miss one another by at most this are pulled together.", "0.01")
              .within(0, 10)
              .seldomSet(),
          length("follow", "Follow within",
                 "How far the skin may leave the curves between its sides, to be as even as can be; 0 passes through "
                 "them.",
                 "0")
              .within(0, 100)
              .seldomSet(),
          sideMeets("start", "First of A", "How the skin leaves the first curve of family A"),
          sideMeets("end", "Last of A", "How the skin leaves the last curve of family A"),
          sideMeets("left", "First of B", "How the skin leaves the first curve of family B"),
          sideMeets("right", "Last of B", "How the skin leaves the last curve of family B"),
          picks("skins", "Flows into", "Skins, solids or faces that sides lie on and flow into; edges know theirs.",
                Kind::Skin | Kind::Solid | Kind::Face)
              .optional(),
          mirrorPlaneField()};
}

std::vector<nurbs::NetworkCurve> curvesOf(const Inputs& in) {
  std::vector<nurbs::NetworkCurve> out;
  const auto& picked = in.picked("curves");
  for (size_t i = 0; i < picked.size(); ++i) {
    const std::string family = in.itemText("curves", i, "family");
    // Items are numbered as they are picked ("p7") and keep their number when chips are dragged.
    const std::string& item = picked[i].item;
    const auto digit = item.find_first_of("0123456789");
    const int rank = digit == std::string::npos ? 0 : std::atoi(item.substr(digit, 8).c_str());
    out.push_back({*std::get<CurvePtr>(picked[i].object), family == "a" ? 1 : family == "b" ? 2 : 0, rank});
  }
  return out;
}

/// A flag on every curve, half-way between its first two crossings.
std::vector<Flag> flagsFor(const nurbs::NetworkResult& r, const std::vector<nurbs::NetworkCurve>& curves,
                           const Inputs& in) {
  std::vector<Flag> out(curves.size());
  const auto& net = r.sorted;
  const auto put = [&](const nurbs::SortedCurve& c, double from, double to, char family, size_t number) {
    const nurbs::Path& path = curves[size_t(c.index)].path;
    const nurbs::ArcLength length(path);
    double s = 0.5 * (from + to);
    if (c.reversed) s = length.total() - s;
    if (path.closed()) s -= length.total() * std::floor(s / length.total());
    Flag& f = out[size_t(c.index)];
    f.field = "curves";
    f.item = in.picked("curves")[size_t(c.index)].item;
    f.at = path.at(length.parameterAt(s));
    nurbs::CurveDerivatives d;
    path.derivatives(std::min(length.parameterAt(s), path.last() - 1e-9), 1, d);
    f.direction = d[1].normalized() * (c.reversed ? -1.0 : 1.0);
    f.mark = family + std::to_string(number);
    f.group = family == 'A' ? 1 : 2;
  };
  size_t number = 0;
  for (size_t j = 0; j < net.rows.size(); ++j)
    if (net.rows[j].index >= 0) put(net.rows[j], net.grid[j][0].along, net.grid[j][1].along, 'A', ++number);
  for (size_t i = 0; i < net.columns.size(); ++i)
    put(net.columns[i], net.grid[0][i].across, net.grid[1][i].across, 'B', i + 1);
  return out;
}

/// The middle of the edge between the first two faces.
Vec3 cornerOf(const nurbs::NetworkResult& r) {
  const nurbs::Surface &a = r.patches[0].surface, &b = r.patches[1].surface;
  const double u = 0.5 * (a.firstU() + a.lastU()), v = 0.5 * (a.firstV() + a.lastV());
  const Vec3 acrossU = a.at(a.lastU(), v), acrossV = a.at(u, a.lastV());
  const Vec3 nextU = b.at(b.firstU(), 0.5 * (b.firstV() + b.lastV())),
             nextV = b.at(0.5 * (b.firstU() + b.lastU()), b.firstV());
  return (acrossU - nextU).norm() < (acrossV - nextV).norm() ? acrossU : acrossV;
}

std::string nameOf(nurbs::Side side) {
  switch (side) {
  case nurbs::FirstV: return "first of A";
  case nurbs::LastV: return "last of A";
  case nurbs::FirstU: return "first of B";
  default: return "last of B";
  }
}

void addNotes(Outcome& out, const nurbs::NetworkResult& r, const std::vector<nurbs::NetworkCurve>& curves,
              double follow, const Tolerances& tol) {
  const auto& net = r.sorted;
  std::string pulled;
  Problem gaps = problem("LM-N101", "");
  for (size_t j = 0; j < net.rows.size(); ++j)
    for (size_t i = 0; i < net.columns.size(); ++i)
      if (const auto& g = net.grid[j][i]; g.gapMm > tol.point.mm) {
        pulled += (pulled.empty() ? "" : ", ") + std::to_string(net.rows[j].index + 1) + " and " +
                  std::to_string(net.columns[i].index + 1) + " by " + formatNumber(g.gapMm, 2);
        gaps.at(g.at);
      }
  if (!pulled.empty()) {
    gaps.what = "pulled curves together (mm): " + pulled;
    out.notes.push_back(std::move(gaps));
  }
  for (size_t i = 0; i < curves.size(); ++i)
    if (net.overhang[i] > std::max(net.largestGapMm, 100 * tol.point.mm))
      out.notes.push_back(
          problem("LM-N102", "curve " + std::to_string(i + 1) + " goes on beyond the outermost crossing")
              .measure(millimetres(net.overhang[i]))
              .at(net.overhangAt[i])
              .tryThis("the skin ends at the crossing; put a curve of the other family at the end"));
  for (const nurbs::NetworkCarried& c : r.carried) {
    Problem note = problem("LM-N107", "curve " + std::to_string(c.curve + 1) +
                                          " ends before it has crossed all the others: it is carried on along the "
                                          "skin, and what it lies off it fades out")
                       .tryThis("extend it over the curves that are missing, if it is to say more there");
    for (const Vec3& p : c.from) note.at(p);
    out.notes.push_back(std::move(note));
  }
  for (const auto& [side, key] : sideKeys())
    if (const nurbs::SkinJoin& j = r.joins[side]; j.worst(tol) > 1)
      out.notes.push_back(
          joinNote("LM-N106", "the skin does not flow on as closely as asked at the " + nameOf(side), j, tol)
              .tryThis("relax this side, match the ends of the curves there, or smooth its neighbour"));
  for (const nurbs::PatchCorner& c : r.corners) out.notes.push_back(cornerNote(c, tol));
  if (r.deviationMm > tol.fit.mm + net.largestGapMm + follow)
    out.notes.push_back(problem("LM-N105", "the skin leaves its curves by more than the fit tolerance")
                            .measure(millimetres(r.deviationMm))
                            .want(millimetres(tol.fit.mm + net.largestGapMm + follow))
                            .at(r.deviationAt)
                            .tryThis("bring the curves closer together, or smooth them"));
  if (r.pointedPole)
    out.notes.push_back(problem("LM-N104", "the skin has a pointed tip: its curves do not share a tangent plane there")
                            .at(r.pointedAt)
                            .tryThis("let the curves leave the tip in one plane"));
  if (r.cornered)
    out.notes.push_back(problem("LM-N103", "corners of the curves make edges in the skin: it has this many faces")
                            .measure(count(double(r.patches.size())))
                            .at(cornerOf(r)));
}

/// The least wrinkle index of the plain lofts through either family.
std::optional<double> loftedWrinkles(const nurbs::SortedNetwork& net, const std::vector<nurbs::NetworkCurve>& curves,
                                     const Context& cx) {
  std::optional<double> least;
  for (const auto* family : {&net.rows, &net.columns}) {
    std::vector<nurbs::Section> sections;
    for (const nurbs::SortedCurve& c : *family)
      if (c.index >= 0) sections.push_back({curves[size_t(c.index)].path});
    if (sections.size() < 2) continue;
    nurbs::LoftOptions o;
    o.around = net.closed && family == &net.columns && sections.size() > 2;
    const auto made = nurbs::loft(sections, o, cx);
    if (!made) continue;
    const double index = nurbs::wrinkleIndex(made->strips);
    if (!least || index < *least) least = index;
  }
  return least;
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  auto curves = curvesOf(in);
  nurbs::NetworkOptions o;
  o.largestGap = {in.number("gap")};
  o.follow = {in.number("follow")};
  for (const auto& [side, key] : sideKeys()) {
    const std::string how = in.text(key);
    o.sides[side] = sideMeetsOf(how);
    if (how[0] == 'g') o.flows[side] = how[1] - '0';
  }
  o.neighbour = [&](int i) {
    const Picked& p = in.picked("curves")[size_t(i)];
    return neighbourOf(in.picked("skins"), p, curves[size_t(i)].path, false, cx);
  };
  o.mirror = mirrorPlane(in);
  auto made = nurbs::network(curves, o, cx);
  if (!made) {
    Problem p = made.error();
    if (p.code == "LM-N007" && p.measured->value <= 10) {
      const std::string wide = formatNumber(p.measured->value * 1.02, 3);
      p.offer({"allow " + wide + " mm", "gap", wide});
    }
    return fail(std::move(p));
  }
  for (const nurbs::NetworkCarried& c : made->carried) curves[size_t(c.curve)].path = c.path;
  Outcome out;
  out.marks.add(flagsFor(*made, curves, in));
  addNotes(out, *made, curves, o.follow.mm, cx.tolerances);
  std::vector<brep::NamedSurface> faces;
  int controls = 0;
  const auto& net = made->sorted;
  const auto idOf = [&](const nurbs::SortedCurve& c) {
    return c.index < 0 ? std::string("pole") : in.picked("curves")[size_t(c.index)].item;
  };
  std::vector<nurbs::Surface> patches;
  for (const auto& p : made->patches) patches.push_back(p.surface);
  const bool reversed = (net.closed || made->mirror) && facesInwards(patches, made->mirror);
  const auto sourcesOf = [&](const nurbs::NetworkPatch& p) {
    const auto column = [&](size_t i) { return idOf(net.columns[i % net.columns.size()]); };
    const auto row = [&](size_t j) { return idOf(net.rows[j]); };
    return std::array<std::string, 4>{column(size_t(p.firstColumn)),
                                      column(size_t(p.firstColumn) + p.columnsAt.size() - 1), row(size_t(p.firstRow)),
                                      row(size_t(p.firstRow) + p.rowsAt.size() - 1)};
  };
  const auto askedOfPatch = [&](const nurbs::NetworkPatch& p) {
    const bool ends[4] = {!net.closed && p.firstColumn == 0,
                          !net.closed && size_t(p.firstColumn) + p.columnsAt.size() == net.columns.size(),
                          p.firstRow == 0, size_t(p.firstRow) + p.rowsAt.size() == net.rows.size()};
    std::array<Meets, 4> asked{};
    for (const auto& [side, key] : sideKeys())
      if (ends[side] && in.has(key)) asked[size_t(side)] = askedOf(in.text(key));
    return asked;
  };
  for (const auto& p : made->patches) {
    controls += p.surface.controlPoints();
    const auto &row = net.rows[size_t(p.firstRow)], &column = net.columns[size_t(p.firstColumn) % net.columns.size()];
    faces.push_back(
        {std::make_shared<const nurbs::Surface>(p.surface),
         brep::faceName(in.stepId(), "skin", made->patches.size() > 1 ? idOf(row) + "," + idOf(column) : ""), reversed,
         sideNames(sourcesOf(p)), askedOfPatch(p)});
  }
  LUMSK_TRY(body, brep::skinFromSurfaces(faces, cx));
  out.outputs.push_back({"", body, ""});
  const auto rows = std::count_if(net.rows.begin(), net.rows.end(), [](const auto& c) { return c.index >= 0; });
  out.summary = std::to_string(rows) + " × " + std::to_string(net.columns.size()) + " - " + std::to_string(controls) +
                " points - " + format(millimetres(made->deviationMm), 1);
  nurbs::SkinJoin worst;
  for (const nurbs::SkinJoin& j : made->joins) worst.take(j, cx.tolerances);
  if (worst.angleDeg > 0 || worst.curvature > 0)
    out.summary += " - worst join " + format(degrees(worst.angleDeg), 1) +
                   (worst.curvature > 0 ? ", " + formatNumber(100 * worst.curvature, 2) + " %" : "");
  const double wrinkles = nurbs::wrinkleIndex(patches);
  out.summary += wrinkleWords(wrinkles);
  if (auto bumpy = bumpyNote(
          "LM-N108", patches, wrinkles, [&] { return loftedWrinkles(net, curves, cx); }, "as a loft",
          "smooth the curves, take out those that contradict others, or follow them within a distance"))
    out.notes.push_back(std::move(*bumpy));
  return out;
}

} // namespace network_

Step network() {
  return {
      "network", 1, "Network", Stage::Surfaces, network_::schema, network_::compute, Crossed{"curves", "", "family", {}, "", {"skins"}}};
}

} // namespace lumsk::steps
