#pragma once
#include "brep/mesh.h"
#include "recipe/model.h"
#include "recipe/schema.h"

namespace lumsk::scene {

// What is to be seen, as plain data: made on worker threads, read by the view and the picker. A drawing is made from
// a model; faces and edges that did not change are taken over from the one before.

using MeshPtr = std::shared_ptr<const brep::FaceMesh>;

using DrawnEdge = brep::ShownEdge;

struct DrawnBody {
  std::string id, step, output, label, colour;
  bool stale = false, solid = false;
  double opacity = 1.0;
  recipe::Finish finish = recipe::Finish::Matt;
  std::map<std::string, std::string> faceColours; ///< by names of faces, or of those that they are pieces of
  brep::BodyPtr body;
  std::vector<MeshPtr> faces;
  std::shared_ptr<const std::vector<DrawnEdge>> edges;
  std::vector<std::pair<std::string, Vec3>> vertices;
  const std::string& colourOf(const std::string& face) const; ///< its own, or the body's
  bool fine = false;   ///< meshed at full quality
  double wanted = 0; ///< triangles that its quality would take
  /// What a pick of a part stores; of the body itself with an empty name.
  std::string partName(const std::string& part) const {
    return output.empty() ? part : part.empty() ? output : output + "/" + part;
  }
};

struct DrawnCurve {
  std::string step, output, part, label; ///< `part`: what a pick of it stores
  recipe::CurvePtr path;
  std::vector<Vec3> points;
  std::vector<std::pair<std::string, Vec3>> marks; ///< pickable points on it
  std::vector<std::pair<std::string, Vec3>> given; ///< the same, where curves are not wanted: what it was drawn through
  bool stale = false;
};

struct DrawnPoint {
  std::string step, label;
  Vec3 at;
  std::string part = {}; ///< of one of several things that its step made
};

struct DrawnPlane {
  std::string step, part, label; ///< step "world" for those that are always there
  Frame frame;
  Vec2 low = Vec2::Constant(-60), high = Vec2::Constant(60); ///< what is drawn of it, in the frame
};

/// Backdrops: seen and snapped to, never picked.
struct DrawnPicture {
  std::string step, label;
  recipe::PictureObject picture;
  std::array<Vec3, 4> corners() const; ///< from the lower left, round
};
struct DrawnGhost {
  std::string step, label;
  recipe::GhostPtr ghost;
};

struct Scene {
  LengthTolerance point{0.001}; ///< of the recipe
  std::vector<DrawnBody> bodies;
  std::vector<DrawnCurve> curves;
  std::vector<DrawnPoint> points;
  std::vector<DrawnPlane> planes;
  std::vector<DrawnPicture> pictures;
  std::vector<DrawnGhost> ghosts;
  /// The other half of what is modelled as one half at the side plane: mirror images, for the eye only.
  std::vector<DrawnBody> otherHalves;
  std::vector<DrawnCurve> otherCurves;
  /// Bodies that come to be by steps after the one that is looked at: seen faintly, never picked.
  std::vector<DrawnBody> later;
  Vec3 low = Vec3::Constant(-60), high = Vec3::Constant(60); ///< box of bodies, curves and points
  int triangles() const;
};
using ScenePtr = std::shared_ptr<const Scene>;

/// An object that is lit up, since it is picked or under the pointer; an empty part means the whole step.
struct Highlight {
  recipe::Kind kind = recipe::Kind::None;
  std::string step, part;
};

/// Lines and points that show an object.
struct Outline {
  std::vector<std::vector<Vec3>> lines;
  std::vector<Vec3> points;
};
Outline outlineOf(const Scene& d, const Highlight& h);

/// A plane's frame as a closed line.
std::vector<Vec3> outlineOf(const DrawnPlane& p);

enum class Quality { Moving, Fine };

/// `whole`: the model with the steps that come after, when `model` is as of an earlier one.
ScenePtr draw(const recipe::Model& model, Quality quality, const Scene* previous,
                const recipe::Model* whole = nullptr);

} // namespace lumsk::scene
