// Turning and panning: whatever is dragged that nobody else takes.
#include "app/view/tool.h"
#include "app/view/view_widget.h"

namespace lumsk::app::tools {

namespace {

class Navigate : public Tool {
public:
  using Tool::Tool;

  bool grab(const Pointer& p, const Mark*) override {
    pans_ = p.button != Qt::LeftButton;
    last_ = p.pressed;
    if (!pans_) {
      // About the point under the pointer, else about the middle of the form.
      const scene::Scene& d = *work().scene();
      const auto hits = scene::pickAt(d, view().camera(), p.pressed.x(), p.pressed.y(),
                                      recipe::Kind::Face | recipe::Kind::Curve);
      pivot_ = hits.empty() ? Vec3(0.5 * (d.low + d.high)) : hits.front().at;
    }
    return true;
  }

  void drag(const Pointer& p) override {
    const QPointF by = p.at - last_;
    last_ = p.at;
    if (pans_)
      view().panBy(by);
    else
      view().turnBy(by, pivot_);
  }

  void letGo(const Pointer&) override { view().redraw(); }

private:
  bool pans_ = false;
  QPointF last_;
  Vec3 pivot_ = Vec3::Zero();
};

} // namespace

std::unique_ptr<Tool> navigate(ViewWidget& view) { return std::make_unique<Navigate>(view); }

} // namespace lumsk::app::tools
