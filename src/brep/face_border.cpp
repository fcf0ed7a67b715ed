#include "brep/face_border.h"

#include <BRep_Tool.hxx>
#include <Geom2dAdaptor_Curve.hxx>
#include <Geom_Surface.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS.hxx>

#include <algorithm>

namespace lumsk::brep {

namespace {

constexpr double kOnBorder = 1e-9; ///< of the parameters: as near to a border counts as on it
constexpr int kPatience = 200;     ///< places that are asked for before a raster pays
constexpr int kCells = 128;        ///< each way
constexpr int kLeastPlaces = 16, kPlacesOfSpan = 6; ///< at which a curve of the border is looked at

} // namespace

FaceBorder::FaceBorder(const TopoDS_Face& face) : face_(face), kernel_(face, kOnBorder) {}

bool FaceBorder::asked(const Vec2& p) const { return kernel_.Perform(gp_Pnt2d(p.x(), p.y())) != TopAbs_OUT; }

bool FaceBorder::inside(const Vec2& p) {
  if (++calls_ == kPatience) layRaster();
  if (raster_.empty()) return asked(p);
  const Vec2 at = (p - low_).cwiseQuotient(cell_);
  if (!(at.minCoeff() >= 0 && at.maxCoeff() < kCells)) return asked(p);
  const int i = int(at.x()), j = int(at.y());
  Cell& cell = raster_[size_t(i * kCells + j)];
  if (cell == Cell::Border) return asked(p);
  if (cell == Cell::Unknown) cell = asked(low_ + cell_.cwiseProduct(Vec2(i + 0.5, j + 0.5))) ? Cell::Inside : Cell::Outside;
  return cell == Cell::Inside;
}

void FaceBorder::mark(const Vec2& low, const Vec2& high) {
  const Vec2 from = (low - low_).cwiseQuotient(cell_), to = (high - low_).cwiseQuotient(cell_);
  const auto index = [](double at) { return int(std::clamp(at, 0.0, kCells - 1.0)); };
  for (int i = index(from.x()); i <= index(to.x()); ++i)
    for (int j = index(from.y()); j <= index(to.y()); ++j) raster_[size_t(i * kCells + j)] = Cell::Border;
}

void FaceBorder::layRaster() {
  const Handle(Geom_Surface) surface = BRep_Tool::Surface(face_);
  if (surface->IsUPeriodic() || surface->IsVPeriodic()) return; // places may lie within by whole periods
  std::vector<std::vector<Vec2>> curves;
  Vec2 low = Vec2::Constant(1e300), high = -low;
  for (TopExp_Explorer e(face_, TopAbs_EDGE); e.More(); e.Next()) {
    double a = 0, b = 0;
    const Handle(Geom2d_Curve) curve = BRep_Tool::CurveOnSurface(TopoDS::Edge(e.Current()), face_, a, b);
    if (curve.IsNull()) return;
    const Geom2dAdaptor_Curve at(curve, a, b);
    const int n = std::max(kLeastPlaces, kPlacesOfSpan * at.NbIntervals(GeomAbs_C2));
    auto& places = curves.emplace_back();
    for (int i = 0; i <= n; ++i) {
      const gp_Pnt2d p = at.Value(a + (b - a) * i / n);
      places.emplace_back(p.X(), p.Y());
      low = low.cwiseMin(places.back()), high = high.cwiseMax(places.back());
    }
  }
  if (!((high - low).minCoeff() > 0)) return;
  low_ = low, cell_ = (high - low) / kCells;
  raster_.assign(size_t(kCells * kCells), Cell::Unknown);
  for (const auto& places : curves)
    for (size_t i = 0; i + 1 < places.size(); ++i) {
      // Between two places a curve goes aside by about an eighth of the second difference: this much is allowed for eight times.
      Vec2 aside = 0.1 * (places[i + 1] - places[i]).cwiseAbs() + 1e-3 * cell_;
      for (const size_t k : {i, i + 1})
        if (k > 0 && k + 1 < places.size()) aside += (places[k + 1] - 2 * places[k] + places[k - 1]).cwiseAbs();
      mark(places[i].cwiseMin(places[i + 1]) - aside, places[i].cwiseMax(places[i + 1]) + aside);
    }
}

} // namespace lumsk::brep
