#include "drawing/files.h"
#include "exchange/export.h"
#include "exchange/files.h"
#include "recipe/point_table.h"
#include "support/solids.h"

#include <QTemporaryDir>
#include <assimp/Importer.hpp>
#include <assimp/postprocess.h>
#include <assimp/scene.h>
#include <zip.h>

using namespace lumsk;
using namespace lumsk::test;

namespace {

/// What a library that did not write a mesh file finds in it, in mm with z up.
struct ForeignMesh {
  double volume = 0, area = 0, worstNormal = 0;
  int objects = 0;
  Vec3 low = Vec3::Constant(1e300), high = -low;
  std::vector<std::string> names;
  std::vector<Vec3> colours;
};
ForeignMesh foreignMesh(const std::string& path, bool metresYUp = false) {
  ForeignMesh out;
  Assimp::Importer importer;
  const aiScene* scene = importer.ReadFile(path, aiProcess_Triangulate | aiProcess_PreTransformVertices);
  if (!scene) return out;
  out.objects = int(scene->mNumMeshes);
  const auto turned = [&](const aiVector3D& v, double scale) { return metresYUp ? Vec3(Vec3(v.x, -v.z, v.y) * scale) : Vec3(v.x, v.y, v.z); };
  for (unsigned m = 0; m < scene->mNumMeshes; ++m) {
    const aiMesh& mesh = *scene->mMeshes[m];
    aiColor4D c;
    if (scene->mMaterials[mesh.mMaterialIndex]->Get(AI_MATKEY_COLOR_DIFFUSE, c) == AI_SUCCESS) out.colours.emplace_back(c.r, c.g, c.b);
    for (unsigned f = 0; f < mesh.mNumFaces; ++f) {
      std::array<Vec3, 3> p;
      for (unsigned k = 0; k < 3; ++k) {
        p[k] = turned(mesh.mVertices[mesh.mFaces[f].mIndices[k]], 1000);
        out.low = out.low.cwiseMin(p[k]), out.high = out.high.cwiseMax(p[k]);
      }
      out.volume += p[0].dot(p[1].cross(p[2])) / 6;
      const Vec3 n = (p[1] - p[0]).cross(p[2] - p[0]);
      out.area += 0.5 * n.norm();
      if (!mesh.mNormals || n.norm() < 1e-3) continue;
      for (unsigned k = 0; k < 3; ++k) out.worstNormal = std::max(out.worstNormal, degFromRad(angleBetweenRad(turned(mesh.mNormals[mesh.mFaces[f].mIndices[k]], 1), n)));
    }
  }
  const std::function<void(const aiNode&)> names = [&](const aiNode& n) {
    if (n.mNumMeshes) out.names.emplace_back(n.mName.C_Str());
    for (unsigned i = 0; i < n.mNumChildren; ++i) names(*n.mChildren[i]);
  };
  Assimp::Importer other;
  if (const aiScene* apart = other.ReadFile(path, 0)) names(*apart->mRootNode);
  return out;
}

double lengthOf(const std::vector<nurbs::Segment>& segments) {
  double sum = 0;
  for (const auto& s : segments)
    if (const auto path = nurbs::Path::make({s}, LengthTolerance{1e-9})) {
      const Points p = nurbs::polylineWithin(*path, 1e-4);
      for (Eigen::Index i = 1; i < p.rows(); ++i) sum += (p.row(i) - p.row(i - 1)).norm();
    }
  return sum;
}

/// A drum and a skin beside it, with names and a colour.
Bench drumAndSkin() {
  Bench b;
  const auto drum = prism(b, disc(40), 30);
  b.recipe.looks["b" + drum.substr(1)].colour = "#336699";
  const auto ring = b.add("ring", disc(20, 60));
  b.add("extrude", {{"sections", picks({pick(ring)})}, {"length", 12}});
  b.run();
  return b;
}

} // namespace

class FormatsTest : public QObject {
  Q_OBJECT
  QTemporaryDir dir_;
  std::string path(const std::string& name) { return dir_.filePath(QString::fromStdString(name)).toStdString(); }

private slots:
  void meshesWithNormalsAreReadByAnotherLibrary() {
    Bench b = drumAndSkin();
    QCOMPARE(b.model->bodies.size(), size_t(2));
    const double area = inspect::stateOf(*b.model->bodies[0].body).areaMm2 + inspect::stateOf(*b.model->bodies[1].body).areaMm2;
    for (const std::string name : {"a.obj", "a.glb", "a.ply"}) {
      exchange::ExportOptions o;
      o.mesh = {0.01, 4};
      const auto done = exchange::exportModel(*b.model, path(name), o, {});
      VERIFY_OK(done);
      QCOMPARE(done->bodies, 2);
      const bool metres = name == "a.glb";
      const ForeignMesh m = foreignMesh(path(name), metres);
      VERIFY_AT_MOST(std::abs(m.area / area - 1), 0.001);
      VERIFY_AT_MOST((m.low - Vec3(-20, -20, 0)).norm(), 0.02);
      VERIFY_AT_MOST((m.high - Vec3(70, 20, 30)).norm(), 0.02);
      VERIFY_AT_MOST(m.worstNormal, 5); // normals are the surface's own
      if (name != "a.ply") QCOMPARE(m.names, (std::vector<std::string>{b.model->bodies[0].label, b.model->bodies[1].label}));
      if (metres) QVERIFY(std::any_of(m.colours.begin(), m.colours.end(), [](const Vec3& c) { return (c - Vec3(0.0331, 0.1329, 0.3185)).norm() < 0.001; })); // linear
    }
  }

  void threeMfTellsColoursByMaterials() {
    Bench b = drumAndSkin();
    VERIFY_OK(exchange::exportModel(*b.model, path("c.3mf"), {}, {}));
    zip_t* z = zip_open(path("c.3mf").c_str(), ZIP_RDONLY, nullptr);
    QVERIFY(z);
    zip_stat_t st;
    QCOMPARE(zip_stat(z, "3D/3dmodel.model", 0, &st), 0);
    std::string xml(st.size, 0);
    zip_file_t* f = zip_fopen(z, "3D/3dmodel.model", 0);
    QCOMPARE(zip_fread(f, xml.data(), st.size), zip_int64_t(st.size));
    zip_fclose(f);
    zip_discard(z);
    QVERIFY(xml.find("displaycolor=\"#336699") != std::string::npos);
    QVERIFY(xml.find("pid=") != std::string::npos);
  }

  void textStlIsTheSameMeshAsTheBinaryOne() {
    Bench b = drumAndSkin();
    exchange::ExportOptions o;
    VERIFY_OK(exchange::exportModel(*b.model, path("b.stl"), o, {}));
    o.format = "stl-text";
    const auto done = exchange::exportModel(*b.model, path("t.stl"), o, {});
    VERIFY_OK(done);
    QCOMPARE(done->leftOut.size(), size_t(1)); // the skin
    QVERIFY(exchange::readFile(path("t.stl"))->rfind("solid", 0) == 0);
    const ForeignMesh text = foreignMesh(path("t.stl")), binary = foreignMesh(path("b.stl"));
    VERIFY_AT_MOST(std::abs(text.volume / binary.volume - 1), 1e-5);
    VERIFY_AT_MOST(std::abs(text.volume / (kPi * 400 * 30) - 1), 0.005);
  }

  void theNewerProtocolOfStepKeepsNamesColoursAndForms() {
    Bench b = drumAndSkin();
    exchange::ExportOptions o;
    o.format = "step-242";
    VERIFY_OK(exchange::exportModel(*b.model, path("n.step"), o, {}));
    const std::string text = *exchange::readFile(path("n.step"));
    QVERIFY(text.find("AP242") != std::string::npos);
    QVERIFY(text.find(b.model->bodies[0].label) != std::string::npos && text.find("COLOUR_RGB") != std::string::npos);
    const auto back = exchange::readForeignBodies(path("n.step"));
    VERIFY_OK(back);
    QCOMPARE(back->size(), size_t(2));
    for (size_t k = 0; k < 2; ++k) {
      const auto a = inspect::stateOf(*b.model->bodies[k].body), c = inspect::stateOf(*(*back)[k].body);
      QCOMPARE(c.solid, a.solid);
      QCOMPARE(c.faces, a.faces);
      VERIFY_AT_MOST(std::abs(c.areaMm2 / a.areaMm2 - 1), 1e-9);
    }
    // The older one is not changed by it.
    VERIFY_OK(exchange::exportModel(*b.model, path("o.step"), {}, {}));
    QVERIFY(exchange::readFile(path("o.step"))->find("AUTOMOTIVE_DESIGN") != std::string::npos);
  }

  void viewsComeToScaleWithHiddenLinesApart() {
    Bench b = drumAndSkin();
    for (const std::string ending : {".dxf", ".svg"}) {
      exchange::ExportOptions o;
      o.view = {"front", 0.5, true, false};
      VERIFY_OK(exchange::exportModel(*b.model, path("v" + ending), o, {}));
      const std::string text = *exchange::readFile(path("v" + ending));
      const auto back = ending == ".dxf" ? drawing::fromDxf(text) : drawing::fromSvg(text);
      VERIFY_OK(back);
      // Two rectangles, of the drum 40 x 30 and of the skin 20 x 12, whose open circles are seen edge-on from both sides.
      const double length = lengthOf(back->segments) / 0.5, least = 2 * 30 + 2 * 40 + 2 * 12 + 2 * 20;
      QVERIFY2(length > least - 0.5 && length < least + 2 * 20 + 0.5, std::to_string(length).c_str());
      QVERIFY(text.find("outlines") != std::string::npos && text.find("hidden") == std::string::npos);
      o.view.hidden = true;
      VERIFY_OK(exchange::exportModel(*b.model, path("h" + ending), o, {}));
      QVERIFY(exchange::readFile(path("h" + ending))->find("hidden") != std::string::npos);
      // Curves alone, from above: circles stay circles.
      o.view = {"top", 2, false, false};
      o.curves = true;
      VERIFY_OK(exchange::exportModel(*b.model, path("c" + ending), o, {}));
      const std::string curves = *exchange::readFile(path("c" + ending));
      const auto rings = ending == ".dxf" ? drawing::fromDxf(curves) : drawing::fromSvg(curves);
      VERIFY_OK(rings);
      VERIFY_AT_MOST(std::abs(lengthOf(rings->segments) - 2 * kPi * (40 + 20)), 0.01);
      for (const auto& s : rings->segments) QVERIFY(std::holds_alternative<nurbs::EllipseArc>(s));
      // Aside they are ellipses, within their own plane circles again.
      o.view.from = "corner";
      VERIFY_OK(exchange::exportModel(*b.model, path("d" + ending), o, {}));
      o.view = {"flat", 1, false, false};
      VERIFY_OK(exchange::exportModel(*b.model, path("f" + ending), o, {}));
      const std::string flat = *exchange::readFile(path("f" + ending));
      VERIFY_AT_MOST(std::abs(lengthOf((ending == ".dxf" ? drawing::fromDxf(flat) : drawing::fromSvg(flat))->segments) - kPi * (40 + 20)), 0.01);
    }
    b.add("ring", disc(10, 0, 0, 50));
    b.run();
    exchange::ExportOptions o;
    o.curves = true;
    o.view.from = "flat";
    QCOMPARE(exchange::exportModel(*b.model, path("no.dxf"), o, {}).error().code, std::string("LM-F036"));
    o.view.from = "below";
    QCOMPARE(exchange::exportModel(*b.model, path("no.dxf"), o, {}).error().code, std::string("LM-F036"));
  }

  void pointsAlongCurvesComeBackAsATable() {
    Bench b = drumAndSkin();
    exchange::ExportOptions o;
    o.mesh.chordMm = 0.01;
    const auto done = exchange::exportModel(*b.model, path("p.txt"), o, {});
    VERIFY_OK(done);
    QCOMPARE(done->curves, 2);
    const auto table = recipe::readPointTable(*exchange::readFile(path("p.txt")));
    VERIFY_OK(table);
    QCOMPARE(table->size(), size_t(2));
    for (Eigen::Index i = 0; i < (*table)[0].rows(); ++i) VERIFY_AT_MOST(std::abs((*table)[0].row(i).norm() - 20), 1e-9);
    QVERIFY((*table)[0].rows() > 50);
    Bench none;
    prism(none, disc(40), 30);
    none.run();
    none.recipe.looks["s1"].visible = false;
    none.run();
    QCOMPARE(exchange::exportModel(*none.model, path("q.txt"), o, {}).error().code, std::string("LM-F024"));
  }

  void whatAFileDoesNotTellIsSaidBefore() {
    Bench b = drumAndSkin();
    const auto said = [&](const char* key, bool curves = false) {
      exchange::ExportOptions o;
      o.curves = curves;
      std::string all;
      for (const auto& words : exchange::notCarried(*b.model, *exchange::findFormat(key), o)) all += words + "; ";
      return all;
    };
    QCOMPARE(said("step", true), std::string());
    QCOMPARE(said("step"), std::string("2 curves are left out; "));
    const std::string stl = said("stl");
    for (const char* words : {"1 skin is left out", "triangles", "become one", "names are lost", "colours are lost", "no unit"}) QVERIFY2(stl.find(words) != std::string::npos, words);
    QVERIFY(said("gltf").find("names") == std::string::npos && said("gltf").find("colours") == std::string::npos);
    QVERIFY(said("points").find("bodies are left out") != std::string::npos);
    // What a format says that it carries, it has a place for.
    for (const exchange::Format& f : exchange::formats()) QVERIFY2(f.write && !f.words.empty() && exchange::findFormat(f.key) == &f, f.key.c_str());
  }
};

static test::Register<FormatsTest> registeredFormatsTest;
#include "formats_test.moc"
