#include "brep/foreign.h"

#include "brep/convert.h"
#include "brep/foreign_files.h"
#include "brep/foreign_sew.h"
#include "brep/guard.h"
#include "brep/names.h"
#include "brep/rings.h"
#include "brep/skin.h"

#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepTools.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <ShapeAnalysis_FreeBounds.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_HSequenceOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

#include <algorithm>
#include <cmath>

namespace lumsk::brep {

double mmPer(LengthUnit u) {
  switch (u) {
  case LengthUnit::Centimetre: return 10.0;
  case LengthUnit::Metre: return 1000.0;
  case LengthUnit::Inch: return 25.4;
  default: return 1.0;
  }
}

namespace {

/// mm in one of what the reader calls a unit; 0 for those it does not know.
double mmPerNamed(const std::string& unit) {
  static const std::map<std::string, double> known{{"millimetre", 1.0}, {"centimetre", 10.0}, {"metre", 1000.0},
                                                   {"inch", 25.4},      {"foot", 304.8},      {"micrometre", 1e-3},
                                                   {"kilometre", 1e6},  {"mile", 1609344.0},  {"mil", 0.0254}};
  std::string low = unit;
  std::transform(low.begin(), low.end(), low.begin(), [](unsigned char c) { return char(std::tolower(c)); });
  const auto it = known.find(low);
  return it == known.end() ? 0.0 : it->second;
}

/// Sizes that a product hardly has: the unit is probably another.
constexpr double kVerySmallMm = 0.5, kVeryLargeMm = 20000;

/// Takes the pieces apart into bodies and curves, names and scales them.
class Sorter {
public:
  Sorter(const ForeignOptions& o, const Context& cx) : options_(o), cx_(cx) {}

  Expected<ForeignBodies> sort(ForeignContent content) {
    out_.unit = content.unit;
    setScale(content.unit);
    for (const ForeignPiece& p : content.pieces) {
      if (cx_.stopped()) return fail(cancelled());
      for (TopExp_Explorer e(p.shape, TopAbs_SOLID); e.More(); e.Next()) add(e.Current(), p);
      for (TopExp_Explorer e(p.shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next())
        options_.sewMm > 0 || facesIn(e.Current()) == 1 ? pool(e.Current(), p) : add(e.Current(), p);
      for (TopExp_Explorer e(p.shape, TopAbs_FACE, TopAbs_SHELL); e.More(); e.Next()) pool(e.Current(), p);
      addCurves(p.shape);
    }
    LUMSK_CHECK(sewPool());
    if (out_.parts.empty() && out_.curves.empty())
      return fail(problem("LM-I003", "there are neither bodies nor curves in '" + options_.name + "'")
                      .tryThis(content.namesOthers ? "it names other files, which are not opened: import those" : "export the bodies themselves, not only drawings or meshes"));
    noteWhatIsOdd(content);
    return std::move(out_);
  }

private:
  void setScale(const std::string& unit) {
    const double known = mmPerNamed(unit); // one that is not known is read as millimetres
    if (options_.unit != LengthUnit::FromFile) scale_ = mmPer(options_.unit) / (known > 0 ? known : 1.0);
  }

  TopoDS_Shape scaled(const TopoDS_Shape& s) const {
    if (scale_ == 1.0) return s;
    gp_Trsf t;
    t.SetScale(gp_Pnt(0, 0, 0), scale_);
    return BRepBuilderAPI_Transform(s, t, true).Shape();
  }

  static int facesIn(const TopoDS_Shape& s) {
    int n = 0;
    for (TopExp_Explorer e(s, TopAbs_FACE); e.More(); e.Next()) ++n;
    return n;
  }

  /// Whether it can be built with; counts those that cannot.
  bool usable(const TopoDS_Shape& shape) {
    for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next())
      if (BRep_Tool::Surface(TopoDS::Face(e.Current())).IsNull()) return ++bare_, false; // of a damaged file
    return withinSpace(shape) || (++bare_, false);
  }

  std::string nextName() { return faceName(options_.hash.substr(0, 12), "face", std::to_string(++faces_)); }

  void add(const TopoDS_Shape& shape, const ForeignPiece& from) {
    if (!usable(shape)) return;
    auto body = std::make_shared<Body>();
    body->shape = scaled(shape);
    BRepTools::Clean(body->shape); // meshes that came along would stand in for our own
    if (shape.ShapeType() == TopAbs_SOLID && openEdges(body->shape).empty() && massOf(body->shape).volumeMm3 < 0) {
      body->shape.Reverse();
      ++turned_, turnedAt_ = middle(body->shape);
    }
    FaceNames names;
    for (TopExp_Explorer e(body->shape, TopAbs_FACE); e.More(); e.Next())
      if (!names.IsBound(e.Current())) names.Bind(e.Current(), nextName());
    for (const TopoDS_Face& f : brep::faces(*body))
      if (auto natural = naturalOf(f)) body->natural[names(f)] = std::move(*natural);
    nameBody(*body, names);
    put(std::move(body), from.label, from.colour);
  }

  void put(BodyPtr body, const std::string& label, const std::string& colour) {
    if (BRepCheck_Analyzer check(body->shape); !check.IsValid() || !meetsClosely(body->shape)) {
      ++invalid_;
      const size_t before = invalidAt_.size();
      for (const TopoDS_Face& f : brep::faces(*body))
        if (!check.IsValid(f) && invalidAt_.size() < kShown) invalidAt_.push_back(middle(f));
      if (invalidAt_.size() == before) invalidAt_.push_back(middle(body->shape));
    }
    if (const double t = largestTolerance(body->shape); t > roughest_) roughest_ = t, roughestAt_ = middle(body->shape);
    out_.parts.push_back({std::move(body), label, colour});
  }

  /// Faces that are in no body of the file, or are to be sewn.
  void pool(const TopoDS_Shape& shape, const ForeignPiece& from) {
    if (!usable(shape)) return;
    const TopoDS_Shape own = scaled(shape);
    BRepTools::Clean(own);
    for (TopExp_Explorer e(own, TopAbs_FACE); e.More(); e.Next()) {
      const TopoDS_Face f = TopoDS::Face(e.Current());
      pool_.push_back({f, nextName(), naturalOf(f)});
      pooledFrom_.push_back({from.label, from.colour});
    }
  }

  Expected<void> sewPool() {
    if (pool_.empty()) return {};
    constexpr double kTouching = 10; // point tolerances
    LUMSK_TRY(sewn, sewnApart(pool_, {std::max(options_.sewMm, kTouching * cx_.tolerances.point.mm)}, cx_));
    for (size_t k = 0; k < sewn.bodies.size(); ++k) {
      const auto& [label, colour] = pooledFrom_[std::min(sewn.firstFaces[k], pool_.size() - 1)];
      put(sewn.bodies[k], label, colour);
    }
    if (sewn.joinedEdges > 0) joined_ = sewn.joinedEdges;
    return {};
  }

  /// Whether all of a shape lies where coordinates are still numbers to build with; control points count.
  bool withinSpace(const TopoDS_Shape& s) const {
    constexpr double kFarthestMm = 1e6;
    Bnd_Box box;
    BRepBndLib::Add(s, box, false);
    if (box.IsVoid() || box.IsOpen()) return box.IsVoid();
    const double far = std::max(toVec(box.CornerMin()).cwiseAbs().maxCoeff(), toVec(box.CornerMax()).cwiseAbs().maxCoeff());
    return std::isfinite(far) && far * scale_ <= kFarthestMm;
  }

  static Vec3 middle(const TopoDS_Shape& s) {
    Bnd_Box box;
    BRepBndLib::Add(s, box);
    if (box.IsVoid()) return Vec3::Zero();
    return 0.5 * (toVec(box.CornerMin()) + toVec(box.CornerMax()));
  }

  /// Wires and edges that belong to no face, joined where their ends meet.
  void addCurves(const TopoDS_Shape& shape) {
    Handle(TopTools_HSequenceOfShape) edges = new TopTools_HSequenceOfShape, wires = new TopTools_HSequenceOfShape;
    TopTools_IndexedMapOfShape seen;
    for (TopExp_Explorer e(shape, TopAbs_EDGE, TopAbs_FACE); e.More(); e.Next())
      if (!BRep_Tool::Degenerated(TopoDS::Edge(e.Current())) && seen.Add(e.Current()) == edges->Length() + 1)
        edges->Append(scaled(e.Current()));
    if (edges->IsEmpty()) return;
    ShapeAnalysis_FreeBounds::ConnectEdgesToWires(edges, cx_.tolerances.point.mm, false, wires);
    for (int i = 1; i <= wires->Length(); ++i) addCurve(TopoDS::Wire(wires->Value(i)));
  }

  void addCurve(const TopoDS_Wire& wire) {
    auto path = toPath(wire, cx_.tolerances.point);
    if (!path) return void((++lostCurves_, lostAt_ = middle(wire)));
    out_.curves.push_back(std::move(*path));
  }

  void noteWhatIsOdd(const ForeignContent& content) {
    const auto note = [&](Problem p) { out_.notes.push_back(std::move(p)); };
    if (const double mm = mmPerNamed(content.unit);
        options_.unit == LengthUnit::FromFile && !content.unit.empty() && mm != 1.0) {
      Problem p = problem("LM-I101", "the file is in " + content.unit + ": its lengths were turned into millimetres")
                      .tryThis("choose the unit if this is not so");
      note(mm > 0 ? p.measure(millimetres(mm)) : p);
    }
    if (content.unread + bare_ > 0)
      note(problem("LM-I102", "some parts of the file could not be built")
               .measure(count(content.unread + bare_))
               .tryThis("export it again, as bodies without healing options"));
    if (invalid_ > 0) {
      Problem p = problem("LM-I103", "some bodies of the file are not valid as they came")
                      .measure(count(invalid_))
                      .tryThis("use them as a ghost, take the faces out and fill their openings, or export them again");
      p.where = invalidAt_;
      note(std::move(p));
    }
    if (content.namesOthers)
      note(problem("LM-I111", "the file names other files, which are not opened").tryThis("import those too, or export it as one file"));
    if (roughest_ > kNotedToleranceMm)
      note(problem("LM-I104", "faces of the file meet roughly")
               .measure(millimetres(roughest_))
               .want(millimetres(kNotedToleranceMm))
               .at(roughestAt_)
               .tryThis("export it again with a finer tolerance"));
    if (lostCurves_ > 0)
      note(problem("LM-I105", "some curves of the file could not be used")
               .measure(count(lostCurves_))
               .at(lostAt_)
               .tryThis("export them again, as splines"));
    if (turned_ > 0)
      note(problem("LM-I110", "solids of the file were inside out: they were turned").measure(count(turned_)).at(turnedAt_));
    if (joined_ > 0)
      note(problem("LM-I109", "faces of the file that lay loose beside one another were sewn, along so many edges").measure(count(joined_)));
    noteOpenings();
    noteSize();
  }

  /// Where skins are open; and where edges lie so near that they may be meant to meet.
  void noteOpenings() {
    std::vector<BodyPtr> skins;
    for (const auto& p : out_.parts)
      if (!p.body->solid()) skins.push_back(p.body);
    if (const auto sew = sewProposal(skins, cx_)) {
      Problem p = problem("LM-I107", "edges of the file lie beside one another without being joined, up to").measure(millimetres(sew->widestMm)).tryThis("sew them");
      const std::string gap = formatNumber(sew->gapMm, 3);
      p.offer({"sew within " + gap + " mm", "sew", gap});
      p.where = sew->where;
      out_.notes.push_back(std::move(p));
    }
    int rings = 0;
    double longest = 0;
    Problem open = problem("LM-I108", "").tryThis("fill them, or close them with skins, to get solids");
    for (const BodyPtr& b : skins)
      for (const Ring& r : openRings(b->shape)) {
        ++rings;
        const Points around = pointsAlong(r, 8);
        double length = 0;
        for (Eigen::Index i = 1; i < around.rows(); ++i) length += (around.row(i) - around.row(i - 1)).norm();
        if (r.closed) length += (around.row(0) - around.row(around.rows() - 1)).norm();
        longest = std::max(longest, length);
        if (open.where.size() < kShown) open.at(around.row(0).transpose());
      }
    if (rings == 0) return;
    open.what = (rings == 1 ? "the skins of the file have 1 opening, around it" : "the skins of the file have " + std::to_string(rings) + " openings, around the longest");
    out_.notes.push_back(open.measure(millimetres(longest)));
  }

  void noteSize() {
    Bnd_Box box;
    for (const auto& p : out_.parts) BRepBndLib::Add(p.body->shape, box, false);
    if (box.IsVoid()) return;
    const double size = std::sqrt(box.SquareExtent());
    if (size > kVerySmallMm && size < kVeryLargeMm) return;
    Problem p = problem("LM-I106",
                        size < kVerySmallMm ? "what the file holds is very small" : "what the file holds is very large")
                    .measure(millimetres(size))
                    .at(0.5 * (toVec(box.CornerMin()) + toVec(box.CornerMax())))
                    .tryThis("choose the unit that its numbers are in");
    out_.notes.push_back(std::move(p));
  }

  const ForeignOptions& options_;
  const Context& cx_;
  ForeignBodies out_;
  double scale_ = 1.0, roughest_ = 0.0;
  static constexpr size_t kShown = 20; ///< places at most
  int faces_ = 0, invalid_ = 0, lostCurves_ = 0, bare_ = 0, turned_ = 0, joined_ = 0; ///< `bare_`: bodies with a face that has no surface
  std::vector<NamedFace> pool_;
  std::vector<std::pair<std::string, std::string>> pooledFrom_; ///< label and colour, by faces
  std::vector<Vec3> invalidAt_;
  Vec3 turnedAt_ = Vec3::Zero(), roughestAt_ = Vec3::Zero(), lostAt_ = Vec3::Zero();
};

} // namespace

Expected<ForeignBodies> readForeignHere(const std::string& bytes, const ForeignOptions& o, const Context& cx) {
  return guarded("reading a file", [&]() -> Expected<ForeignBodies> {
    if (bytes.find_first_not_of(" \t\r\n") == std::string::npos)
      return fail(problem("LM-I001", "'" + o.name + "' is empty").tryThis("choose another file"));
    const auto dot = o.name.rfind('.');
    std::string ending = dot == std::string::npos ? "" : o.name.substr(dot);
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    const bool brep = ending == ".brep" || ending == ".brp" || ending == ".rle", iges = ending == ".igs" || ending == ".iges";
    LUMSK_TRY(content, brep ? brepContent(bytes, o.name) : iges ? igesContent(bytes, o.name, cx) : stepContent(bytes, o.name, cx));
    return Sorter(o, cx).sort(std::move(content));
  });
}

} // namespace lumsk::brep
