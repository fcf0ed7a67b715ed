#include "brep/pull.h"

#include "brep/assemble.h"
#include "brep/convert.h"
#include "brep/curves_on.h"
#include "brep/skin.h"
#include "brep/thicken_parts.h"
#include "nurbs/measure/arc_length.h"
#include "nurbs/reshape/match.h"

#include <BRep_Tool.hxx>
#include <NCollection_DataMap.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_ShapeMapHasher.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <map>

namespace lumsk::brep {

namespace {

constexpr int kLooks = 9;             ///< places of a side
constexpr double kAboutTangent = 5.0; ///< degrees: such faces are meant to be smooth

/// A side of an untrimmed face, or an edge that cannot move.
struct Line {
  int face = -1;
  int side = -1; ///< -1: it cannot move
  std::function<nurbs::MatchPlace(double share)> at;
  int uses = 0; ///< faces at its edge
  TopoDS_Edge edge;
  Vec3 from = Vec3::Zero(), to = Vec3::Zero();
};

/// Two that belong together.
struct Pair {
  int first = -1, second = -1; ///< numbers of lines; the first can move
  bool turned = false;
  double widestMm = 0.0, angleDeg = 0.0;
  Vec3 at = Vec3::Zero();
  bool active = false;
  double shareOf(int line, double share) const { return line == second && turned ? 1 - share : share; }
};

class Puller {
public:
  Puller(std::vector<NamedFace> faces, double limit, const Context& cx) : limit_(limit), cx_(cx) { out_.faces = std::move(faces); }

  Expected<Pulled> run() {
    LUMSK_CHECK(findLines());
    findPairs();
    if (std::none_of(pairs_.begin(), pairs_.end(), [](const Pair& p) { return p.active; })) return std::move(out_);
    spreadToCorners();
    std::map<int, std::vector<nurbs::MatchSide>> byFace;
    for (const Pair& p : pairs_) {
      if (!p.active) continue;
      for (int l : {p.first, p.second})
        if (lines_[size_t(l)].side >= 0) byFace[lines_[size_t(l)].face].push_back(sideFor(p, l));
    }
    for (const auto& [face, sides] : byFace) {
      NamedFace& f = out_.faces[size_t(face)];
      LUMSK_TRY(made, nurbs::matchSides(*f.natural->surface, sides, {}, cx_));
      if (made.foldsAt)
        return fail(problem("LM-B006", "a skin would fold over itself if it were pulled so far")
                        .measure(millimetres(made.movedMm))
                        .at(*made.foldsAt)
                        .tryThis("pull less far, or move the skins nearer first"));
      for (size_t i = 0; i < sides.size(); ++i) {
        if (sides[i].order > 0) f.natural->asked[size_t(sides[i].side)] = Meets::G1;
        if (const nurbs::SkinJoin& j = made.sides[i].join; sides[i].order > 0 && j.angleDeg > out_.bentDeg) out_.bentDeg = j.angleDeg, out_.bentAt = j.at;
      }
      out_.movedMm = std::max(out_.movedMm, made.movedMm);
      NaturalFace n = onSurface(*f.natural, std::make_shared<const nurbs::Surface>(nurbs::withExactPoles(made.surface, cx_.tolerances.point)));
      f.face = naturalFace(*n.surface, n.reversed, cx_.tolerances.point);
      f.natural = std::move(n);
    }
    return std::move(out_);
  }

private:
  Expected<void> findLines() {
    NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher> uses;
    for (const NamedFace& f : out_.faces)
      for (TopExp_Explorer e(f.face, TopAbs_EDGE); e.More(); e.Next())
        if (!uses.IsBound(e.Current()))
          uses.Bind(e.Current(), 1);
        else
          ++uses.ChangeFind(e.Current());
    for (size_t i = 0; i < out_.faces.size(); ++i) {
      const NamedFace& f = out_.faces[i];
      std::array<bool, 4> taken{};
      for (TopExp_Explorer e(f.face, TopAbs_EDGE); e.More(); e.Next()) {
        const TopoDS_Edge edge = TopoDS::Edge(e.Current());
        if (BRep_Tool::Degenerated(edge) || BRep_Tool::IsClosed(edge, f.face)) continue;
        const int side = f.natural ? sideAlong(edge, f.face, {f.natural->surface->firstU(), f.natural->surface->firstV()},
                                               {f.natural->surface->lastU(), f.natural->surface->lastV()})
                                   : -1;
        if (side >= 0 && taken[size_t(side)]) continue;
        if (side >= 0) taken[size_t(side)] = true;
        LUMSK_TRY(line, side >= 0 ? Expected<Line>(sideLine(int(i), side)) : edgeLine(int(i), edge));
        line.uses = uses(edge);
        line.edge = edge;
        if (line.at) line.from = line.at(0).at, line.to = line.at(1).at;
        lines_.push_back(std::move(line));
      }
    }
    return {};
  }

  Line sideLine(int face, int side) const {
    const auto line = std::make_shared<nurbs::SideLine>(*out_.faces[size_t(face)].natural->surface, nurbs::Side(side));
    return {face, side, [line](double share) { return line->place(line->parameterAt(share)); }};
  }

  Expected<Line> edgeLine(int face, const TopoDS_Edge& edge) const {
    auto path = toPath(edge);
    if (!path) return Line{face, -1, {}};
    const auto whole = std::make_shared<const Body>(*skinOf({out_.faces[size_t(face)]}));
    LUMSK_TRY(on, BodyFaces::of(*whole, 0, cx_));
    const auto faces = std::make_shared<BodyFaces>(std::move(on));
    const auto curve = std::make_shared<const nurbs::Path>(std::move(*path));
    const auto length = std::make_shared<nurbs::ArcLength>(*curve);
    return Line{face, -1, [whole, faces, curve, length](double share) {
                  const Vec3 p = curve->at(std::min(length->parameterAt(share * length->total()), curve->last()));
                  return nurbs::MatchPlace{p, faces->beside(p), {}};
                }};
  }

  void findPairs() {
    for (size_t i = 0; i < lines_.size(); ++i)
      for (size_t k = i + 1; k < lines_.size(); ++k) {
        const Line &a = lines_[i], &b = lines_[k];
        if (!a.at || !b.at || (a.side < 0 && b.side < 0)) continue;
        const bool joined = a.edge.IsSame(b.edge);
        if (!joined && (a.uses > 1 || b.uses > 1 || a.face == b.face)) continue;
        if (auto p = pairOf(a.side >= 0 ? int(i) : int(k), a.side >= 0 ? int(k) : int(i))) pairs_.push_back(*p);
      }
  }

  /// Lines that run side by side from end to end.
  std::optional<Pair> pairOf(int first, int second) const {
    const Line &a = lines_[size_t(first)], &b = lines_[size_t(second)];
    const double straight = std::max((a.from - b.from).norm(), (a.to - b.to).norm()),
                 across = std::max((a.from - b.to).norm(), (a.to - b.from).norm());
    if (std::min(straight, across) > limit_) return {};
    Pair p{first, second};
    p.turned = across < straight;
    if (std::max(straight, across) <= limit_) { // rings: the way between tells
      const auto apart = [&](bool turned) { return (a.at(0.25).at - b.at(turned ? 0.75 : 0.25).at).norm(); };
      p.turned = apart(true) < apart(false);
    }
    for (int i = 0; i <= kLooks; ++i) {
      const double x = double(i) / kLooks;
      const nurbs::MatchPlace u = a.at(x), v = b.at(p.shareOf(second, x));
      const double gap = (u.at - v.at).norm();
      if (gap > limit_) return {};
      if (gap >= p.widestMm) p.widestMm = gap, p.at = u.at;
      if (u.beside && v.beside)
        p.angleDeg = std::max(p.angleDeg, degFromRad(std::acos(std::min(1.0, std::abs(u.beside->normal.dot(v.beside->normal))))));
    }
    p.active = p.widestMm > cx_.tolerances.point.mm;
    return p;
  }

  /// Corners of what moves take along what else ends there.
  void spreadToCorners() {
    for (const Pair& p : pairs_)
      if (p.active) {
        ++out_.edges;
        if (p.widestMm > out_.widestMm) out_.widestMm = p.widestMm, out_.at = p.at;
      }
    for (size_t i = 0; i < lines_.size(); ++i)
      for (double x : {0.0, 1.0})
        if (lines_[i].at) ends_.push_back({x > 0 ? lines_[i].to : lines_[i].from, int(i), x});
    corner_.assign(ends_.size(), -1);
    for (size_t i = 0; i < ends_.size(); ++i) {
      if (corner_[i] >= 0) continue;
      corner_[i] = int(corners_.size());
      Vec3 sum = ends_[i].at, fixed = Vec3::Zero();
      int n = 1, held = lines_[size_t(ends_[i].line)].side < 0;
      if (held) fixed = ends_[i].at;
      for (size_t k = i + 1; k < ends_.size(); ++k)
        if (corner_[k] < 0 && (ends_[k].at - ends_[i].at).norm() <= limit_) {
          corner_[k] = corner_[i];
          sum += ends_[k].at, ++n;
          if (lines_[size_t(ends_[k].line)].side < 0) fixed += ends_[k].at, ++held;
        }
      corners_.push_back(held > 0 ? Vec3(fixed / held) : Vec3(sum / n));
    }
    std::vector<char> moves(corners_.size(), 0);
    for (const Pair& p : pairs_)
      if (p.active)
        for (int l : {p.first, p.second})
          for (double x : {0.0, 1.0}) moves[size_t(cornerAt(l, x))] = 1;
    for (Pair& p : pairs_)
      for (double x : {0.0, 1.0})
        if (!p.active && moves[size_t(cornerAt(p.first, x))]) p.active = true;
  }

  int cornerAt(int line, double x) const {
    for (size_t i = 0; i < ends_.size(); ++i)
      if (ends_[i].line == line && ends_[i].x == x) return corner_[i];
    return 0;
  }

  /// What a side of a pair is to meet: the middle between both, its ends in the corners.
  nurbs::MatchSide sideFor(const Pair& p, int line) const {
    const bool second = line == p.second;
    const Line a = lines_[size_t(line)], b = lines_[size_t(second ? p.first : p.second)];
    const bool halfway = b.side >= 0;
    const auto place = [a, b, halfway, turned = p.turned](double share) {
      const nurbs::MatchPlace own = a.at(share);
      nurbs::MatchPlace other = b.at(turned ? 1 - share : share);
      other.across.reset();
      if (!halfway) return other;
      nurbs::MatchPlace out{0.5 * (own.at + other.at), {}, {}};
      if (own.beside && other.beside) out.beside = nurbs::between(*own.beside, *other.beside);
      return out;
    };
    const Vec3 from = corners_[size_t(cornerAt(line, 0))] - place(0).at, to = corners_[size_t(cornerAt(line, 1))] - place(1).at;
    nurbs::MatchSide out;
    out.side = nurbs::Side(a.side);
    out.order = p.angleDeg < kAboutTangent ? 1 : 0;
    out.target = [place, from, to](const nurbs::OnMatchSide& s) -> Expected<nurbs::MatchPlace> {
      nurbs::MatchPlace m = place(s.share);
      const double x = s.share * s.share * (3 - 2 * s.share);
      m.at += (1 - x) * from + x * to;
      return m;
    };
    return out;
  }

  struct End {
    Vec3 at;
    int line;
    double x;
  };

  double limit_;
  const Context& cx_;
  Pulled out_;
  std::vector<Line> lines_;
  std::vector<Pair> pairs_;
  std::vector<End> ends_;
  std::vector<int> corner_; ///< by end
  std::vector<Vec3> corners_;
};

} // namespace

Expected<Pulled> pulledTogether(std::vector<NamedFace> faces, LengthTolerance limit, const Context& cx) {
  return Puller(std::move(faces), limit.mm, cx).run();
}

} // namespace lumsk::brep
