#pragma once

namespace lumsk::sheet {

/// Makes the fonts that travel with the program known to Qt; as often as one likes. Needs a QGuiApplication.
void useOwnFonts();

} // namespace lumsk::sheet
