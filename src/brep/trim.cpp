#include "brep/trim.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "nurbs/on_skin/offset.h"

#include <BRepAdaptor_Surface.hxx>
#include <BRepAlgoAPI_Common.hxx>
#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Copy.hxx>
#include <BRepPrimAPI_MakeBox.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <Bnd_Box.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ListOfShape.hxx>
#include <TopoDS.hxx>
#include <gp_Ax2.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

class Trimmer {
public:
  Trimmer(const Body& b, const Frame& plane, bool above, const std::string& step, const Context& cx)
      : body_(b), plane_(plane), above_(above), step_(step), cx_(cx) {}

  Expected<Trimmed> run() {
    LUMSK_CHECK(findExtent());
    if (auto whole = straight()) return std::move(*whole);
    return byKernel();
  }
  std::optional<Trimmed> straight() { return body_.solid() ? std::nullopt : wholeFaces(); }

private:
  double height(const Vec3& p) const { return plane_.local(p).z() * (above_ ? 1.0 : -1.0); }

  Expected<void> findExtent() {
    double most = -1e300, least = 1e300;
    for (const NamedFace& f : namedFaces(body_)) {
      double u0, u1, v0, v1;
      BRepTools::UVBounds(f.face, u0, u1, v0, v1);
      const BRepAdaptor_Surface s(f.face);
      for (int i = 0; i <= 16; ++i)
        for (int j = 0; j <= 16; ++j) {
          const Vec3 p = toVec(s.Value(u0 + (u1 - u0) * i / 16, v0 + (v1 - v0) * j / 16));
          const double h = height(p);
          if (h > most) most = h, out_.keptAt = p;
          if (h < least) least = h, out_.droppedAt = p;
        }
    }
    const double near = cx_.tolerances.point.mm;
    if (most > near && least < -near) return {};
    const bool nothing = most <= near;
    return fail(problem("LM-C001", nothing ? "nothing would be left: the body lies on the other side of the plane"
                                           : "the plane does not cut the body")
                    .measure(millimetres(nothing ? -most : least))
                    .at(nothing ? out_.keptAt : out_.droppedAt)
                    .tryThis(nothing ? "keep the other side, or move the plane" : "move the plane into the body"));
  }

  /// When the plane cuts faces straight across or not at all, all stay whole.
  std::optional<Trimmed> wholeFaces() {
    std::vector<NamedFace> kept;
    double moved = 0;
    for (const NamedFace& f : namedFaces(body_)) {
      if (!f.natural) return {};
      const nurbs::Surface& s = *f.natural->surface;
      double most = -1e300, least = 1e300;
      for (int i = 0; i <= 40; ++i)
        for (int j = 0; j <= 40; ++j) {
          const double h = height(
              s.at(s.firstU() + (s.lastU() - s.firstU()) * i / 40, s.firstV() + (s.lastV() - s.firstV()) * j / 40));
          most = std::max(most, h), least = std::min(least, h);
        }
      if (most <= cx_.tolerances.point.mm) continue;
      if (least >= -cx_.tolerances.point.mm) {
        kept.push_back(f);
        continue;
      }
      nurbs::Side side{};
      const auto cut = nurbs::cutAtPlane(s, plane_, above_, cx_, side);
      if (!cut) return {};
      moved = std::max(moved, cut->deviationMm);
      NaturalFace n = onSurface(*f.natural, std::make_shared<const nurbs::Surface>(cut->surface));
      n.uncut = f.natural->uncut ? f.natural->uncut : std::make_shared<const NaturalFace>(*f.natural);
      n.sides[size_t(side)] = step_;
      kept.push_back({naturalFace(*n.surface, n.reversed, cx_.tolerances.point), f.name, n});
    }
    auto knitted = knitFaces(kept, {2 * cx_.tolerances.point.mm}, cx_);
    if (!knitted) return {}; // falls apart or does not meet: left to the kernel
    Trimmed out = out_;
    out.pieces = {knitted->body};
    out.refittedMm = moved;
    return out;
  }

  Expected<Trimmed> byKernel() {
    Bnd_Box box;
    BRepBndLib::Add(body_.shape, box);
    const double reach = 2 * std::sqrt(box.SquareExtent()) + 1;
    double x0, y0, z0, x1, y1, z1;
    box.Get(x0, y0, z0, x1, y1, z1);
    const Vec3 middle = 0.5 * Vec3(x0 + x1, y0 + y1, z0 + z1), n = plane_.normal() * (above_ ? 1.0 : -1.0);
    const Vec3 foot = middle - (middle - plane_.origin).dot(n) * n;
    const Frame f = Frame::fromNormal(foot, n);
    const gp_Ax2 ax(toPnt(f.at(-reach, -reach)), gp_Dir(n.x(), n.y(), n.z()), gp_Dir(f.x.x(), f.x.y(), f.x.z()));
    BRepPrimAPI_MakeBox half(ax, 2 * reach, 2 * reach, 2 * reach);
    const TopoDS_Face cutter = half.BottomFace();
    TopTools_ListOfShape arguments, tools;
    arguments.Append(body_.shape);
    tools.Append(half.Solid());
    BRepAlgoAPI_Common common;
    common.SetArguments(arguments);
    common.SetTools(tools);
    common.SetNonDestructive(true);
    common.SetToFillHistory(true);
    common.Build();
    if (cx_.stopped()) return fail(cancelled());
    if (!common.IsDone() || common.Shape().IsNull())
      return fail(
          problem("LM-K002", "the body could not be cut by this plane").at(foot).tryThis("move the plane a little"));
    FaceHistory history;
    for (const NamedFace& g : namedFaces(body_)) history.take(common, g);
    history.takeNew(common, cutter, faceName(step_, "cut", ""));
    return pieces(common.Shape(), history);
  }

  Expected<Trimmed> pieces(const TopoDS_Shape& shape, const FaceHistory& history) const {
    std::vector<std::pair<double, BodyPtr>> found;
    for (TopExp_Explorer e(shape, body_.solid() ? TopAbs_SOLID : TopAbs_SHELL); e.More(); e.Next()) {
      auto piece = std::make_shared<Body>();
      piece->shape = e.Current();
      LUMSK_CHECK(checkValid(piece->shape));
      if (const double t = largestTolerance(piece->shape); t > kRefusedToleranceMm)
        return fail(problem("LM-K004", "the cut faces meet too roughly")
                        .measure(millimetres(t))
                        .want(millimetres(kRefusedToleranceMm))
                        .at(out_.keptAt)
                        .tryThis("move the plane a little"));
      history.finish(*piece);
      const Mass mass = massOf(piece->shape);
      found.emplace_back(body_.solid() ? mass.volumeMm3 : mass.areaMm2, piece);
    }
    if (found.empty())
      return fail(problem("LM-K002", "nothing is left by this cut").at(out_.keptAt).tryThis("move the plane a little"));
    std::stable_sort(found.begin(), found.end(), [](const auto& a, const auto& b) { return a.first > b.first; });
    Trimmed out = out_;
    for (auto& f : found) out.pieces.push_back(f.second);
    return out;
  }

  const Body& body_;
  const Frame& plane_;
  bool above_;
  const std::string& step_;
  const Context& cx_;
  Trimmed out_;
};

} // namespace

bool cutIsDoubtful(const Body& b) {
  for (const NamedFace& f : namedFaces(b))
    if (!f.natural && BRepAdaptor_Surface(f.face).GetType() == GeomAbs_BSplineSurface) return true;
  return false;
}

Expected<Trimmed> trimByPlaneHere(const Body& b, const Frame& plane, bool above, const std::string& step,
                                  const Context& cx) {
  return guarded("trimming", [&] { return Trimmer(b, plane, above, step, cx).run(); });
}

std::optional<Trimmed> trimStraight(const Body& b, const Frame& plane, bool above, const std::string& step,
                                    const Context& cx) {
  const auto made = guarded("trimming", [&]() -> Expected<std::optional<Trimmed>> {
    return Trimmer(b, plane, above, step, cx).straight();
  });
  return made ? *made : std::nullopt;
}

} // namespace lumsk::brep
