#pragma once
#include "scene/picker.h"
#include "scene/shaders.h"

#include <Graphic3d_Structure.hxx>
#include <OpenGl_Context.hxx>
#include <OpenGl_GraphicDriver.hxx>
#include <V3d_View.hxx>
#include <V3d_Viewer.hxx>

#include <optional>

namespace lumsk::scene {

struct LensState {
  SurfaceLens surface = SurfaceLens::Shade;
  bool combs = false;
  bool joins = false, openings = false; ///< drawn over the view
};

/// Standard directions of view.
enum class ViewFrom { Front, Back, Left, Right, Top, Bottom, Corner };

/// Shows drawings with the kernel's renderer. All calls on the thread that owns the GL context, with it current.
class Viewer {
public:
  explicit Viewer(const Handle(OpenGl_GraphicDriver) & driver);
  ~Viewer();

  const Handle(V3d_View) & view() const { return view_; }
  void show(DrawingPtr drawing); ///< redraws only what changed
  void setLens(const LensState& lens);
  const LensState& lens() const { return lens_; }
  void showOtherHalf(bool on); ///< the mirror image of what is modelled as one half, faintly
  bool showPlanes(bool on);    ///< world planes are drawn only while a plane is wanted; true if that changed

  void lookFrom(ViewFrom from);
  void setPerspective(bool on);
  bool perspective() const;
  void fit(const Vec3& low, const Vec3& high);
  void turn(double dxPixels, double dyPixels, const Vec3& about);
  void pan(double dxPixels, double dyPixels);
  void zoom(double factor, double x, double y);
  void lookAt(const Vec3& p); ///< brings a place to the middle
  Camera camera() const;
  void keepDepth(); ///< after every change of the camera or the scene

private:
  Handle(Graphic3d_Structure) structure();
  void drawBody(const DrawnBody& b);
  void drawEdges(const DrawnBody& b);
  void drawCurves(const std::vector<DrawnCurve>& curves);
  void drawCombs(const std::vector<DrawnCurve>& curves);
  std::vector<const DrawnBody*> shownBodies() const; ///< other halves included
  void drawPlanes();
  void drawPictures();
  void drawGhosts();
  void redrawAll();

  Handle(V3d_Viewer) viewer_;
  Handle(V3d_View) view_;
  DrawingPtr drawing_;
  LensState lens_;
  std::map<const void*, Handle(Graphic3d_Structure)> meshes_; ///< by face mesh
  std::map<const void*, std::string> meshKeys_;               ///< how it was drawn
  std::vector<Handle(Graphic3d_Structure)> rest_;
  bool planes_ = false, otherHalf_ = true;
};

} // namespace lumsk::scene
