#pragma once
#include "jobs/job.h"

namespace lumsk::test {

/// A job in which something is drawn on a plane.
class DrawingJob : public Job {
  Q_OBJECT
protected:
  app::DrawingBoard& board() { return w().board(); }
  const drawing::Drawing& now() { return board().drawing(); }
  Vec3 on(double x, double y) { return board().toWorld({x, y}); }

  void begin(const std::string& plane) {
    tool("curves", "drawing");
    at(planeSeen(plane));
    QVERIFY(QTest::qWaitFor([&] { return board().open(); }, 3000));
    QVERIFY(settled());
    board().take(""); // no tool: tests say which
  }
  void with(const QString& tool) { press("draw-" + tool); }
  void put(double x, double y, Qt::KeyboardModifiers keys = {}) {
    ++clicks_;
    pickAt(on(x, y), keys);
  }
  /// Ends the tool.
  void rest() {
    QTest::keyClick(&view(), Qt::Key_Escape);
    if (board().tool()) QTest::keyClick(&view(), Qt::Key_Escape);
    QVERIFY(!board().tool());
  }
  void typed(const QString& name, const QString& text) {
    keysTyped_ += int(text.size()) + 1;
    auto* line = find<QLineEdit>(name);
    QVERIFY(line);
    line->selectAll();
    QTest::keyClicks(line, text);
    QTest::keyClick(line, Qt::Key_Return);
    QVERIFY(settled());
  }
  /// A number typed while something is drawn towards a place.
  void typedTowards(double x, double y, const QString& text) {
    QTest::mouseMove(&view(), onScreen(on(x, y)));
    QTest::qWait(30);
    QTest::keyClick(&view(), text[0].isDigit() ? text[0].toLatin1() : '=');
    typed("sketch-number", text);
  }
};

} // namespace lumsk::test
