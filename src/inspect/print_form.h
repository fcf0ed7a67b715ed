#pragma once
#include "base/context.h"
#include "brep/mesh.h"

namespace lumsk::inspect {

/// A solid as a printer sees it: closed triangles with the surfaces' normals. Corners of several faces in one place are
/// one point.
struct PrintForm {
  brep::FaceMesh mesh;
  std::vector<int> pointOf; ///< of every corner of the mesh
  int points = 0;
  std::array<int, 3> pointsAt(const std::array<int, 3>& triangle) const { return {pointOf[size_t(triangle[0])], pointOf[size_t(triangle[1])], pointOf[size_t(triangle[2])]}; }
  std::array<Vec3, 3> cornersAt(const std::array<int, 3>& triangle) const { return {mesh.points[size_t(triangle[0])], mesh.points[size_t(triangle[1])], mesh.points[size_t(triangle[2])]}; }
  double lowest(const Vec3& up) const;
  int openSides = 0; ///< sides of triangles that are not met by exactly two
  Vec3 openAt = Vec3::Zero();
};
/// Pieces of a form that grow together.
class Joined {
public:
  explicit Joined(size_t n);
  int of(int i);
  void join(int a, int b) { parent_[size_t(of(b))] = of(a); } ///< the first one's name stays

private:
  std::vector<int> parent_;
};

/// Fails as `brep::shadedMesh` does.
Expected<PrintForm> printForm(const brep::Body& b, const brep::MeshLimits& limits, const Context& cx);

/// One closed shell of a form.
struct Shell {
  double volumeMm3 = 0.0; ///< below nought: a cavity within another one
  Vec3 at = Vec3::Zero(); ///< a place of it
};
std::vector<Shell> shellsOf(const PrintForm& f);

/// How a form stands while it is printed, layer by layer.
struct Standing {
  Vec3 up = Vec3::UnitZ(); ///< unit
  double leastDeg = 45.0;  ///< faces that look down and lie flatter than this hang over
  double layerMm = 0.2;    ///< what is lower than the first layer stands on the bed
};

struct Overhang {
  double areaMm2 = 0.0, bedMm2 = 0.0;
  struct Patch {
    double areaMm2;
    Vec3 at;
  };
  std::vector<Patch> patches; ///< what hangs together, largest first
};
/// Areas are cut where the surfaces' normals, taken as linear in every triangle, pass the angle.
Overhang overhangOf(const PrintForm& f, const Standing& s);

/// Of many directions (the world's axes, those that flat faces look to, and 300 all around: a Fibonacci lattice) the one
/// with the least overhang, where a quarter of what stands on the bed counts against it.
Vec3 bestUp(const PrintForm& f, const Standing& s, const Context& cx);

/// Lowest places of what begins in the air: each layer's piece that nothing carries. Those that grow together with
/// something older within a layer do not count.
std::vector<Vec3> islandsOf(const PrintForm& f, const Standing& s);

/// Hollows that hold what is poured over the form as it stands, told on a grid of `kPoolCells` across: those shallower
/// than two of its cells are not seen, and slits narrower than a cell are taken for closed.
struct Pool {
  double volumeMm3 = 0.0;
  Vec3 at = Vec3::Zero(); ///< its deepest place
};
constexpr int kPoolCells = 96;
std::vector<Pool> poolsOf(const PrintForm& f, const Standing& s, const Context& cx);

/// Size along two directions across and along `up`, with the turn about `up` that makes the larger of both least.
struct PrintSize {
  Vec3 mm = Vec3::Zero(); ///< the last is the height
  double turnDeg = 0.0;   ///< about `up`
};
PrintSize printSize(const PrintForm& f, const Vec3& up);
/// Whether it fits into a space (x, y, height), turned about `up` as it may be.
bool fitsInto(const PrintForm& f, const Vec3& up, const Vec3& spaceMm);

} // namespace lumsk::inspect
