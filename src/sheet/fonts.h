#pragma once

namespace lumsk::sheet {

/// Makes the fonts that travel with the program known to Qt; as often as one likes. Needs a QGuiApplication.
void useOwnFonts();

/// Makes a QGuiApplication for this thread where the program has none yet: what draws text needs one.
void haveGui();

} // namespace lumsk::sheet
