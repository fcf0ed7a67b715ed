#include "exchange/export.h"
#include "exchange/files.h"
#include "exchange/project.h"
#include "support/recipes.h"

#include <QFile>
#include <QTemporaryDir>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <csignal>
#include <sys/resource.h>

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

  void nothingThatWasChangedByABitIsAccepted() {
    QTemporaryDir dir;
    const std::string path = dir.filePath("a.lumsk").toStdString(), damaged = dir.filePath("b.lumsk").toStdString();
    VERIFY_OK(exchange::writeProject(path, {tumbler().recipe, "", {}, ""}));
    const std::string bytes = *exchange::readFile(path), text = recipe::toText(tumbler().recipe);
    int accepted = 0;
    for (size_t bit = 8 * 40; bit < 8 * (bytes.size() - 80); bit += 37) {
      std::string b = bytes;
      b[bit / 8] = char(b[bit / 8] ^ (1 << (bit % 8)));
      QFile f(QString::fromStdString(damaged));
      QVERIFY(f.open(QIODevice::WriteOnly) && f.write(b.data(), qint64(b.size())) == qint64(b.size()));
      f.close();
      const auto read = exchange::readProject(damaged);
      accepted += read && recipe::toText(read->recipe) != text;
    }
    QCOMPARE(accepted, 0);
  }

  void listsNestedTooDeeplyAreRefused() {
    const std::string deep = std::string(90000, '[') + std::string(90000, ']');
    const auto r = recipe::fromText("{\"format\":\"lumsk-recipe\",\"version\":1,\"steps\":[{\"id\":\"s1\",\"kind\":\"ring\",\"inputs\":{\"a\":" + deep + "}}]}");
    QVERIFY(!r && r.error().code == "LM-F002");
    QVERIFY(!exchange::unpackOutcome(std::string(1000000, char(0x81))));
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
