#pragma once
#include <QColor>
#include <QIcon>
#include <QString>

class QApplication;

namespace lumsk::app {

/// Colours of the frame around the form.
struct Tones {
  QColor ground, panel, base, line, border, hover, text, soft, disabled;
  QColor accent, accentText, accentSoft; ///< for areas, for words, behind words
  QColor attention, attentionText, caution, cautionText;
  QColor over;                ///< behind what lies over the view
  QColor viewTop, viewBottom; ///< ground of the view
  QColor ink;                 ///< curves and edges in the view
};

enum class Theme { Clay, Slate };
const char* themeName(Theme t);
Theme themeOf(const QString& name); ///< Clay for what is not known

/// Of the theme in use.
const Tones& tones();
Theme theme();

/// Fonts, style sheet and palette for the whole program; may be called again. `textScale` times the desktop's text.
/// Labels choose their look by the property "tone": soft, bad, caution, head, title.
void applyTheme(QApplication& app, Theme theme = Theme::Clay, double textScale = 1.0);
/// Lengths that go with the text: 100 at the usual size.
int withText(int pixels);

enum class IconTone { Text, Accent };
/// An icon of ours by its resource ("icons/curves", "steps/loft"), in a colour of the theme in use when it is painted.
QIcon icon(const QString& name, IconTone tone = IconTone::Text);

} // namespace lumsk::app
