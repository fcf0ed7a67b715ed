#pragma once
#include "scene/floor.h"
#include "scene/lens_work.h"
#include "scene/picker.h"
#include "scene/picture.h"
#include "scene/shaders.h"

#include <Graphic3d_ClipPlane.hxx>
#include <Graphic3d_SequenceOfHClipPlane.hxx>
#include <Graphic3d_Structure.hxx>
#include <OpenGl_Context.hxx>
#include <OpenGl_GraphicDriver.hxx>
#include <V3d_View.hxx>
#include <V3d_Viewer.hxx>

#include <optional>

namespace lumsk::scene {

/// Shows drawings with the kernel's renderer. All calls on the thread that owns the GL context, with it current.
class Viewer {
public:
  explicit Viewer(const Handle(OpenGl_GraphicDriver) & driver);
  ~Viewer();

  const Handle(V3d_View) & view() const { return view_; }
  /// Redraws only what changed. The result may be null, or of a drawing or a lens before: then it is shown until its
  /// successor comes.
  void show(ScenePtr scene, LensResultPtr result);
  void setLens(const LensState& lens); ///< settings alone make nothing anew
  const LensState& lens() const { return lens_; }
  /// Colours of the ground, above and below, and of curves and edges on it (0xRRGGBB).
  void setGround(unsigned top, unsigned bottom, unsigned ink);
  void showDetail(bool on);    ///< off while moving: of very many teeth only some are drawn
  void fadeBut(const std::optional<Frame>& plane); ///< bodies, and curves that do not lie in it; none: nothing
  void showOtherHalf(bool on); ///< the mirror image of what is modelled as one half, faintly
  void showFloor(bool on) { floorOn_ = on; }
  double floorStep() const { return floor_.stepMm; } ///< mm between its lines; 0: there is none
  void syncFloor(); ///< before a picture is drawn, with the display at hand
  bool showPlanes(bool on);    ///< world planes are drawn only while a plane is wanted; true if that changed

  void lookFrom(ViewFrom from);
  void setPerspective(bool on);
  bool perspective() const;
  /// Pixels along the picture's borders that something else covers.
  struct Covered {
    int left = 0, top = 0, right = 0, bottom = 0;
  };
  void setCovered(const Covered& c) { covered_ = c; }
  const Covered& covered() const { return covered_; }
  /// Places fill four fifths of what is not covered: of a box, or of all that is drawn.
  void fit(const Vec3& low, const Vec3& high);
  void fit(const std::vector<Vec3>& places);
  void fitScene();
  void fitToScale(const Vec3& middle, double mmAlongShorterSide); ///< parallel
  void turn(double dxPixels, double dyPixels, const Vec3& about);
  Pose pose() const;
  void setPose(const Pose& p);
  /// About the upright axis through the middle of what is drawn; fitted as it would be from all round, whatever the angle.
  void turnRound(double deg);
  void pan(double dxPixels, double dyPixels);
  void zoom(double factor, double x, double y);
  void lookAt(const Vec3& p); ///< brings a place to the middle
  /// Square to a plane, its second direction upwards; with places these are fitted, else its origin is in the middle.
  void lookSquareTo(const Frame& plane, const std::vector<Vec3>& places);
  Camera camera() const;
  void keepDepth(); ///< after every change of the camera or the scene

private:
  void fitAsSeen(const std::vector<Vec3>& places);
  Covered covered_;
  Handle(Graphic3d_Structure) structure();
  void drawBody(const DrawnBody& b);
  void drawEdges(const DrawnBody& b);
  void drawCurves(const std::vector<DrawnCurve>& curves);
  void drawArt(const LensArt& art);
  FacePrograms::Kind kindOf(const DrawnBody& b, const brep::FaceMesh& m) const;
  const inspect::FieldValues* valuesOf(const brep::FaceMesh& m) const;
  std::string keyOf(const DrawnBody& b, const brep::FaceMesh& m) const;
  void aimCut();                              ///< what lies between the eye and a cut is hidden
  void pushPrograms();                        ///< settings to the shaders
  std::vector<DrawnBody> shownBodies() const; ///< other halves and later bodies included, as they are to be drawn
  void drawPlanes();
  void drawPictures();
  void drawGhosts();
  void redrawAll();

  Handle(V3d_Viewer) viewer_;
  Handle(V3d_View) view_;
  ScenePtr scene_;
  LensState lens_;
  LensResultPtr result_;
  FacePrograms programs_;
  Handle(Graphic3d_ClipPlane) cut_;
  Handle(Graphic3d_SequenceOfHClipPlane) cutPlanes_; ///< of all but faces, which are cut by their shader
  Eigen::Vector4d hidden_ = Eigen::Vector4d::Zero();
  std::map<const void*, Handle(Graphic3d_Structure)> meshes_; ///< by face mesh
  std::map<const void*, std::string> meshKeys_;               ///< how it was drawn
  std::vector<Handle(Graphic3d_Structure)> rest_, details_; ///< `details_` are of the rest, too
  unsigned ink_ = 0x22262A, ground_ = 0xD8D5CF;
  Handle(Graphic3d_Structure) floorLines_;
  Floor floor_;
  bool floorOn_ = false;
  bool planes_ = false, otherHalf_ = true, detail_ = true;
  std::optional<Frame> drawnOn_;
};

} // namespace lumsk::scene
