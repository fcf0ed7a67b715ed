#pragma once
#include "app/widgets.h"

#include <QFrame>
#include <functional>
#include <vector>

namespace lumsk::app {

/// Something the person should know, with what can be done about it, over the view and out of the way.
class NoticeBar : public QFrame {
  Q_OBJECT
public:
  explicit NoticeBar(QWidget* parent);
  struct Choice {
    QString words, name;
    std::function<void()> act;
  };
  void show(const QString& sentence, std::vector<Choice> choices);
signals:
  void changed(); ///< it has another size, or went away

private:
  QLabel* words_;
  QHBoxLayout* buttons_;
};

} // namespace lumsk::app
