#pragma once
#include "base/problem.h"
#include "base/vec.h"

#include <QObject>

namespace lumsk::app {

/// What the rooms of a project tell the window.
class News : public QObject {
  Q_OBJECT
signals:
  void problemArose(const lumsk::Problem& p);
  void told(const QString& sentence); ///< that needs no answer
  void wantsLookAt(const lumsk::Vec3& p);
  void waysWanted(); ///< every construction through what is picked is to be tried
  void ironWanted(); ///< the curves of what is picked, or of the open step, are to be ironed out
};

} // namespace lumsk::app
