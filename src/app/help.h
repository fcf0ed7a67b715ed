#pragma once
#include "recipe/step.h"

#include <QString>

class QWidget;

namespace lumsk::app {

/// The help page of a step with the table of its inputs made from the schema.
QString helpText(const recipe::Registry& registry, const QString& kind);
void showHelp(const recipe::Registry& registry, const QString& kind, QWidget* parent);

} // namespace lumsk::app
