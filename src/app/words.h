#pragma once
#include "base/problem.h"

#include <QString>

namespace lumsk::app {

/// A text of the core (labels, helps, summaries) in the person's language, from the context "core". What is not known
/// as it is, is looked up with %1, %2 in the places of its numbers, then part by part between " - ".
QString said(const std::string& text);

/// One line: what, measured, required, remedy; figures as the person wants them shown.
QString said(const Problem& p);

/// What threw something where nothing should: it is not done, and nothing else is lost.
QString brokenInside(const QString& why);

/// Looks for translations into the desktop's language, beside an installed program.
void useOwnLanguage();

} // namespace lumsk::app
