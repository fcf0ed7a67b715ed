#include "app/window.h"

using namespace lumsk;
using namespace lumsk::test;

/// What somebody does who sees the window for the first time: no needless click, and nothing jumps away under the hand.
class FirstFormTest : public WindowTestBase {
  Q_OBJECT

  int clicks_ = 0;

  void press(const QString& name) {
    auto* b = find<QAbstractButton>(name);
    QVERIFY2(b, qPrintable(name));
    QTest::mouseClick(b, Qt::LeftButton);
    ++clicks_;
    QVERIFY(settled());
  }

  /// Where places are seen; how deep they lie changes with what there is.
  Eigen::Matrix<double, 3, 4> seen() {
    Eigen::Matrix<double, 3, 4> out;
    const Eigen::Matrix4d m = view().camera().worldToClip;
    out << m.row(0), m.row(1), m.row(3);
    return out;
  }

  /// Clicks places of the view one after another; the picture stays where it is.
  void place(const std::vector<QPoint>& at) {
    const auto before = seen();
    for (const QPoint& p : at) {
      QTest::mouseMove(&view(), p);
      QTest::qWait(20);
      QTest::mouseClick(&view(), Qt::LeftButton, {}, p);
      ++clicks_;
      QVERIFY(settled());
      QTest::qWait(50);
      QVERIFY(seen().isApprox(before, 1e-9));
    }
  }

  size_t pointsOf(const std::string& step) { return inputs(step)["points"].size(); }

private slots:
  void firstCurveLoftAndWall() {
    const QPoint middle(view().width() / 2, view().height() / 2);
    press("start-spline");
    place({middle + QPoint(-150, 90), middle + QPoint(-60, 60), middle + QPoint(30, 90), middle + QPoint(120, 70)});
    QCOMPARE(pointsOf("s1"), size_t(4));
    // Every point lies where it was clicked.
    for (int i : {0, 3}) {
      const json& at = inputs("s1")["points"][size_t(i)]["at"];
      const auto mm = [&](int k) { return at[size_t(k)].is_string() ? std::stod(at[size_t(k)].get<std::string>()) : at[size_t(k)].get<double>(); };
      const QPoint clicked = middle + (i == 0 ? QPoint(-150, 90) : QPoint(120, 70));
      VERIFY_AT_MOST((onScreen({mm(0), mm(1), mm(2)}) - clicked).manhattanLength(), 12); // it snaps to round places
    }
    keys(Qt::Key_Return);
    QVERIFY(w().session().draft().empty());
    press("tool-spline");
    place({middle + QPoint(-150, -110), middle + QPoint(-50, -140), middle + QPoint(60, -120), middle + QPoint(130, -130)});
    QCOMPARE(pointsOf("s2"), size_t(4));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(w().session().draft().empty());

    keys(Qt::Key_2);
    press("tool-loft");
    for (const char* id : {"s1", "s2"}) {
      const auto* curve = std::get_if<recipe::CurvePtr>(&result(id)->outcome->outputs.front().object);
      QVERIFY(curve);
      place({onScreen((*curve)->at(0.37 * (*curve)->last()))});
    }
    QCOMPARE(inputs("s3")["sections"].size(), size_t(2));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QVERIFY(result("s3")->status == recipe::Status::Ok);

    keys(Qt::Key_5);
    press("tool-thicken");
    if (inputs("s4").value("skin", json::array()).empty()) {
      const auto& body = *w().model()->bodies.front().body;
      place({onScreen(body.natural.begin()->second.surface->at(0.45, 0.55))});
    }
    QCOMPARE(inputs("s4")["skin"].size(), size_t(1));
    keys(Qt::Key_Return);
    QVERIFY(settled());
    QCOMPARE(w().model()->bodies.size(), size_t(1));
    const auto state = inspect::stateOf(*w().model()->bodies.front().body);
    QVERIFY(state.solid && state.valid && state.openEdges == 0 && state.volumeMm3 > 0);
    // Four tools, eight points, two sections, one skin.
    QVERIFY2(clicks_ <= 15, qPrintable(QString::number(clicks_)));
  }

  void theSameWordsAtOnePlaceAreShownOnce() {
    recipe::Recipe r;
    const auto add = [&](const char* kind, json values) {
      const std::string id = "s" + r.newId();
      r.steps.push_back(std::make_shared<const recipe::StepEntry>(
          recipe::StepEntry{id, kind, 1, id, true, {}, {}, std::make_shared<const json>(std::move(values))}));
    };
    const json both = json::array({{{"id", "p1"}, {"step", "s1"}, {"kind", "curve"}}, {{"id", "p2"}, {"step", "s2"}, {"kind", "curve"}}});
    add("ring", {{"width", "60"}});
    add("ring", {{"width", "60"}});
    for (int i = 0; i < 3; ++i) add("loft", {{"sections", both}}); // the rings coincide
    w().session().edit(r, "test");
    QVERIFY(settled());
    QVERIFY(result("s3")->problem && result("s5")->problem && !result("s3")->problem->where.empty());
    QVERIFY(result("s3")->problem->where == result("s5")->problem->where);
    const auto shown = [&] {
      return std::count_if(view().marks().begin(), view().marks().end(),
                           [](const Mark& m) { return m.kind->name == std::string("problem"); });
    };
    QVERIFY(QTest::qWaitFor([&] { return shown() > 0; }, 3000));
    QCOMPARE(size_t(shown()), result("s3")->problem->where.size());
  }
};

static test::Register<FirstFormTest> registeredFirstFormTest;
#include "first_form_test.moc"
