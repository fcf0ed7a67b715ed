#include "app/notice_bar.h"
#include "app/theme.h"
#include "app/window.h"

#include <QLabel>
#include <QListWidget>
#include <QPushButton>
#include <QTabWidget>

using namespace lumsk;
using namespace lumsk::test;

/// Small windows and large text: nothing is cut off, nothing lies on something else.
class RoomTest : public WindowTestBase {
  Q_OBJECT

  /// Words that do not fit into what shows them.
  QStringList cut() {
    QStringList out;
    for (QWidget* x : window_->findChildren<QWidget*>()) {
      if (!x->isVisible() || x->visibleRegion().isEmpty()) continue;
      const auto* label = qobject_cast<QLabel*>(x);
      const auto* button = qobject_cast<QPushButton*>(x);
      const QString words = label ? label->text() : button ? button->text() : QString();
      if (words.isEmpty() || words.contains("…")) continue;
      const int wide = x->fontMetrics().horizontalAdvance(words);
      const bool tooNarrow = !(label && label->wordWrap()) && !words.contains('<') && !words.contains('\n') && wide > x->contentsRect().width() + 1;
      const bool tooLow = label && label->wordWrap() && label->heightForWidth(label->width()) > label->height() + 2;
      if (tooNarrow || tooLow) out << x->objectName() + " '" + words + "' " + QString::number(x->width()) + " of " + QString::number(wide);
    }
    return out;
  }

  /// What lies over the view is inside it, and not on one another.
  QStringList overlaps() {
    QStringList out;
    std::vector<std::pair<QString, QRect>> seen;
    const QRect room(view().mapTo(window_.get(), QPoint()), view().size());
    for (const char* name : {"tags", "lenses", "lens-panel", "start", "notice", "command"})
      for (QWidget* x : window_->findChildren<QWidget*>(name)) {
        if (!x->isVisible()) continue;
        const QRect r(x->mapTo(window_.get(), QPoint()), x->size());
        if (!room.adjusted(-1, -1, 1, 1).contains(r)) out << QString(name) + " is not inside the view";
        for (const auto& [other, s] : seen)
          if (s.intersects(r)) out << QString(name) + " lies on " + other;
        seen.emplace_back(name, r);
      }
    return out;
  }

  void small() {
    window_->resize(1024, 700);
    QTest::qWait(50);
  }

private slots:
  void theStartPanelAndItsNeighboursHoldInASmallWindow() {
    small();
    for (const Qt::Key stage : {Qt::Key_1, Qt::Key_2, Qt::Key_5}) {
      keys(stage);
      QTest::qWait(30);
      QVERIFY2(cut().isEmpty(), qPrintable(cut().join("; ")));
      QVERIFY2(overlaps().isEmpty(), qPrintable(overlaps().join("; ")));
    }
  }

  void everyFormHoldsInASmallWindowAndWithLargeText_data() {
    QTest::addColumn<double>("scale");
    QTest::newRow("usual text") << 1.0;
    QTest::newRow("large text") << 1.3;
  }
  void everyFormHoldsInASmallWindowAndWithLargeText() {
    QFETCH(double, scale);
    struct Usual {
      ~Usual() { app::applyTheme(*qApp); }
    } usual;
    app::applyTheme(*qApp, app::Theme::Clay, scale);
    small();
    QStringList bad;
    for (const auto& s : w().registry().all()) {
      w().focus().start(s.kind);
      QVERIFY(settled());
      more();
      QTest::qWait(10);
      for (const QString& c : cut()) bad << QString::fromStdString(s.kind) + ": " + c;
      w().session().dropDraft();
      QVERIFY(settled());
    }
    QVERIFY2(bad.isEmpty(), qPrintable(bad.join("\n")));
  }

  void noticesAndTheCommandFieldKeepOutOfEachOthersWay() {
    QVERIFY(open("tumbler.lumsk"));
    small();
    auto* notice = window_->findChild<app::NoticeBar*>();
    notice->show("Unsaved work on a jug was kept when the program ended unexpectedly.", {{"Open it", "a", {}}, {"Not now", "b", {}}});
    QTest::qWait(20);
    keys(Qt::Key_Space);
    auto* list = find<QWidget>("command")->findChild<QListWidget*>();
    QVERIFY(list && list->count() > 0);
    QVERIFY2(overlaps().isEmpty(), qPrintable(overlaps().join("; ")));
  }
};

static test::Register<RoomTest> registeredRoomTest;
#include "room_test.moc"
