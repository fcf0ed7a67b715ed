#pragma once
#include "app/main_window.h"
#include "app/view/overlay.h"
#include "app/preferences.h"
#include "inspect/state.h"
#include "steps/registry.h"
#include "support/registry.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDropEvent>
#include <QElapsedTimer>
#include <QFileDialog>
#include <QLineEdit>
#include <QMessageBox>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QTimer>
#include <nlohmann/json.hpp>

namespace lumsk::test {

using app::Mark;
using app::Workspace;
using nlohmann::json;

/// A window for every test, driven by mouse and keys; results are read from the model.
class WindowTestBase : public QObject {
  Q_OBJECT
protected:
  std::unique_ptr<app::MainWindow> window_;
  QTemporaryDir dir_;

  Workspace& w() { return window_->workspace(); }
  app::ViewWidget& view() { return window_->view(); }
  const json& inputs(const std::string& step) { return *w().recipe().find(step)->inputs; }
  const recipe::StepResult* result(const std::string& id) { return w().model()->result(id); }

  template <class T> T* find(const QString& name) {
    T* found = nullptr;
    const auto look = [&] {
      for (T* x : window_->findChildren<T*>(name))
        if (x->isVisible()) found = x;
      return found != nullptr;
    };
    if (QTest::qWaitFor(look, 2000)) return found;
    qWarning("nothing visible is called %s", qPrintable(name));
    return nullptr;
  }

  void click(const QString& name) {
    auto* b = find<QAbstractButton>(name);
    QVERIFY2(b, qPrintable(name));
    QTest::mouseClick(b, Qt::LeftButton);
  }

  /// Unfolds what forms fold away, where there is such.
  void more() {
    for (auto* b : window_->findChildren<QPushButton*>("more"))
      if (b->isVisible() && !b->isChecked()) QTest::mouseClick(b, Qt::LeftButton);
  }

  void toggle(const QString& field) {
    auto* box = find<QCheckBox>("switch-" + field);
    QVERIFY2(box, qPrintable(field));
    QTest::mouseClick(box, Qt::LeftButton, {}, {8, box->height() / 2});
    QVERIFY(settled());
  }

  void type(const QString& field, const QString& text) {
    auto* e = find<QLineEdit>("edit-" + field);
    QVERIFY2(e, qPrintable(field));
    QTest::mouseClick(e, Qt::LeftButton);
    e->selectAll();
    QTest::keyClicks(e, text);
    QTest::keyClick(e, Qt::Key_Return);
  }

  std::vector<double> waits_; ///< s: how long each change took until everything was made
  bool settled(int withinMs = 60000) {
    QElapsedTimer clock;
    clock.start();
    const bool done = QTest::qWaitFor([&] { return !w().busy() && w().model()->recipe.get() == &w().recipe(); }, withinMs);
    waits_.push_back(double(clock.elapsed()) / 1000);
    return done;
  }
  /// A step, kept at once.
  void add(const std::string& kind, const json& values) {
    recipe::StepEntry e;
    e.kind = kind;
    e.version = 1;
    e.label = kind;
    e.inputs = std::make_shared<const json>(values);
    w().session().begin(std::move(e));
    w().session().keepDraft();
    QVERIFY(settled());
  }
  /// A file of `tests/files`, as one of one's own.
  bool openFile(const QString& name) {
    const QString file = dir_.filePath(name);
    QFile::remove(file);
    return QFile::copy(LUMSK_SOURCE_DIR "/tests/files/" + name, file) && window_->openPath(file) && settled();
  }
  /// A kettle's wall with spout and handle as bodies of their own, made of measured drawings.
  bool openKettle() { return openFile("kettle_of_three.lumsk"); }
  bool open(const QString& demo) { return window_->openPath(LUMSK_DATA_DIR "/demos/" + demo) && settled(); }

  /// A file is dropped on the window.
  void drop(const QString& path) {
    QMimeData data;
    data.setUrls({QUrl::fromLocalFile(path)});
    QDragEnterEvent enter(QPoint(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window_.get(), &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent e(QPointF(300, 300), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(window_.get(), &e);
    QVERIFY(settled());
  }

  QPoint onScreen(const Vec3& p) {
    const Vec3 s = view().camera().toScreen(p);
    return {int(std::lround(s.x())), int(std::lround(s.y()))};
  }

  void pickAt(const Vec3& p, Qt::KeyboardModifiers keys = {}) {
    const QPoint q = onScreen(p);
    QTest::mouseMove(&view(), q);
    QTest::qWait(20);
    QTest::mouseClick(&view(), Qt::LeftButton, keys, q);
    QVERIFY(settled());
  }

  void drag(QPoint from, QPoint to, Qt::MouseButton button = Qt::LeftButton, Qt::KeyboardModifiers keys = {}) {
    QTest::mouseMove(&view(), from);
    QTest::mousePress(&view(), button, keys, from);
    for (int i = 1; i <= 8; ++i) {
      const QPoint p = from + (to - from) * i / 8;
      QMouseEvent move(QEvent::MouseMove, p, view().mapToGlobal(p), Qt::NoButton, button, keys);
      QApplication::sendEvent(&view(), &move);
      QTest::qWait(20);
    }
    QTest::mouseRelease(&view(), button, keys, to);
    QVERIFY(settled());
  }

  /// The mark of a kind for which `is` holds; one of no kind if there is none.
  Mark mark(const std::string& kind, const std::function<bool(const Mark&)>& is) {
    static const lumsk::app::MarkKind none{"none", false, false, nullptr};
    Mark found{&none, {}};
    const auto look = [&] {
      const auto& all = view().marks();
      const auto at = std::find_if(all.begin(), all.end(), [&](const Mark& m) { return m.kind->name == kind && is(m); });
      if (at != all.end()) found = *at;
      return at != all.end();
    };
    if (!QTest::qWaitFor(look, 2000)) qWarning("no such mark");
    return found;
  }
  Mark handle(const std::string& field) {
    return mark("handle", [&](const Mark& m) { return m.field == field; });
  }

  /// Takes an option: side by side by a click, in a list by keys.
  void choose(const QString& field, const QString& option) {
    for (auto* b : window_->findChildren<QAbstractButton*>("option-" + field + "-" + option))
      if (b->isVisible()) {
        QTest::mouseClick(b, Qt::LeftButton);
        QVERIFY(settled());
        return;
      }
    auto* box = find<QComboBox>("choose-" + field);
    QVERIFY2(box, qPrintable(field));
    box->setFocus();
    QTest::keyClick(box, Qt::Key_Home);
    for (int i = box->findData(option); i > 0; --i) QTest::keyClick(box, Qt::Key_Down);
    QVERIFY(settled());
    QCOMPARE(box->currentData().toString(), option);
  }

  void ring(const QString& width, const QString& height) {
    click("tool-ring");
    QVERIFY(settled());
    type("width", width);
    type("height", height);
    click("keep");
    QVERIFY(settled());
  }

  /// Answers the next modal dialog of a kind.
  template <class T> void whenAsked(std::function<void(T*)> answer) {
    auto* timer = new QTimer(this);
    connect(timer, &QTimer::timeout, this, [timer, answer] {
      auto* dialog = qobject_cast<T*>(QApplication::activeModalWidget());
      if (!dialog || !dialog->isVisible()) return;
      timer->deleteLater();
      timer->stop();
      answer(dialog);
    });
    timer->start(30);
  }

  /// Types a path into the next file dialog and confirms it by key.
  void whenAskedForAFile(const QString& path) {
    whenAsked<QFileDialog>([path](QFileDialog* d) {
      auto* name = d->findChild<QLineEdit*>("fileNameEdit");
      name->setCompleter(nullptr); // its list would take the Enter key
      name->setFocus();
      name->selectAll();
      QTest::keyClicks(name, path);
      // The dialog looks for the folder first and may not take the first Enter.
      for (int i = 0; i < 5 && d->isVisible(); ++i) {
        QTest::keyClick(name, Qt::Key_Return);
        QTest::qWait(30);
      }
      if (!d->isVisible()) return;
      qWarning("the file is not taken: %s", qPrintable(path));
      d->reject();
    });
  }

  /// Without a window manager nobody gives the window back its focus after a dialog.
  void keys(Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
    window_->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window_.get()));
    view().setFocus(); // as for a person, whose keys go where the focus is
    QTest::keyClick(&view(), key, modifiers);
  }

protected slots:
  void init() {
    QSettings().clear(); // as on the first day
    app::Preferences plain;
    plain.smoothEdges = false; // there is no graphics card
    app::usePreferences(plain);
    waits_.clear();
    window_ = std::make_unique<app::MainWindow>(steps::registry());
    window_->show();
    window_->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window_.get()));
    QVERIFY(QTest::qWaitFor([&] { return view().framesPainted() > 0; }, 10000));
  }
  void cleanup() {
    w().file().newProject();
    window_.reset();
  }
};

} // namespace lumsk::test
