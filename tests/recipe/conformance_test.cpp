#include "support/recipes.h"

#include <QDirIterator>
#include <QFile>
#include <QRegularExpression>
#include <set>

using namespace lumsk;
using namespace lumsk::test;
using recipe::Field;
using recipe::FieldKind;

namespace {

json absurd(const Field& f) {
  switch (f.kind) {
  case FieldKind::Quantity: return "1e300";
  case FieldKind::Choice:
  case FieldKind::Continuity: return "no such thing";
  case FieldKind::Switch: return "perhaps";
  case FieldKind::File: return {{"hash", "none"}, {"name", "gone.txt"}};
  case FieldKind::Picks: return picks({pick("s999")});
  case FieldKind::Points: return pointList({{1e300, 0, 0}});
  default: return 7;
  }
}

/// Every field with those that it stands among.
void eachField(const std::vector<Field>& fields,
               const std::function<void(const Field&, const std::vector<Field>&)>& f) {
  for (const Field& x : fields) {
    f(x, fields);
    eachField(x.each, f);
    eachField(x.columns, f);
  }
}

} // namespace

class ConformanceTest : public QObject {
  Q_OBJECT
private slots:
  void schemasAreCompleteAndTheirDefaultsAreLegal() {
    for (const auto& step : steps::registry().all()) {
      const auto schema = step.schema();
      std::set<std::string> keys;
      for (const Field& f : schema) QVERIFY2(keys.insert(f.key).second, (step.kind + " " + f.key).c_str());
      eachField(schema, [&](const Field& f, const std::vector<Field>& beside) {
        QVERIFY2(!f.label.empty() && f.help.size() > 8 && f.help.back() == '.', (step.kind + " " + f.key).c_str());
        if (f.kind == FieldKind::Quantity && !f.fallback.empty()) {
          const auto v = recipe::evaluate(f.fallback, f.dimension, {});
          QVERIFY(v && v->value >= f.low && v->value <= f.high);
        }
        if (f.kind == FieldKind::Choice || f.kind == FieldKind::Continuity) QVERIFY(f.options.size() >= 2);
        for (const auto& c : f.conditions) QVERIFY(recipe::findField(beside, c.key));
      });
      json defaults = json::object();
      for (const Field& f : schema) defaults[f.key] = recipe::defaultValue(f);
      QCOMPARE(recipe::shapeError(schema, defaults), std::string());
      QCOMPARE(json::parse(defaults.dump()), defaults);
    }
  }

  void helpAndIconsAreThere() {
    for (const auto& step : steps::registry().all()) {
      const QString base = QString(LUMSK_SOURCE_DIR "/src/steps/%1/%1").arg(QString::fromStdString(step.kind));
      QFile md(base + ".md"), svg(base + ".svg");
      QVERIFY(md.open(QIODevice::ReadOnly) && md.readAll().contains("@fields@"));
      QVERIFY(svg.open(QIODevice::ReadOnly) && svg.readAll().contains("viewBox=\"0 0 24 24\""));
    }
  }

  void everyProblemHasOneLineInTheCatalogue() {
    QFile catalogue(LUMSK_SOURCE_DIR "/docs/problems.md");
    QVERIFY(catalogue.open(QIODevice::ReadOnly));
    const QString text = QString::fromUtf8(catalogue.readAll());
    std::set<QString> codes;
    const QRegularExpression code("problem\\(\"(LM-[A-Z]\\d{3})\"|Code = \"(LM-[A-Z]\\d{3})\"");
    QDirIterator files(LUMSK_SOURCE_DIR "/src", {"*.cpp"}, QDir::Files, QDirIterator::Subdirectories);
    while (files.hasNext()) {
      QFile f(files.next());
      QVERIFY(f.open(QIODevice::ReadOnly));
      const QString source = QString::fromUtf8(f.readAll());
      for (auto it = code.globalMatch(source); it.hasNext();) {
        const auto m = it.next();
        codes.insert(m.captured(1) + m.captured(2));
      }
    }
    QVERIFY(codes.size() > 100);
    for (const QString& c : codes) QVERIFY2(text.count("| " + c + " |") == 1, qPrintable(c));
  }

  void emptyAndAbsurdInputsAreRefusedByValue() {
    for (const auto& step : steps::registry().all()) {
      Bench empty;
      empty.add(step.kind, json::object());
      empty.run();
      const auto& r = empty.result("s1");
      QVERIFY(r.status == recipe::Status::Ok || (r.problem && !r.problem->what.empty()));
      for (const Field& f : step.schema()) {
        Bench b;
        b.add(step.kind, {{f.key, absurd(f)}});
        b.run();
        if (f.conditions.empty())
          QVERIFY2(b.result("s1").status == recipe::Status::Failed, (step.kind + " " + f.key).c_str());
      }
    }
  }

  void resultsRepeatAndCancelIsHonoured() {
    Bench a = tumbler(), b = tumbler();
    a.run();
    b.run();
    const auto &x = *a.body("s6")->natural.begin()->second.surface, &y = *b.body("s6")->natural.begin()->second.surface;
    QVERIFY(x.grid() == y.grid());
    recipe::EvaluateOptions o;
    o.cancel.cancel();
    recipe::Evaluator fresh(steps::registry());
    const auto stopped = fresh.evaluate(std::make_shared<const recipe::Recipe>(a.recipe), o);
    for (const auto& [id, r] : stopped->results) QVERIFY(r.status == recipe::Status::Stale && !r.outcome);
    for (const auto& step : steps::registry().all()) {
      if (step.kind != "loft" && step.kind != "thicken") continue;
      const auto* entry = a.recipe.find(step.kind == "loft" ? "s5" : "s6");
      const auto in = recipe::Inputs::resolve(*entry, steps::registry().schemaOf(step.kind), a.recipe, {}, *a.model);
      Context cx;
      cx.cancel.cancel();
      const auto r = step.compute(*in, cx);
      QVERIFY(!r && isCancelled(r.error()));
    }
  }
};

static test::Register<ConformanceTest> registeredConformanceTest;
#include "conformance_test.moc"
