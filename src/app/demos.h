#pragma once
#include <QString>

namespace lumsk::app {

/// Where the demos are: installed, or beside the sources of a build; empty: nowhere.
QString demoFolder();
/// Likewise what came of the jobs of docs/jobs.md.
QString exampleFolder();
/// Demos and examples stay as they are: nothing is saved to them.
bool isDemo(const QString& path);

} // namespace lumsk::app
