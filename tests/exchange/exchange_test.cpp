#include "exchange/export.h"
#include "exchange/files.h"
#include "exchange/project.h"
#include "exchange/seal.h"
#include "support/full_disk.h"
#include "support/recipes.h"

#include <QDir>
#include <QFile>
#include <QThread>
#include <QTemporaryDir>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <csignal>
#include <fcntl.h>
#include <sys/resource.h>
#include <sys/stat.h>
#include <zip.h>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// Volume and number of objects of a mesh file, read by a library that did not write it.
std::pair<double, int> foreignVolume(const std::string& path) {
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, aiProcess_JoinIdenticalVertices | aiProcess_Triangulate);
  if (!scene) return {0, 0};
  double v = 0;
  for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
    const aiMesh& mesh = *scene->mMeshes[m];
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      const auto at = [&](int k) {
        const aiVector3D& p = mesh.mVertices[mesh.mFaces[f].mIndices[k]];
        return Vec3(p.x, p.y, p.z);
      };
      v += at(0).dot(at(1).cross(at(2))) / 6;
    }
  }
  return {v, int(scene->mNumMeshes)};
}

} // namespace

class ExchangeTest : public QObject {
  Q_OBJECT
private slots:
  void projectsOfOlderVersionsOpenAndGiveWhatTheyGave() {
    for (const auto& [file, volume] :
         {std::pair{"kettle_of_the_first_slice", 216418.2}, std::pair{"tumbler_of_the_first_slice", 53483.3}}) {
      const auto project = exchange::readProject(std::string(LUMSK_SOURCE_DIR) + "/tests/files/" + file + ".lumsk");
      VERIFY_OK(project);
      Bench b;
      b.recipe = project->recipe;
      QVERIFY(!b.run().failed());
      VERIFY_AT_MOST(std::abs(inspect::stateOf(*b.model->bodies.back().body).volumeMm3 / volume - 1), 1e-4);
    }
  }

  void meshesAreReadBackByAForeignLibrary() {
    Bench b = tumbler();
    b.run();
    const double exact = inspect::stateOf(*b.body("s6")).volumeMm3;
    QTemporaryDir dir;
    // 3MF is read back by tests/cli/command_line_test with Python's zip and XML readers.
    const std::string path = dir.path().toStdString() + "/cup.stl";
    const auto done = exchange::exportModel(*b.model, path, {{0.01, 5}}, {});
    VERIFY_OK(done);
    QVERIFY(done->triangles > 1000);
    const auto [volume, objects] = foreignVolume(path);
    QCOMPARE(objects, 1);
    VERIFY_AT_MOST(std::abs(volume / exact - 1), 0.001);
  }

  void projectsSurviveSavingWithTheirImports() {
    Bench b = tumbler();
    const std::string table = "0 0 0\n10 0 0\n20 5 0\n";
    b.recipe.imports[recipe::hashOf(table)] = std::make_shared<const std::string>(table);
    b.add("points_curve", {{"table", {{"hash", recipe::hashOf(table)}, {"name", "t.txt"}}}});
    QTemporaryDir dir;
    const std::string path = dir.path().toStdString() + "/a.lumsk";
    VERIFY_OK(exchange::writeProject(path, {b.recipe, "png"}));
    const auto back = exchange::readProject(path);
    VERIFY_OK(back);
    QCOMPARE(recipe::toText(back->recipe), recipe::toText(b.recipe));
    QCOMPARE(*back->recipe.imports.begin()->second, table);
    QCOMPARE(back->thumbnailPng, std::string("png"));
  }

  void aFailedSaveLeavesTheOldFileWhole() {
    Bench b = tumbler();
    QTemporaryDir dir;
    const std::string path = dir.path().toStdString() + "/a.lumsk";
    VERIFY_OK(exchange::writeProject(path, {b.recipe, ""}));
    const std::string before = *exchange::readFile(path);
    // A file size limit stands for a full disk.
    rlimit old{};
    getrlimit(RLIMIT_FSIZE, &old);
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit tight{600, old.rlim_max};
    setrlimit(RLIMIT_FSIZE, &tight);
    std::string noise(200000, 'x');
    for (size_t i = 0; i < noise.size(); ++i) noise[i] = char((i * 2654435761u) >> 13);
    const auto failed = exchange::writeProject(path, {b.recipe, noise});
    b.run();
    const auto stl = exchange::exportModel(*b.model, dir.path().toStdString() + "/a.stl", {}, {});
    setrlimit(RLIMIT_FSIZE, &old);
    QVERIFY(!failed);
    QCOMPARE(failed.error().code, std::string("LM-F022"));
    QCOMPARE(*exchange::readFile(path), before);
    QVERIFY(!stl && stl.error().code == "LM-F022");
    QVERIFY(!QFile::exists(dir.path() + "/a.stl"));
    QCOMPARE(exchange::writeProject("/no/such/folder/a.lumsk", {b.recipe, ""}).error().code, std::string("LM-F022"));
  }

  void damagedProjectsAreRefusedWhereverTheyAreCut() {
    Bench b = tumbler();
    QTemporaryDir dir;
    const std::string path = dir.path().toStdString() + "/a.lumsk", cut = dir.path().toStdString() + "/cut.lumsk";
    VERIFY_OK(exchange::writeProject(path, {b.recipe, "thumbnail"}));
    const std::string whole = *exchange::readFile(path);
    for (size_t n = 0; n < whole.size(); n += 61) {
      QFile f(QString::fromStdString(cut));
      QVERIFY(f.open(QIODevice::WriteOnly));
      f.write(whole.data(), qint64(n));
      f.close();
      QVERIFY(!exchange::readProject(cut));
    }
    QCOMPARE(exchange::readProject("/no/such/file.lumsk").error().code, std::string("LM-F020"));
  }

  void aSecondEditorIsNoticed() {
    QTemporaryDir dir;
    const std::string path = dir.path().toStdString() + "/a.lumsk";
    QFile other(dir.path() + "/.a.lumsk.lock");
    QVERIFY(other.open(QIODevice::WriteOnly));
    char host[256] = "";
    gethostname(host, 255);
    other.write((std::string(host) + " 1\n").c_str());
    other.close();
    exchange::ProjectLock lock;
    QVERIFY(lock.take(path).has_value());
  }

  /// What stands in the file decides what is computed: the recipe's text and the imported bytes are compared.
  void nothingThatWasChangedByABitIsAccepted() {
    constexpr int kFlips = 200;
    QTemporaryDir dir;
    const std::string path = dir.filePath("flipped.lumsk").toStdString();
    std::mt19937_64 rng(9);
    int refused = 0, same = 0;
    for (const QFileInfo& demo : QDir(QString(LUMSK_DATA_DIR) + "/demos").entryInfoList({"*.lumsk"})) {
      const std::string bytes = *exchange::readFile(demo.filePath().toStdString());
      const auto whole = exchange::readProject(demo.filePath().toStdString());
      VERIFY_OK(whole);
      const std::string text = recipe::toText(whole->recipe);
      for (int n = 0; n < kFlips; ++n) {
        std::string b = bytes;
        const size_t bit = size_t(rng() % (8 * bytes.size()));
        b[bit / 8] = char(b[bit / 8] ^ (1 << (bit % 8)));
        QFile f(QString::fromStdString(path));
        QVERIFY(f.open(QIODevice::WriteOnly) && f.write(b.data(), qint64(b.size())) == qint64(b.size()));
        f.close();
        const auto read = exchange::readProject(path);
        ++(read ? same : refused);
        if (!read) continue;
        QVERIFY2(recipe::toText(read->recipe) == text, qPrintable(demo.fileName() + " bit " + QString::number(bit)));
        for (const std::string& hash : exchange::usedImports(whole->recipe)) {
          const auto it = read->recipe.imports.find(hash);
          QVERIFY2(it != read->recipe.imports.end() && *it->second == *whole->recipe.imports.at(hash), qPrintable(demo.fileName() + " bit " + QString::number(bit)));
        }
      }
    }
    qInfo("%d refused, %d the same to the byte", refused, same);
    QVERIFY(refused > 0);
  }

  void linksAndPermissionsStayWhenAFileIsReplaced() {
    QTemporaryDir dir;
    const QString file = dir.filePath("real/a.txt"), link = dir.filePath("a.txt"), second = dir.filePath("b.txt");
    QVERIFY(QDir(dir.path()).mkdir("real"));
    VERIFY_OK(exchange::replaceFile(file.toStdString(), "one"));
    QVERIFY(QFile::setPermissions(file, QFile::ReadOwner | QFile::WriteOwner));
    QVERIFY(QFile::link("real/a.txt", link) && QFile::link(link, second));
    VERIFY_OK(exchange::replaceFile(second.toStdString(), "two"));
    QVERIFY(QFileInfo(link).isSymLink() && QFileInfo(second).isSymLink());
    QCOMPARE(*exchange::readFile(file.toStdString()), std::string("two"));
    QCOMPARE(int(QFile::permissions(file) & 0x77), 0);
    VERIFY_OK(exchange::writeProject(link.toStdString(), {tumbler().recipe, "", {}, ""}));
    QCOMPARE(int(QFile::permissions(file) & 0x77), 0);
    // One that leads nowhere makes what it leads to.
    QVERIFY(QFile::link("real/c.txt", dir.filePath("c.txt")));
    VERIFY_OK(exchange::replaceFile(dir.filePath("c.txt").toStdString(), "three"));
    QCOMPARE(*exchange::readFile(dir.filePath("real/c.txt").toStdString()), std::string("three"));
    QCOMPARE(exchange::replaceFile(dir.filePath("real").toStdString(), "four").error().code, std::string("LM-F022"));
    QVERIFY(QFile::setPermissions(file, QFile::ReadOwner));
    const auto over = exchange::replaceFile(file.toStdString(), "five");
    if (geteuid() != 0) QVERIFY(!over && over.error().what.find("write-protected") != std::string::npos); // nothing is for the system's owner
    QCOMPARE(*exchange::readFile(file.toStdString()), std::string(geteuid() != 0 ? "two" : "five"));
    QCOMPARE(int(QFile::permissions(file) & 0x2022), 0);
  }

  void whatAnotherProgramWroteIsNotWrittenOver() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("a.txt").toStdString();
    VERIFY_OK(exchange::replaceFile(path, "mine"));
    const auto seen = exchange::stateOf(path);
    const auto write = [&](const exchange::FileState& last) {
      return exchange::replaceFile(path, [](const std::string& t) -> Expected<void> { QFile f(QString::fromStdString(t)); return f.open(QIODevice::WriteOnly) && f.write("next") == 4 ? Expected<void>() : fail(problem("", "")); }, {&last});
    };
    QVERIFY(!exchange::changedSince(path, seen));
    QThread::msleep(20);
    VERIFY_OK(exchange::replaceFile(path, "mine")); // touched, and the same
    QVERIFY(!exchange::changedSince(path, seen));
    VERIFY_OK(exchange::replaceFile(path, "else")); // of the same size
    QVERIFY(exchange::changedSince(path, seen));
    QCOMPARE(write(seen).error().code, std::string("LM-F043"));
    QCOMPARE(*exchange::readFile(path), std::string("else"));
    QCOMPARE(QDir(dir.path()).entryList(QDir::Files | QDir::Hidden).size(), 1);
    VERIFY_OK(write(exchange::stateOf(path)));
    // A copy that brings its own time and has the same size.
    const auto before = exchange::stateOf(path);
    struct stat was {};
    QCOMPARE(::stat(path.c_str(), &was), 0);
    QFile same(QString::fromStdString(path));
    QVERIFY(same.open(QIODevice::WriteOnly) && same.write("copy") == 4);
    same.close();
    const timespec times[2] = {was.st_atim, was.st_mtim};
    QCOMPARE(::utimensat(AT_FDCWD, path.c_str(), times, 0), 0);
    QVERIFY(exchange::changedSince(path, before));
    QVERIFY(QFile::remove(QString::fromStdString(path)));
    VERIFY_OK(write(seen)); // nothing is lost by writing what is gone
    QCOMPARE(write({}).error().code, std::string("LM-F043")); // there was none, and now there is
  }

  void aFullDiskIsToldByEveryFormatAndLeavesNothing() {
    Bench b = tumbler();
    b.run();
    for (const char* name : {"a.step", "a.iges", "a.brep", "a.stl", "a.3mf", "a.obj", "a.glb", "a.ply", "a.svg", "a.dxf", "a.txt", "a.lumsk"})
      for (rlim_t bytes : {0, 1000, 20000}) {
        QTemporaryDir dir;
        const std::string path = dir.filePath(name).toStdString();
        Expected<void> done;
        {
          const FullDisk full(bytes);
          if (exchange::extensionOf(path) == ".lumsk")
            done = exchange::writeProject(path, {b.recipe, std::string(50000, 'p'), exchange::worthKeeping(*b.model), ""});
          else if (const auto exported = exchange::exportModel(*b.model, path, {{0.05, 5}}, {}); !exported)
            done = fail(exported.error());
        }
        if (done && QFileInfo(QString::fromStdString(path)).size() <= qint64(bytes)) continue; // it was small enough
        QVERIFY2(!done && done.error().code == "LM-F022", (std::string(name) + (done ? "" : " " + done.error().code)).c_str());
        QVERIFY2(QDir(dir.path()).isEmpty(QDir::Files | QDir::Hidden), name);
      }
  }

  void resultsThatSomebodyElseKeptAreNotTaken() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("a.lumsk").toStdString();
    Bench b = tumbler();
    b.run();
    exchange::Outcomes kept;
    for (const char* id : {"s5", "s6"}) kept[b.result(id).key] = b.result(id).outcome;
    VERIFY_OK(exchange::writeProject(path, {b.recipe, "", kept, ""}));
    QCOMPARE(exchange::readProject(path)->kept.size(), kept.size());
    QCOMPARE(exchange::readProject(path, exchange::Kept::Leave)->kept.size(), size_t(0));
    // The one under the other's name, as a file would have it that lies; and one of another person.
    const auto entry = [&](const std::string& id) { return "cache/" + b.result(id).key.substr(b.result(id).key.find(':') + 1); };
    const auto with = [&](const std::string& name, const std::string& bytes) {
      int error = 0;
      zip_t* z = zip_open(path.c_str(), 0, &error);
      zip_source_t* s = zip_source_buffer(z, bytes.data(), bytes.size(), 0);
      const bool added = zip_file_add(z, name.c_str(), s, ZIP_FL_OVERWRITE) >= 0;
      return zip_close(z) == 0 && added;
    };
    const std::string packed = *exchange::packOutcome(*b.result("s6").outcome), key = b.result("s5").key;
    const auto sealed = [&](const exchange::Seal& by, const std::string& under) { return by.of("0.1.0 " + under, packed) + packed; };
    QVERIFY(with(entry("s5"), sealed(exchange::Seal::own(), b.result("s6").key)));
    QCOMPARE(exchange::readProject(path)->kept.count(key), size_t(0));
    const exchange::Seal other(dir.filePath("other.key").toStdString());
    QVERIFY(with(entry("s5"), sealed(other, key)));
    QCOMPARE(exchange::readProject(path)->kept.count(key), size_t(0));
    QVERIFY(with(entry("s5"), packed));
    QCOMPARE(exchange::readProject(path)->kept.count(key), size_t(0));
    QVERIFY(with(entry("s5"), sealed(exchange::Seal::own(), key))); // so that the test could see one that is taken
    QCOMPARE(exchange::readProject(path)->kept.count(key), size_t(1));
    // The secret is for nobody else; one that others could read is made anew.
    QCOMPARE(int(QFile::permissions(dir.filePath("other.key")) & 0x77), 0);
    QVERIFY(QFile::setPermissions(dir.filePath("other.key"), QFile::ReadOwner | QFile::WriteOwner | QFile::ReadOther));
    QVERIFY(!exchange::Seal(dir.filePath("other.key").toStdString()).holds("a", "b", other.of("a", "b")));
    const exchange::Seal again(dir.filePath("other.key").toStdString());
    QVERIFY(exchange::Seal(dir.filePath("other.key").toStdString()).holds("a", "b", again.of("a", "b")));
  }

  void whatWouldUnpackToTooMuchIsRefusedBeforeItIs() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("bomb.lumsk").toStdString();
    VERIFY_OK(exchange::writeProject(path, {tumbler().recipe, "", {}, ""}));
    int error = 0;
    zip_t* z = zip_open(path.c_str(), 0, &error);
    const std::string zeros(200 << 20, '\0');
    for (int i = 0; i < 5; ++i) QVERIFY(zip_file_add(z, ("imports/" + std::to_string(i)).c_str(), zip_source_buffer(z, zeros.data(), zeros.size(), 0), 0) >= 0);
    QCOMPARE(zip_close(z), 0);
    QVERIFY(QFileInfo(QString::fromStdString(path)).size() < 2000000);
    rusage before{}, after{};
    getrusage(RUSAGE_SELF, &before);
    const auto read = exchange::readProject(path);
    getrusage(RUSAGE_SELF, &after);
    QVERIFY(!read && read.error().code == "LM-F006");
    QVERIFY2(after.ru_maxrss - before.ru_maxrss < 50000, "memory was taken for it"); // kB
  }

  void listsNestedTooDeeplyAreRefused() {
    const std::string deep = std::string(90000, '[') + std::string(90000, ']');
    const auto r = recipe::fromText("{\"format\":\"lumsk-recipe\",\"version\":1,\"steps\":[{\"id\":\"s1\",\"kind\":\"ring\",\"inputs\":{\"a\":" + deep + "}}]}");
    QVERIFY(!r && r.error().code == "LM-F002");
  }

  void aBareRecipeFindsItsImportsBesideIt() {
    QTemporaryDir dir;
    Bench b;
    const json file = b.file("places.txt", "0 0 0\n10 0 0\n20 5 0\n30 9 3\n");
    b.add("points_curve", {{"table", file}});
    QFile recipeFile(dir.filePath("recipe.json")), table(dir.filePath("places.txt"));
    QVERIFY(recipeFile.open(QIODevice::WriteOnly) && table.open(QIODevice::WriteOnly));
    recipeFile.write(QByteArray::fromStdString(recipe::toText(b.recipe)));
    table.write(QByteArray::fromStdString(*b.recipe.imports.begin()->second));
    recipeFile.close(), table.close();
    const auto read = exchange::readProject(dir.filePath("recipe.json").toStdString());
    VERIFY_OK(read);
    QCOMPARE(read->recipe.imports.size(), size_t(1));
  }
};

static test::Register<ExchangeTest> registeredExchangeTest;
#include "exchange_test.moc"
