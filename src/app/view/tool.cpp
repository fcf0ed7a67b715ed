#include "app/view/tool.h"

#include "app/view/rays.h"
#include "app/view/view_widget.h"

namespace lumsk::app {

Workspace& Tool::work() const { return view_.workspace(); }

const recipe::Outcome* Tool::openOutcome() const {
  const auto* r = work().model()->result(work().focus().open());
  return r ? r->outcome.get() : nullptr;
}

Mark Tool::markAt(const MarkKind& kind, const Vec3& world, const recipe::ItemRef& ref, size_t index) {
  Mark m{&kind, pixelOf(view_.camera(), world)};
  m.world = world;
  m.step = ref.step, m.field = ref.field, m.item = ref.item, m.key = ref.key;
  m.tool = this, m.index = index;
  return m;
}

} // namespace lumsk::app
