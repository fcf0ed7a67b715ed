#pragma once
#include "app/widgets.h"
#include "app/workspace.h"

#include <QTimer>

namespace lumsk::app {

/// A thin line that says how far something is. Short work never shows it, and a change only asks for a repaint:
/// painting at once, as a progress bar does, would repaint the whole window with its view.
class ProgressLine : public QWidget {
  Q_OBJECT
public:
  explicit ProgressLine(QWidget* parent = nullptr);
  void busy(bool on);         ///< the line appears when work lasts longer than an eye notices
  void setFraction(double f); ///< 0..1

protected:
  void paintEvent(QPaintEvent* e) override;

private:
  QTimer patience_;
  double fraction_ = 0;
  bool shown_ = false;
};

/// Bottom edge: what the program waits for, and the quality of the step or pick at hand. Numbers are links to places.
class ReadoutStrip : public QWidget {
  Q_OBJECT
public:
  explicit ReadoutStrip(Workspace& w, QWidget* parent = nullptr);
  void progress(double fraction, const QString& words); ///< the thin line; words only for what takes long
  void tell(const QString& sentence);                   ///< a message until the next change

private:
  void sync();
  QPushButton* link(const QString& text, const Vec3& at, const QString& name);
  QString told_, toldDuring_; ///< news, and the instruction that they stand in for
  Workspace& w_;
  QLabel* words_;
  QHBoxLayout* figures_;
  ProgressLine* progress_;
};

} // namespace lumsk::app
