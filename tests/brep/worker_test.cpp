#include "brep/confine.h"
#include "brep/worker.h"
#include "support/registry.h"

#include <QDir>
#include <QElapsedTimer>
#include <QTemporaryDir>
#include <QThread>
#include <nlohmann/json.hpp>
#include <cerrno>
#include <signal.h>
#include <thread>

using namespace lumsk;
using nlohmann::json;

namespace {

/// The worker processes that this test has started.
std::vector<int> workers() {
  std::vector<int> out;
  for (const QString& pid : QDir("/proc").entryList({"[0-9]*"}, QDir::Dirs)) {
    QFile f("/proc/" + pid + "/stat");
    if (!f.open(QIODevice::ReadOnly)) continue;
    const QByteArray stat = f.readAll();
    const auto rest = stat.mid(stat.lastIndexOf(')') + 2).split(' ');
    if (stat.contains("(lumsk-worker)") && rest.size() > 1 && rest[1].toInt() == getpid() && rest[0] != "Z")
      out.push_back(pid.toInt());
  }
  return out;
}

std::string codeOf(const Expected<json>& r) { return r ? "" : r.error().code; }

} // namespace

class WorkerTest : public QObject {
  Q_OBJECT
  QTemporaryDir temporary_; // of this test alone
private slots:
  void initTestCase() { qputenv("TMPDIR", temporary_.path().toUtf8()); }
  void cleanupTestCase() { qunsetenv("TMPDIR"); }
  void cleanup() {
    QVERIFY(QDir(temporary_.path()).isEmpty()); // nothing is left behind
    QVERIFY(workers().empty());
  }

  void aCrashIsAProblemAndNothingElse() {
    const auto r = brep::runInWorker("crash", {}, "reading 'a.step'", {}, {});
    QCOMPARE(codeOf(r), std::string("LM-W002"));
    QVERIFY(r.error().what.find("a.step") != std::string::npos && !r.error().remedyText.empty());
  }

  void itCanDoNothingButItsJob() {
    QTemporaryDir dir;
    QFile own(dir.filePath("own.txt"));
    QVERIFY(own.open(QIODevice::WriteOnly) && own.write("x") == 1);
    own.close();
    const std::string path = own.fileName().toStdString();
    const auto errorOf = [](const json& a) {
      const auto r = brep::runInWorker("escape", a, "trying", {}, {});
      return r ? r->get<int>() : -1;
    };
    QVERIFY2(brep::landlockVersion() > 0, "this system has no Landlock: what follows cannot be tried here");
    for (const std::string& other : {path, std::string("/etc/passwd"), std::string("/proc/self/mem"), std::string("/dev/zero")})
      QCOMPARE(errorOf({{"way", "read"}, {"path", other}}), EACCES);
    QCOMPARE(errorOf({{"way", "write"}, {"path", path + "2"}}), EACCES);
    QVERIFY(!QFile::exists(QString::fromStdString(path + "2")));
    QCOMPARE(errorOf({{"way", "remove"}, {"path", path}}), EACCES);
    QVERIFY(own.exists());
    for (const char* way : {"rights", "socket", "local socket", "child", "program", "signal"}) QCOMPARE(errorOf({{"way", way}, {"path", path}}), EPERM);
    QCOMPARE(errorOf({{"way", "environment"}}), 0);
    QCOMPARE(errorOf({{"way", "thread"}}), 1); // which jobs do need
  }

  void whatHangsIsStoppedAtItsTime() {
    QElapsedTimer t;
    t.start();
    QCOMPARE(codeOf(brep::runInWorker("hang", {}, "reading", {0.5, 0}, {})), std::string("LM-W003"));
    QVERIFY(t.elapsed() >= 500);
  }

  void cancelKillsIt() {
    Context cx;
    std::thread stop([&] {
      while (workers().empty()) QThread::msleep(5);
      QThread::msleep(50);
      cx.cancel.cancel();
    });
    const auto r = brep::runInWorker("hang", {}, "reading", {60, 0}, cx);
    stop.join();
    QVERIFY(!r && isCancelled(r.error()));
  }

  void killedFromOutsideItIsACrash() {
    std::thread kill([&] {
      std::vector<int> pids;
      while ((pids = workers()).empty()) QThread::msleep(5);
      QThread::msleep(50);
      for (int pid : pids) ::kill(pid, SIGKILL);
    });
    const auto r = brep::runInWorker("hang", {}, "reading", {60, 0}, {});
    kill.join();
    QCOMPARE(codeOf(r), std::string("LM-W002"));
  }

  void memoryIsLimited() {
#if defined(__SANITIZE_ADDRESS__)
    QSKIP("the sanitizer takes the address space for itself");
#endif
    QCOMPARE(codeOf(brep::runInWorker("eat", {}, "reading", {60, std::uint64_t(800) << 20}, {})),
             std::string("LM-W004"));
  }

  void unknownJobsAndDamagedArgumentsAreRefused() {
    QCOMPARE(codeOf(brep::runInWorker("dance", {}, "dancing", {}, {})), std::string("LM-W002"));
    QVERIFY(!brep::runInWorker("read", {{"bytes", 7}}, "reading", {}, {}));
    QVERIFY(!brep::runInWorker("cut", {{"body", "none"}}, "cutting", {}, {}));
  }

  void twoRunSideBySide() {
    std::vector<std::string> codes(4);
    std::vector<std::thread> threads;
    for (auto& c : codes) threads.emplace_back([&c] { c = codeOf(brep::runInWorker("crash", {}, "reading", {}, {})); });
    for (auto& t : threads) t.join();
    for (const auto& c : codes) QCOMPARE(c, std::string("LM-W002"));
  }
};

static test::Register<WorkerTest> registeredWorkerTest;
#include "worker_test.moc"
