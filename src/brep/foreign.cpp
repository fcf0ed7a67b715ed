#include "brep/foreign.h"

#include "brep/convert.h"
#include "brep/guard.h"
#include "brep/names.h"
#include "brep/skin.h"

#include <BRepBndLib.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <BRepCheck_Analyzer.hxx>
#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <BRep_Tool.hxx>
#include <Bnd_Box.hxx>
#include <Interface_Static.hxx>
#include <Quantity_Color.hxx>
#include <STEPCAFControl_Reader.hxx>
#include <STEPControl_Reader.hxx>
#include <ShapeAnalysis_FreeBounds.hxx>
#include <TColStd_SequenceOfAsciiString.hxx>
#include <TDF_LabelSequence.hxx>
#include <TDataStd_Name.hxx>
#include <TDocStd_Document.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_HSequenceOfShape.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>
#include <TopoDS_Compound.hxx>
#include <TopoDS_Iterator.hxx>
#include <TopoDS_Shell.hxx>
#include <XCAFDoc_ColorTool.hxx>
#include <XCAFDoc_DocumentTool.hxx>
#include <XCAFDoc_ShapeTool.hxx>

#include <algorithm>
#include <cmath>
#include <fmt/format.h>
#include <sstream>

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

Problem broken(const std::string& name, const std::string& why) {
  return problem("LM-I002", "'" + name + "' cannot be read: " + why).tryThis("export it again, as STEP");
}

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

/// A piece of a file before it is named and scaled.
struct Piece {
  TopoDS_Shape shape;
  std::string label, colour;
};

struct Content {
  std::vector<Piece> pieces;
  std::string unit;
  int roots = 0, unread = 0;
};

class StepFile {
public:
  StepFile(const std::string& bytes, const std::string& name, const Context& cx)
      : bytes_(bytes), name_(name), cx_(cx) {}

  Expected<Content> read() {
    LUMSK_CHECK(checkFrame());
    Interface_Static::SetCVal("xstep.cascade.unit", "MM");
    STEPCAFControl_Reader reader;
    reader.SetNameMode(true);
    reader.SetColorMode(true);
    std::istringstream in(bytes_);
    cx_.report(0.1, "reading");
    if (reader.ChangeReader().ReadStream(name_.c_str(), in) != IFSelect_RetDone)
      return fail(broken(name_, "it does not follow the format"));
    TColStd_SequenceOfAsciiString lengths, angles, solidAngles;
    reader.ChangeReader().FileUnits(lengths, angles, solidAngles);
    if (!lengths.IsEmpty()) out_.unit = lengths.First().ToCString();
    out_.roots = reader.NbRootsForTransfer();
    Handle(TDocStd_Document) doc = new TDocStd_Document("XmlXCAF");
    cx_.report(0.4, "building");
    Handle(KernelProgress) progress = new KernelProgress(cx_);
    reader.Transfer(doc, progress->Start());
    shapes_ = XCAFDoc_DocumentTool::ShapeTool(doc->Main());
    colours_ = XCAFDoc_DocumentTool::ColorTool(doc->Main());
    TDF_LabelSequence free;
    shapes_->GetFreeShapes(free);
    for (int i = 1; i <= free.Length(); ++i) walk(free(i), TopLoc_Location(), "", "");
    out_.unread = std::max(0, out_.roots - reader.ChangeReader().NbShapes());
    return out_;
  }

private:
  Expected<void> checkFrame() const {
    const auto start = bytes_.find_first_not_of(" \t\r\n\xef\xbb\xbf");
    if (start == std::string::npos || bytes_.compare(start, 12, "ISO-10303-21") != 0)
      return fail(broken(name_, "it is not a STEP file"));
    const auto tail = bytes_.size() > 4096 ? bytes_.size() - 4096 : 0;
    if (bytes_.find("END-ISO-10303-21", tail) == std::string::npos)
      return fail(broken(name_, "it is cut off, its end is missing"));
    return {};
  }

  static std::string nameOf(const TDF_Label& l) {
    Handle(TDataStd_Name) name;
    if (!l.FindAttribute(TDataStd_Name::GetID(), name)) return {};
    std::string out(size_t(name->Get().LengthOfCString()) + 1, '\0');
    Standard_PCharacter p = out.data();
    out.resize(size_t(name->Get().ToUTF8CString(p)));
    return out;
  }

  std::string colourOf(const TDF_Label& l, const std::string& inherited) const {
    Quantity_Color c;
    if (!colours_->GetColor(l, XCAFDoc_ColorSurf, c) && !colours_->GetColor(l, XCAFDoc_ColorGen, c)) return inherited;
    double r, g, b;
    c.Values(r, g, b, Quantity_TOC_sRGB);
    return fmt::format("#{:02x}{:02x}{:02x}", int(r * 255 + 0.5), int(g * 255 + 0.5), int(b * 255 + 0.5));
  }

  void walk(const TDF_Label& l, const TopLoc_Location& place, const std::string& name, const std::string& colour) {
    if (XCAFDoc_ShapeTool::IsAssembly(l)) {
      TDF_LabelSequence parts;
      XCAFDoc_ShapeTool::GetComponents(l, parts);
      for (int i = 1; i <= parts.Length(); ++i) {
        TDF_Label of;
        if (XCAFDoc_ShapeTool::GetReferredShape(parts(i), of))
          walk(of, place * XCAFDoc_ShapeTool::GetLocation(parts(i)), nameOf(of),
               colourOf(parts(i), colourOf(of, colour)));
      }
      return;
    }
    const std::string own = nameOf(l);
    out_.pieces.push_back({XCAFDoc_ShapeTool::GetShape(l).Moved(place), own.empty() ? name : own, colourOf(l, colour)});
  }

  const std::string& bytes_;
  const std::string& name_;
  const Context& cx_;
  Handle(XCAFDoc_ShapeTool) shapes_;
  Handle(XCAFDoc_ColorTool) colours_;
  Content out_;
};

Expected<Content> readBrep(const std::string& bytes, const std::string& name) {
  if (bytes.find("CASCADE Topology") == std::string::npos && bytes.find("DBRep_DrawableShape") == std::string::npos)
    return fail(broken(name, "it is not a BREP file"));
  std::istringstream in(bytes);
  TopoDS_Shape shape;
  BRep_Builder builder;
  BRepTools::Read(shape, in, builder);
  if (shape.IsNull()) return fail(broken(name, "it is cut off or does not follow the format"));
  return Content{{{shape, "", ""}}, "", 1, 0};
}

/// Takes the pieces apart into bodies and curves, names and scales them.
class Sorter {
public:
  Sorter(const ForeignOptions& o, const Context& cx) : options_(o), cx_(cx) {}

  Expected<ForeignBodies> sort(Content content) {
    out_.unit = content.unit;
    setScale(content.unit);
    for (const Piece& p : content.pieces) {
      if (cx_.stopped()) return fail(cancelled());
      for (TopExp_Explorer e(p.shape, TopAbs_SOLID); e.More(); e.Next()) add(e.Current(), p);
      for (TopExp_Explorer e(p.shape, TopAbs_SHELL, TopAbs_SOLID); e.More(); e.Next()) add(e.Current(), p);
      for (TopExp_Explorer e(p.shape, TopAbs_FACE, TopAbs_SHELL); e.More(); e.Next()) add(asShell(e.Current()), p);
      addCurves(p.shape);
    }
    if (out_.parts.empty() && out_.curves.empty())
      return fail(problem("LM-I003", "there are neither bodies nor curves in '" + options_.name + "'")
                      .tryThis("export the bodies themselves, not only drawings or meshes"));
    noteWhatIsOdd(content);
    return std::move(out_);
  }

private:
  void setScale(const std::string& unit) {
    const double known = mmPerNamed(unit); // one that is not known is read as millimetres
    if (options_.unit != LengthUnit::FromFile) scale_ = mmPer(options_.unit) / (known > 0 ? known : 1.0);
  }

  static TopoDS_Shape asShell(const TopoDS_Shape& face) {
    TopoDS_Shell shell;
    BRep_Builder builder;
    builder.MakeShell(shell);
    builder.Add(shell, face);
    return shell;
  }

  TopoDS_Shape scaled(const TopoDS_Shape& s) const {
    if (scale_ == 1.0) return s;
    gp_Trsf t;
    t.SetScale(gp_Pnt(0, 0, 0), scale_);
    return BRepBuilderAPI_Transform(s, t, true).Shape();
  }

  void add(const TopoDS_Shape& shape, const Piece& from) {
    for (TopExp_Explorer e(shape, TopAbs_FACE); e.More(); e.Next())
      if (BRep_Tool::Surface(TopoDS::Face(e.Current())).IsNull()) return void(++bare_); // of a damaged file
    if (!withinSpace(shape)) return void(++bare_);
    auto body = std::make_shared<Body>();
    body->shape = scaled(shape);
    BRepTools::Clean(body->shape); // meshes that came along would stand in for our own
    FaceNames names;
    for (TopExp_Explorer e(body->shape, TopAbs_FACE); e.More(); e.Next())
      if (!names.IsBound(e.Current()))
        names.Bind(e.Current(), faceName(options_.hash.substr(0, 12), "face", std::to_string(++faces_)));
    for (const TopoDS_Face& f : brep::faces(*body))
      if (auto natural = naturalOf(f)) body->natural[names(f)] = std::move(*natural);
    nameBody(*body, names);
    if (!BRepCheck_Analyzer(body->shape).IsValid()) ++invalid_, invalidAt_ = middle(body->shape);
    if (const double t = largestTolerance(body->shape); t > roughest_) roughest_ = t, roughestAt_ = middle(body->shape);
    out_.parts.push_back({body, from.label, from.colour});
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

  void noteWhatIsOdd(const Content& content) {
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
    if (invalid_ > 0)
      note(problem("LM-I103", "some bodies of the file are not valid as they came")
               .measure(count(invalid_))
               .at(invalidAt_)
               .tryThis("use them as a ghost, or export them again"));
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
    noteSize();
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
  int faces_ = 0, invalid_ = 0, lostCurves_ = 0, bare_ = 0; ///< `bare_`: bodies with a face that has no surface
  Vec3 invalidAt_ = Vec3::Zero(), roughestAt_ = Vec3::Zero(), lostAt_ = Vec3::Zero();
};

} // namespace

Expected<ForeignBodies> readForeignHere(const std::string& bytes, const ForeignOptions& o, const Context& cx) {
  return guarded("reading a file", [&]() -> Expected<ForeignBodies> {
    if (bytes.find_first_not_of(" \t\r\n") == std::string::npos)
      return fail(problem("LM-I001", "'" + o.name + "' is empty").tryThis("choose another file"));
    const auto dot = o.name.rfind('.');
    std::string ending = dot == std::string::npos ? "" : o.name.substr(dot);
    std::transform(ending.begin(), ending.end(), ending.begin(), [](unsigned char c) { return char(std::tolower(c)); });
    const bool brep = ending == ".brep" || ending == ".brp" || ending == ".rle";
    LUMSK_TRY(content, brep ? readBrep(bytes, o.name) : StepFile(bytes, o.name, cx).read());
    return Sorter(o, cx).sort(std::move(content));
  });
}

} // namespace lumsk::brep
