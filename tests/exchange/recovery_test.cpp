#include "exchange/files.h"
#include "exchange/recovery.h"
#include "recipe/recipe_json.h"
#include "support/full_disk.h"
#include "support/recipes.h"

#include <QDir>
#include <QTemporaryDir>
#include <csignal>
#include <sys/wait.h>
#include <unistd.h>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Runs a child that keeps work and then ends without a word.
void loseWork(const std::string& folder, const recipe::Recipe& r, const std::string& project) {
  const pid_t child = fork();
  if (child == 0) {
    const bool kept = exchange::Recovery(folder).keep(r, project).has_value();
    _exit(kept ? 0 : 1);
  }
  int status = 0;
  waitpid(child, &status, 0);
  QCOMPARE(status, 0);
}

recipe::Recipe numbered(int n) {
  recipe::Recipe r;
  r.parameters.push_back({"n", std::to_string(n), Dimension::Length});
  return r;
}

} // namespace

class RecoveryTest : public QObject {
  Q_OBJECT
private slots:
  void aFullDiskLeavesTheOldProjectWhole() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("a.lumsk").toStdString();
    Bench b = tumbler();
    b.recipe.imports[recipe::hashOf("x")] = std::make_shared<const std::string>("x");
    VERIFY_OK(exchange::writeProject(path, {b.recipe, std::string(20000, 'p'), {}, {}}));
    const auto before = exchange::readFile(path);
    VERIFY_OK(before);
    int failed = 0;
    for (rlim_t bytes : {0, 1, 100, 1000, 2000, 4096, 9000}) {
      recipe::Recipe changed = b.recipe;
      std::string noise; // cannot be packed tightly
      std::mt19937 rng(3);
      for (int i = 0; i < 20000; ++i) noise += char(rng());
      Expected<void> done;
      {
        const FullDisk full(bytes);
        done = exchange::writeProject(path, {changed, noise, {}, {}});
      }
      QVERIFY(!done);
      QCOMPARE(QString::fromStdString(done.error().code), QString("LM-F022"));
      QVERIFY(!done.error().remedyText.empty());
      QVERIFY(*exchange::readFile(path) == *before);
      QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden).size(), 1); // nothing half-made is left
      ++failed;
    }
    QCOMPARE(failed, 7);
    VERIFY_OK(exchange::writeProject(path, {b.recipe, "", {}, {}}));
  }

  void workOfAnEndedProcessIsOfferedOnceWithItsProject() {
    QTemporaryDir dir;
    const std::string folder = dir.filePath("unsaved").toStdString();
    exchange::Recovery ours(folder);
    QVERIFY(ours.lost().empty()); // no folder yet
    loseWork(folder, numbered(7), "/somewhere/vase.lumsk");
    loseWork(folder, numbered(8), "");
    const auto lost = ours.lost();
    QCOMPARE(int(lost.size()), 2);
    QVERIFY(std::chrono::system_clock::now() - lost[0].time < std::chrono::minutes(1));
    const auto named = lost[0].projectPath.empty() ? lost[1] : lost[0];
    QCOMPARE(QString::fromStdString(named.projectPath), QString("/somewhere/vase.lumsk"));
    const auto taken = ours.take(named);
    VERIFY_OK(taken);
    QCOMPARE(recipe::toText(taken->recipe), recipe::toText(numbered(7)));
    QCOMPARE(int(ours.lost().size()), 1); // what we took is ours while we live
    QVERIFY(!ours.take(named));           // nobody gets it twice
    ours.discard(ours.lost()[0]);
    QVERIFY(ours.lost().empty());
    ours.drop();
    QVERIFY(QDir(QString::fromStdString(folder)).isEmpty());
  }

  void workOfALivingProcessIsNotOffered() {
    QTemporaryDir dir;
    const std::string folder = dir.path().toStdString();
    exchange::Recovery other(folder), ours(folder);
    VERIFY_OK(other.keep(numbered(1), ""));
    QVERIFY(ours.lost().empty());
    QVERIFY(exchange::processLives(exchange::thisProcess()));
    QVERIFY(exchange::processLives("elsewhere 17 3")); // nobody can tell
    std::string wrongStart = exchange::thisProcess() + "9";
    QVERIFY(!exchange::processLives(wrongStart)); // its number was given to another process
  }

  void damagedRecoveriesAreNotOfferedAndHarmNothing() {
    QTemporaryDir dir;
    loseWork(dir.path().toStdString(), numbered(5), "");
    const QString file = dir.filePath(QDir(dir.path()).entryList({"*.lumsk-recovery"}).first());
    QFile f(file);
    QVERIFY(f.resize(f.size() / 2));
    QVERIFY(exchange::Recovery(dir.path().toStdString()).lost().empty());
    QVERIFY(QFile::exists(file)); // somebody may still mend it by hand
  }

  void whatWasKeptWhenAProcessIsKilledIsThereToTheLastEdit() {
    QTemporaryDir dir;
    const std::string folder = dir.filePath("u").toStdString();
    std::mt19937 rng(5);
    int journals = 0;
    for (int kill = 0; kill < 30; ++kill) {
      int ends[2];
      QCOMPARE(pipe(ends), 0);
      const pid_t child = fork();
      if (child == 0) {
        exchange::Recovery recovery(folder);
        recipe::Recipe r = tumbler().recipe;
        for (int n = 1;; ++n) {
          r.parameters = numbered(n).parameters;
          if (n % 7 == 0) r.imports[recipe::hashOf(std::to_string(n))] = std::make_shared<const std::string>(std::to_string(n)); // that no step names
          if (!recovery.keep(r, "p")) _exit(3);
          if (write(ends[1], &n, sizeof n) != sizeof n) _exit(2);
        }
      }
      ::close(ends[1]);
      usleep(useconds_t(2000 + rng() % 30000));
      ::kill(child, SIGKILL);
      waitpid(child, nullptr, 0);
      int kept = 0;
      for (int n = 0; read(ends[0], &n, sizeof n) == sizeof n;) kept = n;
      ::close(ends[0]);
      exchange::Recovery ours(folder);
      const auto lost = ours.lost();
      if (kept == 0 && lost.empty()) continue;
      QCOMPARE(int(lost.size()), 1);
      const auto taken = ours.take(lost[0]);
      VERIFY_OK(taken);
      const int found = std::stoi(taken->recipe.parameters.front().expression);
      QVERIFY2(found == kept || found == kept + 1, qPrintable(QString("%1 kept, %2 found").arg(kept).arg(found)));
      journals += found > 1;
      ours.drop();
      QVERIFY2(QDir(dir.filePath("u")).isEmpty(QDir::Files | QDir::Hidden), "something was left behind");
    }
    QVERIFY(journals > 15);
  }

  void aJournalThatIsCutOffAnywhereGivesAStateThatWas() {
    QTemporaryDir dir;
    const std::string file = dir.filePath("j").toStdString();
    exchange::Journal journal;
    std::vector<json> states{recipe::asJson(tumbler().recipe)};
    VERIFY_OK(journal.begin(file, states[0]));
    for (int n = 0; n < 5; ++n) {
      recipe::Recipe r = tumbler().recipe;
      r.parameters = numbered(n).parameters;
      if (n == 3) r.steps.pop_back();
      states.push_back(recipe::asJson(r));
      VERIFY_OK(journal.append(states.back()));
    }
    const std::string whole = *exchange::readFile(file);
    size_t before = 0;
    for (size_t n = 0; n <= whole.size(); ++n) {
      QFile f(dir.filePath("cut"));
      QVERIFY(f.open(QIODevice::WriteOnly) && f.write(whole.data(), qint64(n)) == qint64(n));
      f.close();
      const json state = exchange::Journal::replayed(dir.filePath("cut").toStdString(), states[0]);
      const size_t at = size_t(std::find(states.begin(), states.end(), state) - states.begin());
      QVERIFY(at < states.size() && at >= before);
      before = at;
    }
    QCOMPARE(before, states.size() - 1);
    std::string flipped = whole;
    flipped[whole.size() / 2] = char(flipped[whole.size() / 2] ^ 4);
    QFile f(dir.filePath("flipped"));
    QVERIFY(f.open(QIODevice::WriteOnly) && f.write(flipped.data(), qint64(flipped.size())) > 0);
    f.close();
    QVERIFY(std::count(states.begin(), states.end(), exchange::Journal::replayed(dir.filePath("flipped").toStdString(), states[0])) == 1);
  }

  void recoveriesOfAnyContentHarmNothing() {
    QTemporaryDir dir;
    int n = 0;
    for (const char* about : {"{\"process\": 5}", "{\"process\": [1], \"project\": {}}", "7", "[]", "", "{\"process\": \"x\", \"project\": 3, \"journal\": \"../../etc/passwd\"}", "{\"journal\": 4}"}) {
      ++n;
      VERIFY_OK(exchange::writeProject((dir.path() + "/" + QString::number(n) + "-1.lumsk-recovery").toStdString(), {numbered(n), "", {}, about}));
    }
    exchange::Recovery ours(dir.path().toStdString());
    for (const auto& w : ours.lost()) VERIFY_OK(ours.take(w));
  }

  void unsavedWorkIsForNobodyElse() {
    QTemporaryDir dir;
    exchange::Recovery ours(dir.filePath("u").toStdString());
    VERIFY_OK(ours.keep(numbered(1), ""));
    VERIFY_OK(ours.keep(numbered(2), ""));
    QCOMPARE(int(QFile::permissions(dir.filePath("u")) & 0x77), 0);
    const auto files = QDir(dir.filePath("u")).entryInfoList(QDir::Files | QDir::Hidden);
    QCOMPARE(files.size(), 2); // the work and its journal
    for (const QFileInfo& f : files) QCOMPARE(int(f.permissions() & 0x77), 0);
  }

  void killsDuringSavesLeaveEveryFileWhole() {
    QTemporaryDir dir;
    const std::string project = dir.filePath("p.lumsk").toStdString(), folder = dir.filePath("u").toStdString();
    std::mt19937 rng(11);
    std::string big;
    for (int i = 0; i < 200000; ++i) big += char(rng());
    int last = 0;
    for (int kill = 0; kill < 40; ++kill) {
      int ends[2];
      QCOMPARE(pipe(ends), 0);
      const pid_t child = fork();
      if (child == 0) {
        exchange::Recovery recovery(folder);
        for (int n = last + 1;; ++n) {
          if (!exchange::writeProject(project, {numbered(n), big, {}, {}})) _exit(1);
          if (write(ends[1], &n, sizeof n) != sizeof n) _exit(2);
          if (!recovery.keep(numbered(n), project)) _exit(3);
        }
      }
      ::close(ends[1]);
      int saved = 0;
      if (read(ends[0], &saved, sizeof saved) != sizeof saved) QFAIL("nothing was saved");
      usleep(useconds_t(rng() % 30000));
      ::kill(child, SIGKILL);
      waitpid(child, nullptr, 0);
      for (int n = 0; read(ends[0], &n, sizeof n) == sizeof n;) saved = n;
      ::close(ends[0]);
      const auto read = exchange::readProject(project);
      VERIFY_OK(read);
      const int found = std::stoi(read->recipe.parameters[0].expression);
      QVERIFY(found == saved || found == saved + 1); // the next one may be whole already
      QVERIFY(read->thumbnailPng == big);
      exchange::Recovery ours(folder);
      for (const auto& w : ours.lost()) {
        VERIFY_OK(exchange::readProject(w.file));
        ours.discard(w);
      }
      exchange::removeLeftovers(dir.path().toStdString());
      QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden), QStringList{"p.lumsk"});
      QVERIFY(QDir(dir.filePath("u")).isEmpty(QDir::Files | QDir::Hidden));
      last = found;
    }
  }
};

static test::Register<RecoveryTest> registeredRecoveryTest;
#include "recovery_test.moc"
