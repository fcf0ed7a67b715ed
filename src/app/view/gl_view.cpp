#include "app/view/gl_view.h"

#include "app/preferences.h"
#include "app/theme.h"

#include <Aspect_DisplayConnection.hxx>
#include <Aspect_NeutralWindow.hxx>
#include <OpenGl_FrameBuffer.hxx>
#include <OpenGl_View.hxx>
#include <OpenGl_Window.hxx>

#include <QElapsedTimer>
#include <QEvent>

namespace lumsk::app {

namespace {

/// Qt's frame buffer keeps its own colour space.
class PlainFrameBuffer : public OpenGl_FrameBuffer {
public:
  void BindBuffer(const Handle(OpenGl_Context) & c) override {
    OpenGl_FrameBuffer::BindBuffer(c);
    c->SetFrameBufferSRGB(true, false);
  }
};

constexpr int kSettleMs = 150; ///< without movement, after which the picture is drawn smoothly
/// Displays without a graphics card: pictures that take longer are drawn more coarsely while something moves, until they
/// are fast even so.
constexpr int kSlowMs = 30, kFastMs = 4;
constexpr float kCoarse = 0.5f; ///< of the width and height

} // namespace

GlView::GlView(QWidget* parent) : QOpenGLWidget(parent) {
  QSurfaceFormat f;
  f.setDepthBufferSize(24);
  f.setStencilBufferSize(8);
  f.setProfile(QSurfaceFormat::CoreProfile);
  f.setVersion(3, 3);
  setFormat(f);
  setUpdateBehavior(QOpenGLWidget::PartialUpdate); // what is drawn over the view does not draw the view again
  settle_.setSingleShot(true);
  settle_.setInterval(kSettleMs);
  connect(&settle_, &QTimer::timeout, this, &GlView::changed);
}

GlView::~GlView() {
  makeCurrent();
  viewer_.reset();
  driver_.Nullify();
  doneCurrent();
}

void GlView::initializeGL() {
  viewer_.reset();
  // Kept to the end of the program: the GL library still refers to it after the view is gone.
  static const Handle(Aspect_DisplayConnection) display = new Aspect_DisplayConnection();
  driver_ = new OpenGl_GraphicDriver(display, false);
  driver_->ChangeOptions().buffersNoSwap = true;
  driver_->ChangeOptions().buffersOpaqueAlpha = true;
  driver_->ChangeOptions().useSystemBuffer = false;
  viewer_ = std::make_unique<scene::Viewer>(driver_);
  Handle(OpenGl_Context) context = new OpenGl_Context();
  if (!context->Init(true)) {
    emit cannotDraw(problem("LM-D003", "the display cannot draw in 3D").tryThis("install OpenGL drivers (Mesa)"));
    viewer_.reset();
    return;
  }
  Handle(Aspect_NeutralWindow) window = new Aspect_NeutralWindow();
  window->SetVirtual(true);
  window->SetNativeHandle(Aspect_Drawable(this->window()->winId()));
  window->SetSize(int(width() * devicePixelRatioF()), int(height() * devicePixelRatioF()));
  viewer_->view()->SetWindow(window, context->RenderingContext());
  setGround();
  made();
}

void GlView::setGround() {
  const auto rgb = [](const QColor& c) { return unsigned(c.rgb() & 0xFFFFFF); };
  viewer_->setGround(rgb(tones().viewTop), rgb(tones().viewBottom), rgb(tones().ink));
}

void GlView::changeEvent(QEvent* e) {
  if (e->type() == QEvent::StyleChange && viewer_) {
    makeCurrent();
    setGround();
    changed();
  }
  QOpenGLWidget::changeEvent(e);
}

void GlView::paintGL() {
  if (!viewer_) return;
  const Handle(V3d_View)& view = viewer_->view();
  const Handle(OpenGl_Context) context = driver_->GetSharedContext();
  if (context.IsNull()) return;
  Handle(OpenGl_FrameBuffer) target = context->DefaultFrameBuffer();
  if (target.IsNull()) {
    target = new PlainFrameBuffer();
    context->SetDefaultFrameBuffer(target);
  }
  if (!target->InitWrapper(context)) return;
  const Graphic3d_Vec2i size(target->GetVPSizeX(), target->GetVPSizeY());
  Standard_Integer w = 0, h = 0;
  view->Window()->Size(w, h);
  if (w != size.x() || h != size.y()) {
    Handle(Aspect_NeutralWindow)::DownCast(view->Window())->SetSize(size.x(), size.y());
    view->MustBeResized();
    stale_ = true;
    sized();
  }
  if (!stale_) return;
  // Smooth lines when the picture stands still, speed while it moves or something is being computed.
  smooth_ = resting() && !settle_.isActive();
  const bool moving = !smooth_ && (held() || settle_.isActive());
  auto& p = view->ChangeRenderingParams();
  p.NbMsaaSamples = smooth_ && preferences().smoothEdges ? 4 : 0;
  p.RenderResolutionScale = moving && slow_ ? kCoarse : 1.0f;
  viewer_->showDetail(smooth_);
  viewer_->syncFloor();
  view->Invalidate();
  view->InvalidateImmediate();
  QElapsedTimer clock;
  clock.start();
  view->Redraw();
  if (moving) slow_ = clock.elapsed() > (slow_ ? kFastMs : kSlowMs);
  stale_ = false;
  ++frames_;
  painted();
}

scene::Camera GlView::camera() const {
  if (!viewer_) return {};
  scene::Camera c = viewer_->camera();
  c.width = std::max(1, width());
  c.height = std::max(1, height());
  return c;
}

void GlView::changed() {
  stale_ = true;
  update();
}

void GlView::moved() {
  settle_.start();
  changed();
}

void GlView::lookFrom(scene::ViewFrom from) {
  if (!viewer_) return;
  viewer_->lookFrom(from);
  changed();
  emit cameraMoved();
}

void GlView::setPerspective(bool on) {
  if (!viewer_) return;
  viewer_->setPerspective(on);
  changed();
  emit cameraMoved();
}

bool GlView::perspective() const { return !viewer_ || viewer_->perspective(); }

void GlView::followCamera(const GlView& other) {
  if (!viewer_ || !other.viewer_) return;
  const Handle(Graphic3d_Camera)& mine = viewer_->view()->Camera();
  mine->Copy(other.viewer_->view()->Camera());
  mine->SetAspect(double(std::max(1, width())) / std::max(1, height()));
  viewer_->keepDepth();
  moved();
}

void GlView::turnBy(QPointF d, const Vec3& about) {
  if (!viewer_) return;
  viewer_->turn(preferences().navigationSpeed * d.x(), preferences().navigationSpeed * d.y(), about);
  changed();
  emit cameraMoved();
}

void GlView::panBy(QPointF d) {
  if (!viewer_) return;
  viewer_->pan(d.x(), d.y());
  changed();
  emit cameraMoved();
}

void GlView::zoomBy(int wheel, QPointF at) {
  if (!viewer_) return;
  viewer_->zoom(std::pow(1.0015, preferences().navigationSpeed * wheel), at.x(), at.y());
  moved();
  emit cameraMoved();
}

void GlView::scale(double factor) {
  if (!viewer_) return;
  viewer_->zoom(factor, 0.5 * width(), 0.5 * height());
  moved();
  emit cameraMoved();
}

} // namespace lumsk::app
