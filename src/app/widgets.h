#pragma once
// The widgets that every panel is made of.
#include <QBoxLayout>
#include <QLabel>
#include <QPushButton>
#include <QStyle>
#include <QWidget>

namespace lumsk::app {

/// Words in one of the theme's tones; clicks go through it.
inline QLabel* toned(const QString& text, const char* tone) {
  auto* l = new QLabel(text);
  l->setProperty("tone", tone);
  l->setAttribute(Qt::WA_TransparentForMouseEvents);
  return l;
}

/// A widget with the name that tests find it by, and words for those who point at it or cannot see it.
template <class W> W* named(W* widget, const char* name, const QString& words = {}) {
  widget->setObjectName(name);
  widget->setToolTip(words);
  widget->setAccessibleName(words);
  return widget;
}

/// Other words in a label, in another tone.
inline void say(QLabel& label, const QString& words, const char* tone) {
  label.setText(words);
  label.setProperty("tone", tone);
  label.style()->unpolish(&label);
  label.style()->polish(&label);
}

} // namespace lumsk::app
