#include "scene/picture.h"

#include "brep/guard.h"
#include "scene/viewer.h"

#include <Aspect_DisplayConnection.hxx>
#include <Image_AlienPixMap.hxx>
#include <Xw_Window.hxx>

namespace lumsk::scene {

Expected<void> writePicture(const recipe::Model& model, const std::string& path, int width, int height) {
  return brep::guarded("drawing the picture", [&]() -> Expected<void> {
    if (!std::getenv("DISPLAY"))
      return fail(problem("LM-D001", "a picture needs a display").tryThis("run it under Xvfb: xvfb-run lumsk-cli ..."));
    Handle(Aspect_DisplayConnection) display = new Aspect_DisplayConnection();
    Handle(OpenGl_GraphicDriver) driver = new OpenGl_GraphicDriver(display);
    Viewer viewer(driver);
    Handle(Xw_Window) window = new Xw_Window(display, "picture", 0, 0, width, height);
    window->SetVirtual(true);
    viewer.view()->SetWindow(window);
    viewer.view()->ChangeRenderingParams().NbMsaaSamples = 4;
    const DrawingPtr drawing = draw(model, Quality::Fine, nullptr);
    viewer.view()->Camera()->SetAspect(double(width) / height);
    viewer.show(drawing);
    viewer.fit(drawing->low, drawing->high);
    Image_AlienPixMap pixels;
    if (!viewer.view()->ToPixMap(pixels, width, height))
      return fail(problem("LM-D002", "the picture could not be drawn").tryThis("try a smaller size"));
    if (!pixels.Save(path.c_str()))
      return fail(
          problem("LM-F022", "the picture cannot be written").tryThis("use .png and a folder you may write to"));
    return {};
  });
}

} // namespace lumsk::scene
