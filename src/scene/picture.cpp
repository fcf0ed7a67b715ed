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

  Expected<Pixels> draw(const PictureOptions& o) {
    aim(o);
    if (!o.clear) return shot(o);
    // What is transparent shows the ground: the more of it, the more a black and a white one differ.
    constexpr unsigned kBlack = 0, kWhite = 0xFFFFFF;
    const unsigned ink = o.ground ? o.ground->ink : Ground().ink;
    viewer_.setGround(kBlack, kBlack, ink);
    LUMSK_TRY(black, shot(o));
    viewer_.setGround(kWhite, kWhite, ink);
    LUMSK_TRY(white, shot(o));
    return withoutGround(black, white);
  }

private:
  /// What is seen, from where and how.
  void aim(const PictureOptions& o) {
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
    if (o.ground) viewer_.setGround(o.ground->top, o.ground->bottom, o.ground->ink);
    viewer_.setLens(o.lens);
    viewer_.view()->Camera()->SetAspect(double(o.width) / o.height);
    viewer_.setPerspective(o.pose ? o.pose->perspective : o.perspective);
    viewer_.show(scene, resultOf(scene, o.lens));
    viewer_.lookFrom(o.from);
    if (o.pose) viewer_.setPose(*o.pose);
    if (o.toScale) viewer_.fitToScale(o.toScale->middle, o.toScale->mmPerPixel * std::min(o.width, o.height));
    if (o.turn) viewer_.turnRound(o.turn->deg);
  }

  /// What a lens shows, worked out once for pictures of the same look.
  LensResultPtr resultOf(const ScenePtr& scene, const LensState& lens) {
    auto result = std::make_shared<LensResult>(work_.make(scene, lens, false, {}));
    LensArt marks = picturedMarks(*scene, lens, tol_);
    std::move(marks.lines.begin(), marks.lines.end(), std::back_inserter(result->art.lines));
    std::move(marks.dots.begin(), marks.dots.end(), std::back_inserter(result->art.dots));
    return result;
  }

  Expected<Pixels> shot(const PictureOptions& o) {
    Image_AlienPixMap image;
    if (!viewer_.view()->ToPixMap(image, o.width, o.height))
      return fail(problem("LM-D002", "the picture could not be drawn").tryThis("try a smaller size"));
    Pixels p{int(image.SizeX()), int(image.SizeY()), {}, {}};
    p.rgb.reserve(size_t(p.width) * size_t(p.height) * 3);
    for (int y = 0; y < p.height; ++y)
      for (int x = 0; x < p.width; ++x) {
        const Quantity_Color c = image.PixelColor(x, y).GetRGB();
        for (double v : {c.Red(), c.Green(), c.Blue()}) p.rgb.push_back((unsigned char)(std::lround(v * 255)));
      }
    return p;
  }

  static Pixels withoutGround(const Pixels& black, const Pixels& white) {
    Pixels out = black;
    out.alpha.resize(black.rgb.size() / 3);
    // The grounds as the display made them: where they differ most there is nothing else.
    int whole = 1;
    for (size_t k = 0; k < black.rgb.size(); ++k) whole = std::max(whole, int(white.rgb[k]) - int(black.rgb[k]));
    for (size_t k = 0; k < out.alpha.size(); ++k) {
      double seen = 0;
      for (size_t c = 3 * k; c < 3 * k + 3; ++c) seen += (int(white.rgb[c]) - int(black.rgb[c])) / (3.0 * whole);
      const double alpha = std::clamp(1.0 - seen, 0.0, 1.0);
      out.alpha[k] = (unsigned char)(std::lround(255 * alpha));
      for (size_t c = 3 * k; c < 3 * k + 3; ++c) out.rgb[c] = out.alpha[k] == 0 ? 0 : (unsigned char)(std::lround(std::min(255.0, black.rgb[c] / alpha)));
    }
    return out;
  }

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
  for (int k = 0; k <= int(ViewFrom::Corner); ++k)
    if (name == nameOf(ViewFrom(k))) return ViewFrom(k);
  return std::nullopt;
}

const char* nameOf(ViewFrom from) {
  static const char* const names[] = {"front", "back", "left", "right", "top", "bottom", "corner"};
  return names[int(from)];
}

Expected<void> drawEach(const recipe::Model& model, const std::vector<PictureOptions>& options, const Context& cx,
                        const std::function<Expected<void>(size_t, Pixels&&)>& take) {
  return brep::guarded("drawing the picture", [&]() -> Expected<void> {
    LUMSK_TRY(studio, Studio::open(model));
    for (size_t k = 0; k < options.size(); ++k) {
      if (cx.stopped()) return fail(cancelled());
      LUMSK_TRY(picture, studio->draw(options[k]));
      LUMSK_CHECK(take(k, std::move(picture)));
    }
    return {};
  });
}

Expected<std::vector<Pixels>> drawPictures(const recipe::Model& model, const std::vector<PictureOptions>& options,
                                           const Context& cx) {
  std::vector<Pixels> out;
  LUMSK_CHECK(drawEach(model, options, cx, [&](size_t, Pixels&& p) -> Expected<void> {
    out.push_back(std::move(p));
    return {};
  }));
  return out;
}

Expected<Pixels> drawPicture(const recipe::Model& model, const PictureOptions& o) {
  LUMSK_TRY(all, drawPictures(model, {o}, {}));
  return std::move(all.front());
}

} // namespace lumsk::scene
