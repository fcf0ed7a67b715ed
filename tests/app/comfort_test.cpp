#include "app/demos.h"
#include "app/window.h"

#include "app/help.h"
#include "app/preferences.h"
#include "inspect/cut.h"
#include "sheet/sheet.h"

#include <QComboBox>
#include <QListWidget>
#include <QMenu>
#include <QMenuBar>
#include <QProcess>
#include <QSpinBox>
#include <QTabBar>
#include <QTabWidget>
#include <QTableWidget>
#include <QTextBrowser>
#include <QTreeWidget>

namespace lumsk::test {

using recipe::Kind;

class ComfortTest : public WindowTestBase {
  Q_OBJECT
  void tab(int i) { window_->findChild<QTabWidget*>("column")->setCurrentIndex(i); }
  QTreeWidgetItem* part(const QString& kind) {
    auto* tree = find<QTreeWidget>("parts");
    for (int i = 0; tree && i < tree->topLevelItemCount(); ++i)
      if (tree->topLevelItem(i)->text(1).startsWith(kind)) return tree->topLevelItem(i);
    return nullptr;
  }
  void choose(const char* box, int index) {
    auto* b = find<QComboBox>(box);
    QVERIFY(b);
    b->setCurrentIndex(index);
    emit b->activated(index);
    QVERIFY(settled());
  }
  bool visible(const std::string& id) {
    const auto it = w().recipe().looks.find(id);
    return it == w().recipe().looks.end() || it->second.visible;
  }

private slots:
  void partsAreFilteredFinishedMadeTransparentAndShownAlone() {
    QVERIFY(open("tumbler.lumsk"));
    QVERIFY(QTest::qWaitFor([&] { return w().results().figuresOf(w().model()->bodies[0].body) != nullptr; }, 10000));
    tab(1);
    auto* solid = part("solid");
    QVERIFY(solid);
    solid->setSelected(true);
    const std::string id = w().model()->bodies.back().id;
    choose("parts-finish", 3);
    QVERIFY(w().recipe().looks.at(id).finish == recipe::Finish::Metal);
    part("solid")->setSelected(true);
    choose("parts-opacity", 2);
    QCOMPARE(w().recipe().looks.at(id).opacity, 0.5);
    QVERIFY(std::any_of(w().scene()->bodies.begin(), w().scene()->bodies.end(),
                        [](const auto& b) { return b.opacity == 0.5 && b.finish == recipe::Finish::Metal; }));
    part("solid")->setSelected(true);
    click("parts-only");
    QVERIFY(settled());
    QVERIFY(visible(id) && !visible(w().recipe().steps[1]->id));
    click("parts-all");
    QVERIFY(settled());
    QVERIFY(visible(w().recipe().steps[1]->id));
    keys(Qt::Key_Z, Qt::ControlModifier); // looks are undone like all else
    QVERIFY(settled());
    QVERIFY(!visible(w().recipe().steps[1]->id));
    auto* kinds = find<QComboBox>("parts-kinds");
    kinds->setCurrentIndex(3);
    QVERIFY(part("solid")->isHidden() && !part("curve")->isHidden());
  }

  void keysTakePickedThingsOutOfSightAndBack() {
    QVERIFY(open("tumbler.lumsk"));
    const std::string body = w().model()->bodies.back().id;
    pickAt({0, -35, 60});
    QVERIFY(!w().focus().selection().empty());
    QTest::keyClick(&view(), Qt::Key_O);
    QVERIFY(settled());
    QVERIFY(!visible(body) && w().focus().selection().empty());
    QTest::keyClick(&view(), Qt::Key_O, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(settled());
    QVERIFY(visible(body));
    pickAt({0, -35, 60});
    QTest::keyClick(&view(), Qt::Key_O, Qt::ShiftModifier);
    QVERIFY(settled());
    QVERIFY(visible(body) && !visible(w().recipe().steps[1]->id));
  }

  void aBoxPicksWhatLiesWholeInIt() {
    for (const char* height : {"0", "30", "60"}) {
      click("tool-ring");
      QVERIFY(settled());
      type("height", height);
      click("keep");
      QVERIFY(settled());
    }
    click("stage-surfaces");
    click("tool-loft");
    QVERIFY(settled());
    view().fitAll();
    QTest::qWait(200);
    // All of the lower two rings, half of the upper one.
    const int between = (onScreen({0, 30, 60}).y() + onScreen({0, -30, 60}).y()) / 2;
    drag({20, std::max(between, 60)}, view().rect().bottomRight() - QPoint(5, 5), Qt::LeftButton, Qt::AltModifier);
    const auto& sections = inputs(w().session().draft())["sections"];
    QCOMPARE(int(sections.size()), 2);
    for (const auto& s : sections) QVERIFY(s["step"] != w().recipe().steps[2]->id);
  }

  void aDoubleClickPicksAChainAndTheMenuSimilarEdges() {
    QVERIFY(open("tumbler.lumsk"));
    w().steps().showOnly({w().model()->bodies.back().id}); // rings lie on its edges
    QVERIFY(settled());
    const auto& body = w().scene()->bodies.back();
    const auto rim = std::find_if(body.edges->begin(), body.edges->end(), [](const auto& e) {
      return !e.seam && e.points.size() > 4 && std::abs(e.points[0].z() - 110) < 1e-6;
    });
    QVERIFY(rim != body.edges->end());
    const auto chain = scene::pickAt(*w().scene(), view().camera(), onScreen(rim->points[rim->points.size() / 3]).x(),
                                     onScreen(rim->points[rim->points.size() / 3]).y(), Kind::Edge);
    QVERIFY(!chain.empty());
    QTest::mouseDClick(&view(), Qt::LeftButton, {}, onScreen(rim->points[rim->points.size() / 3]));
    QVERIFY(!w().focus().selection().empty());
    for (const auto& h : w().focus().selection()) QVERIFY(h.kind == Kind::Edge);
  }

  void bothThemesAreReadableAndTextGrows() {
    const auto contrast = [](const QColor& a, const QColor& b) {
      const auto light = [](const QColor& c) {
        const auto lin = [](double v) { return v <= 0.03928 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4); };
        return 0.2126 * lin(c.redF()) + 0.7152 * lin(c.greenF()) + 0.0722 * lin(c.blueF());
      };
      const double x = light(a), y = light(b);
      return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
    };
    for (const auto theme : {app::Theme::Slate, app::Theme::Clay}) {
      app::Preferences p = app::preferences();
      p.theme = theme;
      app::usePreferences(p);
      const auto& t = app::tones();
      for (const QColor& ground : {t.ground, t.panel, t.base})
        for (const QColor& ink : {t.text, t.soft, t.accentText, t.attentionText, t.cautionText})
          QVERIFY2(contrast(ink, ground) >= 4.5, qPrintable(ink.name() + " on " + ground.name()));
      QVERIFY(contrast(Qt::white, t.accent) >= 4.5);
    }
    const double before = QApplication::font().pointSizeF();
    app::Preferences p = app::preferences();
    p.textScale = 1.5;
    app::usePreferences(p);
    VERIFY_AT_MOST(std::abs(QApplication::font().pointSizeF() / before - 1.5), 0.01);
    p.textScale = 1.0;
    app::usePreferences(p);
  }

  void preferencesActAtOnceAndFiguresAreShownInInches() {
    QVERIFY(open("tumbler.lumsk"));
    tab(1);
    keys(Qt::Key_Comma, Qt::ControlModifier);
    auto* dialog = find<QDialog>("preferences");
    QVERIFY(dialog);
    choose("preferences-units", 1);
    QVERIFY(QTest::qWaitFor([&] { return part("solid") && part("solid")->text(2) != "measuring"; }, 10000));
    QVERIFY(find<QTreeWidget>("parts")->headerItem()->text(2).contains("in"));
    QVERIFY2(part("solid")->text(2).startsWith("2.9") || part("solid")->text(2).startsWith("3"),
             qPrintable(part("solid")->text(2))); // 76 mm
    choose("preferences-theme", 1);
    QVERIFY(app::theme() == app::Theme::Slate);
    choose("preferences-theme", 0);
    choose("preferences-units", 0);
    dialog->close();
  }

  void theHelpIsFoundByItsWordsAndOpensAtTheStep() {
    QVERIFY(open("tumbler.lumsk"));
    w().focus().unfold(w().recipe().steps[1]->id);
    keys(Qt::Key_F1);
    auto* text = find<QTextBrowser>("help-text");
    QVERIFY(text && text->toPlainText().startsWith("Ring"));
    auto* search = find<QLineEdit>("help-search");
    QTest::keyClicks(search, "undercut");
    auto* list = find<QListWidget>("help-pages");
    QVERIFY(list->count() >= 1);
    QVERIFY(text->toPlainText().contains("undercut", Qt::CaseInsensitive));
    search->clear();
    QTest::keyClicks(search, "qqqq");
    QCOMPARE(list->count(), 0);
    QVERIFY(text->toPlainText().contains("Nothing"));
    // Every step and the keys have a page.
    const auto pages = app::helpPages(w().registry(), window_.get());
    for (const auto& s : w().registry().all())
      QVERIFY(std::any_of(pages.begin(), pages.end(), [&](const auto& p) {
        return p.key == QString::fromStdString(s.kind) && p.text.size() > 100;
      }));
    const auto keysPage = std::find_if(pages.begin(), pages.end(), [](const auto& p) { return p.key == "keys"; });
    QVERIFY(keysPage != pages.end() && keysPage->text.contains("Ctrl+Z") && keysPage->text.contains("Ctrl+E"));
  }

  void aPictureOfAnySizeIsWrittenThroughTheMenu() {
    QVERIFY(open("tumbler.lumsk"));
    QTest::qWait(300);
    const QString path = dir_.filePath("cup.png");
    whenAsked<QDialog>([this, path](QDialog* d) {
      d->findChild<QSpinBox*>("picture-width")->setValue(900);
      d->findChild<QSpinBox*>("picture-height")->setValue(300);
      d->findChild<QComboBox*>("picture-finish")->setCurrentIndex(4);
      whenAskedForAFile(path);
      d->accept();
    });
    keys(Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    const QImage image(path);
    QCOMPARE(image.size(), QSize(900, 300));
    // The form stands in it, undistorted: about as wide as it is in the view.
    int inside = 0;
    const QRgb ground = image.pixel(5, 150);
    for (int x = 0; x < 900; ++x) inside += std::abs(qGray(image.pixel(x, 150)) - qGray(ground)) > 8;
    QVERIFY2(inside > 60 && inside < 300, qPrintable(QString::number(inside)));
  }

  void aTurntableAndAPageOfViewsAreWrittenThroughTheMenu() {
    add("ring", {{"shape", "rectangle"}, {"width", 80}, {"depth", 10}, {"radius", 0}});
    add("extrude", {{"sections", json::array({{{"id", "i1"}, {"step", w().recipe().steps.back()->id}}})}, {"length", 20}, {"solid", true}});
    view().lookFrom(scene::ViewFrom::Front);
    QTest::qWait(300);
    const auto made = [&](const QString& file, int kind) {
      whenAsked<QDialog>([this, file, kind](QDialog* d) {
        d->findChild<QComboBox*>("picture-kind")->setCurrentIndex(kind);
        d->findChild<QSpinBox*>("picture-width")->setValue(400);
        d->findChild<QSpinBox*>("picture-height")->setValue(300);
        d->findChild<QSpinBox*>("picture-frames")->setValue(4);
        d->findChild<QCheckBox*>("picture-clear")->setChecked(kind == 1);
        whenAskedForAFile(dir_.filePath(file));
        d->accept();
      });
      keys(Qt::Key_P, Qt::ControlModifier | Qt::ShiftModifier);
      QVERIFY(QTest::qWaitFor([&] { return !window_->exporting(); }, 60000));
    };
    made("turn.png", 1);
    std::vector<double> wide;
    for (int k = 1; k <= 4; ++k) {
      const QImage frame(dir_.filePath(QString("turn-00%1.png").arg(k)));
      QCOMPARE(frame.size(), QSize(400, 300));
      QCOMPARE(qAlpha(frame.pixel(3, 3)), 0);       // nothing
      QCOMPARE(qAlpha(frame.pixel(200, 150)), 255); // the form
      int across = 0;
      for (int x = 0; x < 400; ++x) across += qAlpha(frame.pixel(x, 150)) > 127;
      wide.push_back(across);
    }
    QVERIFY(!QFile::exists(dir_.filePath("turn-005.png")));
    VERIFY_AT_MOST(std::abs(wide[0] - wide[2]), 3.0); // from the front and from the back
    VERIFY_AT_MOST(std::abs(wide[1] - wide[3]), 3.0);
    QVERIFY(wide[0] > 4 * wide[1] && wide[0] < 400); // 80 mm and 10
    made("page.png", 2);
    const QImage page(dir_.filePath("page.png"));
    QVERIFY(page.width() == 800 && page.height() > 600 && page.height() < 700);
    // Front and left are to one scale: as wide as the form is.
    const QRgb ground = page.pixel(3, 150);
    const auto across = [&](int from) {
      int n = 0;
      for (int x = from; x < from + 400; ++x) n += std::abs(qGray(page.pixel(x, 150)) - qGray(ground)) > 12;
      return n;
    };
    VERIFY_AT_MOST(std::abs(across(0) / double(across(400)) - 8), 0.7);
  }

  void aNewcomerFindsTheWorstJoinChangesTheWallAndExports() {
    int clicks = 0;
    const auto clickOn = [&](QWidget* x, QPoint p) {
      QTest::mouseClick(x, Qt::LeftButton, {}, p);
      ++clicks;
    };
    const auto press = [&](const QString& name) {
      auto* b = find<QAbstractButton>(name);
      QVERIFY2(b, qPrintable(name));
      clickOn(b, b->rect().center());
    };
    QVERIFY(!find<app::StartPanel>("start")->geometry().isEmpty() &&
            !window_->findChild<QWidget*>("lenses")->isVisible());
    press("start-demo-pell_kettle");
    QVERIFY(settled());
    press("tag-joins");
    std::vector<inspect::Join> joins;
    for (const auto& b : w().model()->bodies)
      for (const auto& j : inspect::joins(*b.body, w().recipe().tolerances)) joins.push_back(j);
    QVERIFY(joins.size() > 30);
    QTableWidget* table = nullptr;
    QVERIFY(QTest::qWaitFor([&] {
      table = window_->findChild<QTableWidget*>("lens-table");
      return table && table->isVisible() && table->rowCount() == int(joins.size());
    }, 10000));
    clickOn(table->viewport(), table->visualItemRect(table->item(0, 2)).center());
    const auto worst = std::max_element(joins.begin(), joins.end(), [&](const auto& a, const auto& b) {
      return a.badness(w().recipe().tolerances) < b.badness(w().recipe().tolerances);
    });
    QTest::qWait(50);
    const QPoint middle(view().width() / 2, view().height() / 2);
    VERIFY_AT_MOST((onScreen(worst->worstAt(w().recipe().tolerances)) - middle).manhattanLength(), 3);
    auto* tabs = window_->findChild<QTabWidget*>("column");
    clickOn(tabs->tabBar(), tabs->tabBar()->tabRect(2).center());
    auto* numbers = find<QTableWidget>("numbers");
    QVERIFY(numbers);
    int wall = -1;
    for (int r = 0; r < numbers->rowCount(); ++r)
      if (numbers->item(r, 0)->text() == "wall") wall = r;
    clickOn(numbers->viewport(), numbers->visualItemRect(numbers->item(wall, 1)).center());
    const double before = inspect::stateOf(*w().model()->bodies.front().body).volumeMm3;
    QTest::keyClick(numbers, Qt::Key_3); // goes into the cell, and only there
    QTest::keyClick(QApplication::focusWidget(), Qt::Key_Return);
    QVERIFY(QTest::qWaitFor([&] { return w().recipe().parameters[size_t(wall)].expression == "3"; }, 2000) &&
            settled());
    const double after = inspect::stateOf(*w().model()->bodies.front().body).volumeMm3;
    QVERIFY(after / before > 1.25 && after / before < 3.0 / 2.2);
    QVERIFY(!find<QAbstractButton>("stage-flow")->isChecked());
    // A demo stays as it is: what is made of it is offered among one's own documents.
    const QString mesh = dir_.filePath("cup.3mf");
    whenAsked<QDialog>([&](QDialog* d) {
      whenAsked<QFileDialog>([&](QFileDialog* f) {
        QVERIFY(f->directory().canonicalPath() != app::demoFolder());
        QVERIFY(f->selectedFiles().value(0).endsWith("pell_kettle.3mf"));
        f->reject();
      });
      QTest::keyClick(d, Qt::Key_Return);
    });
    keys(Qt::Key_E, Qt::ControlModifier);
    whenAsked<QDialog>([&](QDialog* d) {
      whenAskedForAFile(mesh);
      QTest::keyClick(d, Qt::Key_Return);
    });
    keys(Qt::Key_E, Qt::ControlModifier);
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting() && QFileInfo(mesh).size() > 10000; }, 60000));
    whenAsked<QFileDialog>([](QFileDialog* f) {
      QCOMPARE(f->windowTitle(), QString("Save as"));
      f->reject();
    });
    keys(Qt::Key_S, Qt::ControlModifier);
    QVERIFY(w().session().modified());
    QCOMPARE(clicks, 5); // and the typed 3, Ctrl+E, and Enter four times
  }

  void sheetsTakeTheLargestScaleOfTheStandardThatFits() {
    for (const auto& [mm, paper, name] : {std::tuple{161.0, 100.0, "1:2"},
                                          {161.0, 161.0, "1:1"},
                                          {161.0, 160.9, "1:2"},
                                          {3.0, 100.0, "20:1"},
                                          {0.01, 100.0, "1000:1"},
                                          {1800.0, 100.0, "1:20"},
                                          {2100.0, 100.0, "1:50"},
                                          {1e9, 100.0, "1:1000"}}) {
      const auto scale =
          sheet::largestScale([mm = mm, paper = paper](double perMm) { return mm * perMm <= paper * (1 + 1e-9); });
      QCOMPARE(QString::fromStdString(scale.name), QString(name));
    }
  }

  /// The body of the model cut level, by its own meshes.
  inspect::Cut sectionOf(double z) {
    const auto& b = w().scene()->bodies.front();
    return inspect::cutOf(inspect::MeasuredForm(b.body, b.faces), {{0, 0, z}, Vec3::UnitX(), Vec3::UnitY()});
  }
  void theReportSheetIsToScaleAndSaysWhatIsMeasured() {
    QVERIFY(open("tumbler.lumsk"));
    const QString path = dir_.filePath("cup.pdf");
    click("stage-deliver");
    whenAsked<QDialog>([this, path](QDialog* d) {
      auto* sections = d->findChild<QListWidget*>("sheet-sections");
      sections->item(sections->count() - 1)->setCheckState(Qt::Checked); // through the middle, across z
      QTest::keyClicks(d->findChild<QLineEdit*>("sheet-at"), "x = 300");
      whenAskedForAFile(path);
      QTest::keyClick(d, Qt::Key_Return);
    });
    click("tool-sheet");
    QVERIFY(QTest::qWaitFor([&] { return !window_->exporting() && QFileInfo(path).size() > 10000; }, 60000));
    const auto made = [](const QString& program, const QStringList& arguments) {
      QProcess p;
      p.start(program, arguments);
      p.waitForFinished();
      return QString::fromUtf8(p.readAllStandardOutput());
    };
    const QString text = made("pdftotext", {"-layout", path, "-"}).simplified();
    const auto state = inspect::stateOf(*w().model()->bodies.front().body);
    const Vec3 size = state.boxHigh - state.boxLow;
    for (const QString& figure :
         {app::shownLength(size.x()), app::shownLength(size.z()), app::shown({state.volumeMm3, Dimension::Volume}),
          app::shown({state.areaMm2, Dimension::Area}), QString("views at 1:2"), QString("solid"), QString("tumbler"),
          QString("Edges where faces meet: %1.")
              .arg(inspect::joins(*w().model()->bodies.front().body, w().recipe().tolerances).size())})
      QVERIFY2(text.contains(figure), qPrintable(figure + " is not in: " + text));
    // Half way up it is a ring; beside it there is nothing.
    QVERIFY2(text.contains("through the middle, across z") && text.contains("x = 300 mm") && text.contains("meets nothing"), qPrintable(text));
    const auto middle = sectionOf(0.5 * (state.boxLow.z() + state.boxHigh.z()));
    QVERIFY2(text.contains("material " + app::shown({middle.areaMm2, Dimension::Area})), qPrintable(text));
    QVERIFY2(text.contains("thinnest " + app::shownLength(middle.thinnest->mm)), qPrintable(text));
    // At ten pixels a millimetre the form from the front is half as wide and tall as it is.
    made("pdftoppm", {"-r", "254", "-png", "-f", "1", "-l", "1", "-singlefile", path, dir_.filePath("cup")});
    const QImage page(dir_.filePath("cup.png"));
    QVERIFY(std::abs(page.width() - 2970) <= 2 && std::abs(page.height() - 2100) <= 2); // A4, lying
    QRect form;
    for (int y = 330; y < 1000; ++y) // below the label, above the dimension; beside the dimension at the left
      for (int x = 260; x < 1000; ++x)
        if (qGray(page.pixel(x, y)) < 245 && (form.isNull() || form.adjusted(-3, -3, 3, 3).contains(x, y)))
          form |= QRect(x, y, 1, 1);
    VERIFY_AT_MOST(std::abs(form.width() - 5 * size.x()), 4);
    VERIFY_AT_MOST(std::abs(form.height() - 5 * size.z()), 4);
    // Nothing in sight: a clear problem, and no file.
    w().steps().setVisible({w().model()->bodies.front().id}, false);
    for (const auto& s : w().recipe().steps) w().steps().setVisible({s->id}, false);
    QVERIFY(settled());
    window_->sheetPath(dir_.filePath("none.pdf"));
    QVERIFY(QTest::qWaitFor([&] { return window_->findChild<QMessageBox*>("problem-box"); }, 10000));
    QVERIFY(window_->findChild<QMessageBox*>("problem-box")->informativeText().contains("LM-D004"));
    QVERIFY(!QFile::exists(dir_.filePath("none.pdf")));
  }

  void theTabKeyReachesEveryControl() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-curvature");
    w().focus().unfold(w().recipe().steps[1]->id);
    QTest::qWait(200);
    QCursor::setPos(window_->mapToGlobal(QPoint(5, 5))); // nothing is under the pointer that Tab would go through first
    std::set<const QWidget*> reached;
    view().setFocus();
    for (int i = 0; i < 150; ++i) {
      QWidget* focus = QApplication::focusWidget();
      QVERIFY(focus);
      if (!reached.insert(focus).second && focus == &view()) break;
      QTest::keyClick(focus, Qt::Key_Tab,
                      qobject_cast<QAbstractItemView*>(focus) ? Qt::ControlModifier : Qt::NoModifier);
    }
    for (const QWidget* c : window_->findChildren<QWidget*>()) {
      const bool can = c->isVisible() && c->isEnabled() && (c->focusPolicy() & Qt::TabFocus) && !c->focusProxy();
      if (!can || reached.count(c)) continue;
      QFAIL(qPrintable(QString("%1 '%2' is not reached").arg(c->metaObject()->className(), c->objectName())));
    }
    QVERIFY(reached.size() > 30);
  }

  void everyControlHasANameForThoseWhoCannotSeeIt() {
    QVERIFY(open("tumbler.lumsk"));
    click("tag-stripes");
    w().focus().unfold(w().recipe().steps[1]->id);
    QTest::qWait(50);
    for (const QWidget* c : window_->findChildren<QWidget*>()) {
      if (!c->isVisible() || c->focusPolicy() == Qt::NoFocus || c->objectName().startsWith("qt_")) continue;
      const auto* b = qobject_cast<const QAbstractButton*>(c);
      const bool named = !c->accessibleName().isEmpty() || (b && !b->text().isEmpty()) ||
                         qobject_cast<const QTabBar*>(c) || qobject_cast<const QMenuBar*>(c) ||
                         qobject_cast<const QAbstractScrollArea*>(c) || c->focusProxy();
      QVERIFY2(named, qPrintable(QString("%1 '%2'").arg(c->metaObject()->className(), c->objectName())));
    }
  }
};

static test::Register<ComfortTest> registeredComfortTest;

} // namespace lumsk::test
#include "comfort_test.moc"
