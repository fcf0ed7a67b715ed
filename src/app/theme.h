#pragma once
#include <QColor>
#include <QIcon>
#include <QString>

class QApplication;

namespace lumsk::app {

/// Theme Clay: colours of the frame around the form.
namespace clay {
inline const QColor ground{"#F3F1ED"}, panel{"#FBFAF7"}, line{"#DDD9D2"}, text{"#22262A"}, soft{"#5F6468"};
inline const QColor accent{"#1F7A6B"}, accentSoft{"#E1EEEA"}, attention{"#D9583B"}, attentionText{"#B3401F"},
    caution{"#C08A1E"};
} // namespace clay

/// Fonts, style sheet and palette for the whole program.
void applyTheme(QApplication& app);
/// An icon of ours by its resource ("icons/curves", "steps/loft"), in a colour.
QIcon icon(const QString& name, const QColor& colour = clay::text);

} // namespace lumsk::app
