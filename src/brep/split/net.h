#pragma once
#include "brep/face_spline.h"
#include "nurbs/measure/surface_measure.h"
#include "nurbs/on_skin/section.h"
#include "nurbs/on_skin/surface_curves.h"

#include <Geom2d_Curve.hxx>
#include <Geom_Curve.hxx>
#include <TopTools_IndexedMapOfShape.hxx>

#include <optional>

namespace lumsk::brep::split {

// What is known of bodies and of what cuts them, stage by stage: faces as splines, their edges, the cuts, the vertices at
// which all of them meet. Every edge is divided once, for all faces at it, so that parts share edges without sewing
// (Hoffmann 1989, ch. 3, for the structure).

/// Places nearer than this are one.
constexpr double kSnapMm = 0.002;
/// Cuts lie on both surfaces within the first; where that is not to be had, within the second.
constexpr double kCutFitMm = 0.0003, kCutMostMm = 0.001;
/// A cut that leaves an edge tangentially ends where it is so far away from it.
constexpr double kApartMm = 0.001;

struct Vertex {
  Vec3 at = Vec3::Zero();
  double toleranceMm = 1e-7;
  TopoDS_Vertex shape; ///< of old ones; of new ones once it is made
  bool old = false;
};

/// A vertex on an edge or a cut.
struct Pave {
  double t = 0;
  int vertex = -1;
};

/// A stretch of an edge or a cut between two paves.
struct Stretch {
  TopoDS_Edge edge;
  double first = 0, last = 1;
  int from = -1, to = -1;
};

/// An edge of a body.
struct OldEdge {
  TopoDS_Edge edge; ///< forward
  Handle(Geom_Curve) curve;
  double first = 0, last = 1;
  double toleranceMm = 1e-7;
  bool pole = false;
  int faces = 0; ///< uses by faces of its body
  std::string label; ///< what its name says besides its face, of open edges
  Meets asked = Meets::Free; ///< what its step was asked for there
  nurbs::Extent box;
  std::vector<Pave> paves;
  std::vector<Stretch> stretches;
  std::vector<int> cuts; ///< that run along it: what lies on its two sides is divided already
  bool divided() const { return paves.size() > 2; }
};

/// An old edge at a face.
struct EdgeUse {
  int edge = -1;
  bool reversed = false;
  Handle(Geom2d_Curve) image;
};

/// A face, forward, as a spline.
struct Sheet {
  explicit Sheet(FaceSpline s);
  FaceSpline spline;
  const nurbs::Surface* surface; ///< the spline's
  int body = -1, face = -1; ///< its numbers
  TopoDS_Face shape;        ///< forward
  TopAbs_Orientation orientation = TopAbs_FORWARD;
  std::optional<Frame> plane; ///< of flat ones; the normal is the spline's
  Vec2 scale = Vec2::Ones();  ///< mm of one unit of its parameters
  double stepMm = 1;
  nurbs::Extent box;
  std::vector<EdgeUse> border;
  std::vector<int> cuts;

  struct Foot {
    Vec3 point, normal;
    Vec2 uv;
    double heightMm = 0.0;
    bool beyond = false;
  };
  Foot foot(const Vec3& p) const;
  /// Whether a place that lies on its surface lies in it.
  bool covers(const Vec3& p) const;
  /// Signed distance from it for places of another one.
  nurbs::Field fieldOn(const nurbs::Surface& other) const;
  Vec3 outside(const Vec3& normal) const { return orientation == TopAbs_REVERSED ? Vec3(-normal) : normal; }
  bool near(const nurbs::Extent& o, double mm) const;
  /// A place of the domain in mm, and of an edge's image.
  Vec2 inMm(const Vec2& uv) const { return uv.cwiseProduct(scale); }
  Vec2 imageOf(const EdgeUse& u, double t) const;

private:
  const std::shared_ptr<const nurbs::NearestOnSurface>& feet() const;
  mutable std::shared_ptr<const nurbs::NearestOnSurface> feet_; ///< made when first asked for
};

/// Where a cut can be followed further than the cutter goes.
struct CutTrace;

/// A curve along which faces are divided.
struct Cut {
  nurbs::SectionCurve section;
  int sheet = -1, other = -1; ///< it lies on the first; on the second, too, where the cutter's faces are divided
  int cutter = -1;            ///< number of the cutting body
  int by = -1;                ///< the cutter's sheet, if it has any
  bool contact = false;       ///< the surfaces touch along it and do not cross
  /// To its left in the sheet's domain lies the cutter's front; and in the other one's that of the first.
  std::array<bool, 2> frontLeft{};
  std::shared_ptr<CutTrace> trace;
  double extendedMm = 0.0; ///< so much of it is the cutter carried on, at its longer end
  Vec3 extendedFrom = Vec3::Zero(); ///< where the cutter ends there
  Handle(Geom_Curve) curve;
  std::array<Handle(Geom2d_Curve), 2> images; ///< in the kernel's parameters
  std::vector<Pave> paves;
  std::vector<Stretch> stretches;
  bool dropped = false; ///< it runs along an edge, or another cut, which stands for it

  const nurbs::Spline& imageOn(int s) const { return section.images[s == sheet ? 0 : 1]; }
};

struct Net {
  std::vector<Sheet> sheets;
  std::vector<OldEdge> edges;
  std::vector<Vertex> vertices;
  std::vector<Cut> cuts;
  std::vector<Vec3> touches; ///< lone places at which cutters touch
  TopTools_IndexedMapOfShape edgeMap, vertexMap; ///< of old ones, in the order of the lists

  int vertexAt(const Vec3& p, double mm); ///< an old or a new one
  std::vector<int> edgesAround(const Cut& c) const;
};

/// Nearest place of a spline over [0, 1], to rounding.
struct OnSpline {
  double t = 0, distanceMm = 0;
};
OnSpline nearestOn(const nurbs::Spline& c, const Vec3& p);
/// Nearest place of an old edge that is no pole.
OnSpline nearestOn(const OldEdge& e, const Vec3& p);

} // namespace lumsk::brep::split
