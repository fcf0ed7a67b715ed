#include "scene/picture.h"

#include "brep/guard.h"
#include "scene/viewer.h"

#include <Aspect_DisplayConnection.hxx>
#include <Image_AlienPixMap.hxx>
#include <Xw_Window.hxx>

namespace lumsk::scene {

namespace {

/// A window that is never seen, and a viewer on it, for several pictures of one model.
class Studio {
public:
  static Expected<std::unique_ptr<Studio>> open(const recipe::Model& model) {
    if (!std::getenv("DISPLAY"))
      return fail(problem("LM-D001", "a picture needs a display").tryThis("run it under Xvfb: xvfb-run lumsk-cli ..."));
    return std::unique_ptr<Studio>(new Studio(model));
  }

  Expected<void> draw(Image_AlienPixMap& pixels, const PictureOptions& o) {
    auto scene = scene_;
    if (o.finish || o.bodiesOnly) {
      auto own = std::make_shared<Scene>(*scene_);
      for (DrawnBody& b : own->bodies) b.finish = o.finish.value_or(b.finish);
      if (o.bodiesOnly) {
        own->curves.clear(), own->otherCurves.clear(), own->points.clear();
        own->planes.clear(), own->pictures.clear(), own->ghosts.clear();
      }
      scene = own;
    }
    if (o.ground) viewer_.setGround(*o.ground, *o.ground, 0x22262A);
    viewer_.setLens(o.lens);
    viewer_.view()->Camera()->SetAspect(double(o.width) / o.height);
    viewer_.setPerspective(o.perspective);
    auto result = std::make_shared<LensResult>(work_.make(scene, o.lens, false, {}));
    LensArt marks = picturedMarks(*scene, o.lens, tol_);
    std::move(marks.lines.begin(), marks.lines.end(), std::back_inserter(result->art.lines));
    std::move(marks.dots.begin(), marks.dots.end(), std::back_inserter(result->art.dots));
    viewer_.show(scene, result);
    viewer_.lookFrom(o.from);
    if (o.toScale) viewer_.fitToScale(o.toScale->middle, o.toScale->mmPerPixel * std::min(o.width, o.height));
    if (!viewer_.view()->ToPixMap(pixels, o.width, o.height))
      return fail(problem("LM-D002", "the picture could not be drawn").tryThis("try a smaller size"));
    return {};
  }

private:
  explicit Studio(const recipe::Model& model)
      : display_(new Aspect_DisplayConnection()), viewer_(new OpenGl_GraphicDriver(display_)),
        scene_(scene::draw(model, Quality::Fine, nullptr)), tol_(model.recipe->tolerances) {
    Handle(Xw_Window) window = new Xw_Window(display_, "picture", 0, 0, 64, 64);
    window->SetVirtual(true);
    viewer_.view()->SetWindow(window);
    viewer_.view()->ChangeRenderingParams().NbMsaaSamples = 4;
  }
  Handle(Aspect_DisplayConnection) display_;
  Viewer viewer_;
  ScenePtr scene_;
  Tolerances tol_;
  LensWork work_;
};

} // namespace

std::optional<ViewFrom> viewFrom(const std::string& name) {
  static const std::map<std::string, ViewFrom> names{
      {"front", ViewFrom::Front}, {"back", ViewFrom::Back},     {"left", ViewFrom::Left},    {"right", ViewFrom::Right},
      {"top", ViewFrom::Top},     {"bottom", ViewFrom::Bottom}, {"corner", ViewFrom::Corner}};
  const auto it = names.find(name);
  return it == names.end() ? std::nullopt : std::optional(it->second);
}

Expected<std::vector<Pixels>> drawPictures(const recipe::Model& model, const std::vector<PictureOptions>& options,
                                           const Context& cx) {
  return brep::guarded("drawing the picture", [&]() -> Expected<std::vector<Pixels>> {
    LUMSK_TRY(studio, Studio::open(model));
    std::vector<Pixels> out;
    for (const PictureOptions& o : options) {
      if (cx.stopped()) return fail(cancelled());
      Image_AlienPixMap image;
      LUMSK_CHECK(studio->draw(image, o));
      Pixels p{int(image.SizeX()), int(image.SizeY()), {}};
      p.rgb.reserve(size_t(p.width) * size_t(p.height) * 3);
      for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x) {
          const Quantity_Color c = image.PixelColor(x, y).GetRGB();
          for (double v : {c.Red(), c.Green(), c.Blue()}) p.rgb.push_back((unsigned char)(std::lround(v * 255)));
        }
      out.push_back(std::move(p));
    }
    return out;
  });
}

Expected<Pixels> drawPicture(const recipe::Model& model, const PictureOptions& o) {
  LUMSK_TRY(all, drawPictures(model, {o}, {}));
  return std::move(all.front());
}

Expected<void> writePicture(const recipe::Model& model, const std::string& path, const PictureOptions& o) {
  return brep::guarded("drawing the picture", [&]() -> Expected<void> {
    LUMSK_TRY(studio, Studio::open(model));
    Image_AlienPixMap pixels;
    LUMSK_CHECK(studio->draw(pixels, o));
    if (!pixels.Save(path.c_str()))
      return fail(
          problem("LM-F022", "the picture cannot be written").tryThis("use .png and a folder you may write to"));
    return {};
  });
}

} // namespace lumsk::scene
