#pragma once
#include "app/window.h"
#include "brep/names.h"
#include "brep/rings.h"
#include "brep/skin.h"
#include "exchange/project.h"
#include "nurbs/measure/closest.h"
#include "recipe/marks.h"

#include <QTableWidget>

#include <set>

namespace lumsk::test {

/// A job done in the window from nothing, by mouse and keys alone. It counts them, and says how many there were.
class Job : public WindowTestBase {
  Q_OBJECT
protected:
  int clicks_ = 0, keysTyped_ = 0;

  void press(const QString& name) {
    ++clicks_;
    click(name);
    QVERIFY(settled());
  }
  /// A tool by its stage and its name.
  void tool(const QString& stage, const QString& kind) {
    auto* s = find<QAbstractButton>("stage-" + stage);
    QVERIFY(s);
    QTest::qWait(1); // what the drawer was given back comes with the next events
    bool there = false;
    for (auto* b : window_->findChildren<QAbstractButton*>("tool-" + kind)) there = there || b->isVisible();
    if (!there) press("stage-" + stage);
    press("tool-" + kind);
  }
  void enter(const QString& field, const QString& text) {
    ++clicks_, keysTyped_ += int(text.size()) + 1;
    type(field, text);
    QVERIFY(settled());
  }
  void option(const QString& field, const QString& value) {
    ++clicks_;
    choose(field, value);
  }
  /// A number in a table.
  void cell(const QString& field, int row, int column, const QString& text) {
    ++clicks_, keysTyped_ += int(text.size()) + 1;
    auto* table = find<QTableWidget>("rows-" + field);
    QVERIFY(table && table->item(row, column));
    table->item(row, column)->setText(text);
    QVERIFY(settled());
  }
  void tick(const QString& field) {
    ++clicks_;
    toggle(field);
  }
  void at(const Vec3& p) {
    ++clicks_;
    pickAt(p);
  }
  void keep() {
    ++keysTyped_;
    keys(Qt::Key_Return);
    QVERIFY(settled());
  }
  void look(scene::ViewFrom from) {
    ++clicks_;
    view().lookFrom(from);
    view().fitAll();
    QVERIFY(settled());
  }
  static constexpr double kWait = 0.5; ///< s: what takes longer is a wait
  void countedIn(const char* job) {
    const auto waits = std::count_if(waits_.begin(), waits_.end(), [](double s) { return s > kWait; });
    qInfo("%s: %d clicks, %d keys, %d waits, the longest %.1f s", job, clicks_, keysTyped_, int(waits), waits_.empty() ? 0.0 : *std::max_element(waits_.begin(), waits_.end()));
  }
  /// What only helped goes out of sight, as in the demos: where there are bodies, curves, planes, and skins that solids came of.
  void showForms() {
    std::set<std::string> taken;
    for (const auto& s : w().recipe().steps)
      for (const std::string& id : recipe::referencesOf(*s)) taken.insert(id);
    const auto& bodies = w().model()->bodies;
    const bool solids = std::any_of(bodies.begin(), bodies.end(), [](const auto& b) { return b.body->solid(); });
    std::vector<std::string> forms;
    for (const auto& b : bodies)
      if (b.body->solid() || !solids || taken.count(b.step) == 0) forms.push_back(b.id);
    if (forms.empty()) return;
    w().steps().showOnly(forms);
    QVERIFY(settled());
  }
  /// A job is done: it is counted, its demands are bounded, and where LUMSK_EXAMPLES names a folder its project is kept there.
  void finished(const char* job, const char* name, int mostClicks) {
    countedIn(job);
    VERIFY_AT_MOST(clicks_, mostClicks);
    for (const auto& s : w().recipe().steps) QVERIFY2(good(s->id), s->label.c_str());
    const QString folder = qEnvironmentVariable("LUMSK_EXAMPLES");
    if (folder.isEmpty()) return;
    look(scene::ViewFrom::Corner);
    showForms();
    view().setLens({});
    w().focus().unfold({});
    QVERIFY(QTest::qWaitFor([&] { return !view().lensBusy(); }, 5000));
    exchange::Project project; // the recipe alone: results are computed where it is opened
    project.recipe = w().recipe();
    QVERIFY(exchange::writeProject((folder + "/" + name + ".lumsk").toStdString(), project));
    QFile picture(folder + "/pictures/" + name + ".png");
    QVERIFY(picture.open(QIODevice::WriteOnly));
    picture.write(QByteArray::fromStdString(view().thumbnail()));
    QFile table(folder + "/jobs.csv");
    QVERIFY(table.open(QIODevice::Append));
    const auto waits = std::count_if(waits_.begin(), waits_.end(), [](double s) { return s > kWait; });
    table.write(QString("%1,%2,%3,%4,%5,%6\n").arg(job, name).arg(clicks_).arg(keysTyped_).arg(waits).arg(*std::max_element(waits_.begin(), waits_.end()), 0, 'f', 1).toUtf8());
  }

  // What several jobs begin with; each keeps what it made and names its step.
  using Filled = std::vector<std::pair<QString, QString>>; ///< fields and what is typed into them
  std::string filled(const QString& stage, const QString& kind, const Filled& fields, const std::pair<QString, QString>& chosen = {}) {
    tool(stage, kind);
    const std::string id = draft();
    if (!chosen.first.isEmpty()) option(chosen.first, chosen.second);
    for (const auto& [field, text] : fields) enter(field, text);
    [&] { QVERIFY(good(id)); }();
    keep();
    return id;
  }
  /// A plane at a distance from one of the world's.
  std::string planeBeside(const std::string& world, const QString& distance) {
    look(scene::ViewFrom::Corner);
    tool("curves", "plane");
    const std::string id = draft();
    press("pick-base");
    at(planeSeen(world));
    enter("distance", distance);
    keep();
    return id;
  }
  /// Opens a curve tool on a plane: one of the world's, or one that a step made.
  std::string begunOn(const QString& kind, const std::string& plane) {
    look(scene::ViewFrom::Corner);
    tool("curves", kind);
    const std::string id = draft();
    press("pick-plane");
    at(w().recipe().find(plane) ? planeOfStepSeen(plane) : planeSeen(plane));
    return id;
  }
  std::string drawnThrough(const QString& kind, const std::string& plane, scene::ViewFrom from, const std::vector<Vec3>& places) {
    const std::string id = begunOn(kind, plane);
    look(from);
    for (const Vec3& p : places) {
      ++clicks_;
      QTest::mouseClick(&view(), Qt::LeftButton, {}, onScreen(p));
      [&] { QVERIFY(settled()); }();
    }
    keep();
    look(scene::ViewFrom::Corner);
    return id;
  }
  /// A place of a curve where nothing else lies before it, from `from` on.
  Vec3 curveSeen(const std::string& step, const std::string& part = {}, double from = 0.3) {
    for (const auto& c : w().scene()->curves) {
      if (c.step != step || c.part != part) continue;
      for (int k = 0; k < 40; ++k) {
        const Vec3 p = c.path->at(std::fmod(from + 0.025 * k, 1.0) * c.path->last());
        const QPoint q = onScreen(p);
        if (!view().rect().adjusted(20, 60, -60, -20).contains(q)) continue;
        const auto hits = scene::pickAt(*w().scene(), view().camera(), q.x(), q.y(), w().focus().wanted());
        if (!hits.empty() && hits.front().step == step && hits.front().part == part) return p;
      }
    }
    qWarning("nothing of %s %s is seen", step.c_str(), part.c_str());
    return Vec3::Zero();
  }
  double offSkin(const std::string& skin, const Vec3& p) {
    double nearest = 1e300;
    for (const auto& [name, face] : body(skin)->natural) nearest = std::min(nearest, nurbs::closestPoint(*face.surface, p).distanceMm);
    return nearest;
  }
  Vec3 along(const std::string& step, double part) { return curve(step).at(part * curve(step).last()); }

  std::string draft() { return w().session().draft(); }
  bool good(const std::string& step) {
    const auto* r = result(step);
    if (r && r->problem) qWarning("%s: %s", step.c_str(), sentence(*r->problem).c_str());
    if (!r || r->status != recipe::Status::Ok) qWarning("%s is %s: %s", step.c_str(), r ? recipe::statusName(r->status) : "not there", inputs(step).dump().c_str());
    return r && r->status == recipe::Status::Ok;
  }
  const nurbs::Path& curve(const std::string& step) {
    return *std::get<recipe::CurvePtr>(result(step)->outcome->outputs[0].object);
  }
  brep::BodyPtr body(const std::string& step, size_t output = 0) {
    return std::get<brep::BodyPtr>(result(step)->outcome->outputs[output].object);
  }
  /// A place on the border of one of the world's planes where nothing else lies before it.
  Vec3 planeSeen(const std::string& name) {
    return planeSeen(name, [&](const auto& plane) { return plane.part == name; }, [&](const scene::Hit& h) { return h.part == name; });
  }
  /// The same of the plane that a step made.
  Vec3 planeOfStepSeen(const std::string& step) {
    return planeSeen(step, [&](const auto& plane) { return plane.step == step; }, [&](const scene::Hit& h) { return h.step == step; });
  }
  /// A place on a face of a body where nothing else lies before it, seen from here, else from another side.
  Vec3 placeSeen(const std::string& step, const std::function<bool(const scene::Hit&)>& is) {
    if (const auto p = seenFromHere(step, is)) return *p;
    for (const auto from : {scene::ViewFrom::Back, scene::ViewFrom::Right, scene::ViewFrom::Left, scene::ViewFrom::Top, scene::ViewFrom::Bottom,
                            scene::ViewFrom::Front, scene::ViewFrom::Corner}) {
      look(from);
      if (const auto p = seenFromHere(step, is)) return *p;
    }
    qWarning("nothing of %s is seen", step.c_str());
    return Vec3::Zero();
  }

protected slots:
  void init() {
    WindowTestBase::init();
    clicks_ = keysTyped_ = 0;
  }

private:
  template <class Is, class IsHit> Vec3 planeSeen(const std::string& name, const Is& is, const IsHit& isHit) {
    // Its border may lie outside what is seen, a turn of the wheel away, or behind another plane as seen from here.
    for (const auto from : {scene::ViewFrom::Corner, scene::ViewFrom::Front, scene::ViewFrom::Left, scene::ViewFrom::Top}) {
      for (int out = 0; out < 3; ++out) {
        if (const auto p = planeSeenNow(is, isHit)) return *p;
        ++clicks_;
        view().scale(1 / 1.5);
        QTest::qWait(50);
      }
      look(from);
    }
    qWarning("the %s plane is not seen", name.c_str());
    return Vec3::Zero();
  }
  template <class Is, class IsHit> std::optional<Vec3> planeSeenNow(const Is& is, const IsHit& isHit) {
    for (const auto& plane : w().scene()->planes) {
      if (!is(plane)) continue;
      const auto line = scene::outlineOf(plane);
      for (size_t i = 0; i + 1 < line.size(); ++i)
        for (int k = 1; k < 20; ++k) {
          const Vec3 p = line[i] + (line[i + 1] - line[i]) * k / 20;
          const QPoint q = onScreen(p);
          if (!view().rect().adjusted(20, 60, -20, -20).contains(q)) continue;
          const auto hits = scene::pickAt(*w().scene(), view().camera(), q.x(), q.y(), w().focus().wanted());
          if (!hits.empty() && isHit(hits.front())) return p;
        }
    }
    return {};
  }
  std::optional<Vec3> seenFromHere(const std::string& step, const std::function<bool(const scene::Hit&)>& is) {
    for (const auto& b : w().scene()->bodies) {
      if (b.step != step) continue;
      for (const auto& mesh : b.faces)
        for (const auto& t : mesh->triangles) {
          const Vec3 p = (mesh->points[size_t(t[0])] + mesh->points[size_t(t[1])] + mesh->points[size_t(t[2])]) / 3;
          const QPoint q = onScreen(p);
          if (!view().rect().adjusted(20, 60, -20, -20).contains(q)) continue;
          const auto hits = scene::pickAt(*w().scene(), view().camera(), q.x(), q.y(), w().focus().wanted());
          if (!hits.empty() && is(hits.front())) return p;
        }
    }
    return {};
  }
};

} // namespace lumsk::test
