#include "scene/picture.h"

#include "brep/guard.h"
#include "scene/viewer.h"

#include <Aspect_DisplayConnection.hxx>
#include <Image_AlienPixMap.hxx>
#include <Xw_Window.hxx>

namespace lumsk::scene {

namespace {

Expected<void> drawInto(Image_AlienPixMap& pixels, const recipe::Model& model, const PictureOptions& o) {
  if (!std::getenv("DISPLAY"))
    return fail(problem("LM-D001", "a picture needs a display").tryThis("run it under Xvfb: xvfb-run lumsk-cli ..."));
  Handle(Aspect_DisplayConnection) display = new Aspect_DisplayConnection();
  Handle(OpenGl_GraphicDriver) driver = new OpenGl_GraphicDriver(display);
  Viewer viewer(driver);
  Handle(Xw_Window) window = new Xw_Window(display, "picture", 0, 0, 64, 64);
  window->SetVirtual(true);
  viewer.view()->SetWindow(window);
  viewer.view()->ChangeRenderingParams().NbMsaaSamples = 4;
  auto drawing = std::make_shared<Drawing>(*draw(model, Quality::Fine, nullptr));
  if (o.finish)
    for (DrawnBody& b : drawing->bodies) b.finish = *o.finish;
  LensWork work;
  viewer.setLens(o.lens);
  viewer.view()->Camera()->SetAspect(double(o.width) / o.height);
  viewer.setPerspective(o.perspective);
  viewer.show(drawing, std::make_shared<const LensResult>(work.make(drawing, o.lens, false, {})));
  viewer.lookFrom(o.from);
  if (!viewer.view()->ToPixMap(pixels, o.width, o.height))
    return fail(problem("LM-D002", "the picture could not be drawn").tryThis("try a smaller size"));
  return {};
}

} // namespace

std::optional<ViewFrom> viewFrom(const std::string& name) {
  static const std::map<std::string, ViewFrom> names{
      {"front", ViewFrom::Front}, {"back", ViewFrom::Back},     {"left", ViewFrom::Left},    {"right", ViewFrom::Right},
      {"top", ViewFrom::Top},     {"bottom", ViewFrom::Bottom}, {"corner", ViewFrom::Corner}};
  const auto it = names.find(name);
  return it == names.end() ? std::nullopt : std::optional(it->second);
}

Expected<Pixels> drawPicture(const recipe::Model& model, const PictureOptions& o) {
  return brep::guarded("drawing the picture", [&]() -> Expected<Pixels> {
    Image_AlienPixMap image;
    LUMSK_CHECK(drawInto(image, model, o));
    Pixels out{int(image.SizeX()), int(image.SizeY()), {}};
    for (int y = 0; y < out.height; ++y)
      for (int x = 0; x < out.width; ++x) {
        const Quantity_Color c = image.PixelColor(x, y).GetRGB();
        for (double v : {c.Red(), c.Green(), c.Blue()}) out.rgb.push_back((unsigned char)(std::lround(v * 255)));
      }
    return out;
  });
}

Expected<void> writePicture(const recipe::Model& model, const std::string& path, const PictureOptions& o) {
  return brep::guarded("drawing the picture", [&]() -> Expected<void> {
    Image_AlienPixMap pixels;
    LUMSK_CHECK(drawInto(pixels, model, o));
    if (!pixels.Save(path.c_str()))
      return fail(
          problem("LM-F022", "the picture cannot be written").tryThis("use .png and a folder you may write to"));
    return {};
  });
}

} // namespace lumsk::scene
