#include "app/window.h"

#include "app/export_dialog.h"
#include "app/help.h"
#include "app/bureau_window.h"
#include "app/picture_dialog.h"
#include "app/sheet_dialog.h"
#include "app/words.h"

#include <QComboBox>
#include <QHeaderView>
#include <QMenu>
#include <QTableWidget>
#include <QTranslator>
#include <QTreeWidget>

namespace lumsk::test {

/// A made-up language: every text in brackets.
class Bracketed : public QTranslator {
public:
  QString translate(const char*, const char* source, const char*, int) const override {
    const QString text = QString::fromUtf8(source);
    // Summaries of splines are known by the patterns of their parts only.
    if (text.contains(QRegularExpression("^\\d+ points|points - "))) return {};
    return QString::fromUtf8("⟦%1⟧").arg(text);
  }
  bool isEmpty() const override { return false; }
};

class LanguageTest : public WindowTestBase {
  Q_OBJECT
  Bracketed language_;

  /// What of a text was not translated: words that are neither in brackets nor of the project.
  QString untranslated(QString text) {
    static const QRegularExpression inner(QString::fromUtf8("⟦[^⟦⟧]*⟧")), word("[A-Za-z]{3,}"), tags("<[^>]*>");
    text.remove(tags);
    for (int n = -1; n != text.size();) {
      n = int(text.size());
      text.remove(inner);
    }
    QStringList own{"deg", "Lumsk", QFileInfo(w().file().path()).completeBaseName()};
    for (const auto& s : w().recipe().steps) own << QString::fromStdString(s->label);
    for (const auto& b : w().model()->bodies) own << QString::fromStdString(b.label);
    for (const auto& p : w().recipe().parameters) own << QString::fromStdString(p.name);
    std::sort(own.begin(), own.end(), [](const QString& a, const QString& b) { return a.size() > b.size(); });
    for (const QString& o : own)
      if (!o.isEmpty()) text.remove(o);
    const auto m = word.match(text);
    return m.hasMatch() ? text : QString();
  }

  QStringList textsOf(const QWidget* x) {
    QStringList out{x->toolTip(), x->accessibleName()};
    if (x->isWindow()) out << x->windowTitle();
    if (auto* b = qobject_cast<const QAbstractButton*>(x)) out << b->text();
    if (auto* l = qobject_cast<const QLabel*>(x)) out << l->text();
    if (auto* e = qobject_cast<const QLineEdit*>(x)) out << e->placeholderText();
    if (auto* t = qobject_cast<const QTabBar*>(x))
      for (int i = 0; i < t->count(); ++i) out << t->tabText(i);
    if (auto* c = qobject_cast<const QComboBox*>(x))
      for (int i = 0; i < c->count(); ++i) out << c->itemText(i);
    if (auto* h = qobject_cast<const QHeaderView*>(x))
      for (int i = 0; i < h->count(); ++i) out << h->model()->headerData(i, h->orientation()).toString();
    return out;
  }

  void everythingIsTranslated(const QWidget* whole, const char* where) {
    QTest::qWait(50);
    QList<const QWidget*> all{whole};
    for (const QWidget* c : whole->findChildren<QWidget*>())
      if (c->isVisible() && !c->objectName().startsWith("qt_")) all << c;
    int seen = 0;
    QStringList bad;
    for (const QWidget* c : all)
      for (const QString& t : textsOf(c)) {
        seen += !t.isEmpty();
        if (const QString rest = untranslated(t); !rest.isEmpty())
          bad << QString("%1 '%2': %3").arg(c->metaObject()->className(), c->objectName(), t);
      }
    QVERIFY2(seen > 5, where);
    QVERIFY2(bad.isEmpty(), qPrintable(QString(where) + "\n" + bad.join("\n")));
  }

private slots:
  void init() {
    WindowTestBase::init();
    window_.reset();
    QCoreApplication::installTranslator(&language_);
    window_ = std::make_unique<app::MainWindow>(steps::registry());
    window_->show();
    window_->activateWindow();
    QVERIFY(QTest::qWaitForWindowActive(window_.get()));
  }
  void cleanup() { QCoreApplication::removeTranslator(&language_); }

  void everyTextOfTheWindowIsInTheMadeUpLanguage() {
    everythingIsTranslated(window_.get(), "empty window");
    for (const QAction* a : window_->findChildren<QAction*>())
      QVERIFY2(untranslated(a->text()).isEmpty(), qPrintable(a->text()));
    for (int stage = 1; stage <= 7; ++stage) {
      keys(Qt::Key(Qt::Key_0 + stage));
      everythingIsTranslated(window_.get(), "a stage");
    }
    // A step of every kind: its form, its summary or its problem, and the label it gets.
    for (const auto& s : w().registry().all()) {
      w().focus().start(s.kind);
      QVERIFY(settled());
      QVERIFY2(QString::fromStdString(w().recipe().find(w().session().draft())->label).startsWith(QString::fromUtf8("⟦")),
               s.kind.c_str());
      everythingIsTranslated(window_.get(), s.kind.c_str());
      w().session().dropDraft();
      QVERIFY(settled());
    }
    QVERIFY(open("tumbler.lumsk"));
    for (const auto& s : w().recipe().steps) {
      w().focus().unfold(s->id);
      QVERIFY(settled());
      everythingIsTranslated(window_.get(), s->id.c_str());
    }
    for (const auto& k : scene::lenses()) {
      click("tag-" + QString::fromStdString(k->key()));
      QVERIFY(QTest::qWaitFor([&] { return !view().lensBusy() && view().atRest(); }, 10000));
      everythingIsTranslated(window_.get(), k->key().c_str());
    }
    auto* tabs = window_->findChild<QTabWidget*>("column");
    for (int i = 0; i < tabs->count(); ++i) {
      tabs->setCurrentIndex(i);
      QTest::qWait(100);
      everythingIsTranslated(window_.get(), "a tab");
    }
    app::PreferencesDialog preferences(nullptr);
    app::PictureDialog picture({100, 100}, {}, nullptr);
    app::BureauWindow bureau(w(), nullptr);
    app::SheetDialog sheet(w(), view().lens(), nullptr);
    app::ExportDialog exporting(w(), nullptr);
    for (QDialog* d :
         {static_cast<QDialog*>(&preferences), static_cast<QDialog*>(&picture), static_cast<QDialog*>(&exporting), static_cast<QDialog*>(&bureau), static_cast<QDialog*>(&sheet)}) {
      d->show();
      everythingIsTranslated(d, "a dialog");
      d->hide();
    }
  }

  void numbersKeepTheirPlacesAndFiguresTheirUnits() {
    QCOMPARE(app::said("5 points"), QString::fromUtf8("⟦5 points⟧"));
    QCOMPARE(app::said("5 points - degree 3"), QString::fromUtf8("⟦5 points⟧ - ⟦degree 3⟧"));
    QCoreApplication::removeTranslator(&language_);
    QCOMPARE(app::said("5 points - degree 3"), QString("5 points - degree 3")); // as it is, without a translation
    app::Preferences p;
    app::usePreferences(p);
    // Decimals as chosen, but three digits at least of what is below one.
    for (const auto& [v, decimals, text] : {std::tuple{127.3456, 2, "127.35"},
                                            {127.3456, 0, "127"},
                                            {161.0, 2, "161"},
                                            {0.50004, 2, "0.5"},
                                            {0.00026331, 2, "0.000263"},
                                            {-0.01593, 1, "-0.0159"},
                                            {0.0, 4, "0"},
                                            {3.1e-9, 2, "3.1e-09"},
                                            {99999.996, 2, "100000"}}) {
      p.decimals = decimals;
      app::usePreferences(p);
      QCOMPARE(app::shownNumber(v), QString(text));
    }
    p.decimals = 2;
    app::usePreferences(p);
    QCOMPARE(app::shown({136925.4, Dimension::Volume}), QString("136.93 cm³"));
    p.inches = true;
    app::usePreferences(p);
    const auto gap =
        problem("LM-X001", "too far").measure(millimetres(25.4)).want(millimetres(0.0254)).tryThis("closer");
    QCOMPARE(app::said(gap), QString("too far: 1 in measured, 0.001 in wanted; closer"));
  }
};

static test::Register<LanguageTest> registeredLanguageTest;

} // namespace lumsk::test

#include "language_test.moc"
