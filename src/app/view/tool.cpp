#include "app/view/tool.h"

#include "app/view/view_widget.h"

namespace lumsk::app {

Workspace& Tool::work() const { return view_.workspace(); }

} // namespace lumsk::app
