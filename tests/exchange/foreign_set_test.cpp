#include "brep/foreign.h"
#include "support/recipes.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <IGESControl_Reader.hxx>
#include <STEPControl_Reader.hxx>
#include <TopExp_Explorer.hxx>
#include <TopoDS_Shape.hxx>

#include <QDir>
#include <QFile>

using namespace lumsk;
using namespace lumsk::test;

namespace {

constexpr const char* kSamples = "/usr/share/opencascade/data"; // package occt-misc

std::string bytesOf(const QString& path) {
  QFile f(path);
  return f.open(QIODevice::ReadOnly) ? f.readAll().toStdString() : std::string();
}

int count(const TopoDS_Shape& s, TopAbs_ShapeEnum kind, TopAbs_ShapeEnum avoid = TopAbs_SHAPE) {
  int n = 0;
  for (TopExp_Explorer e(s, kind, avoid); e.More(); e.Next()) ++n;
  return n;
}

/// What the kernel's own reader makes of a file, by itself.
TopoDS_Shape byKernel(const QString& path) {
  TopoDS_Shape s;
  if (path.endsWith(".iges")) {
    IGESControl_Reader reader;
    reader.ReadFile(path.toUtf8().constData());
    reader.TransferRoots();
    s = reader.OneShape();
  } else if (path.endsWith(".step")) {
    STEPControl_Reader reader;
    reader.ReadFile(path.toUtf8().constData());
    reader.TransferRoots();
    s = reader.OneShape();
  } else {
    BRepTools::Read(s, path.toUtf8().constData(), BRep_Builder());
  }
  return s;
}

} // namespace

class ForeignSetTest : public QObject {
  Q_OBJECT
  QStringList files_;
private slots:
  void initTestCase() {
    for (const QString& folder : {QString("/step"), QString("/occ"), QString("/iges")})
      for (const QString& f : QDir(kSamples + folder).entryList({"*.step", "*.brep", "*.rle", "*.iges"}, QDir::Files))
        files_ << kSamples + folder + "/" + f;
    QVERIFY2(files_.size() >= 20, "install occt-misc, as ./check does");
  }

  void countsAgreeWithTheKernelsReader() {
    int bodies = 0;
    for (const QString& path : files_) {
      const std::string bytes = bytesOf(path);
      const auto read = brep::readForeign(
          bytes, {brep::LengthUnit::FromFile, QFileInfo(path).fileName().toStdString(), "0123456789abcdef"}, {});
      const TopoDS_Shape whole = byKernel(path);
      const int solids = count(whole, TopAbs_SOLID), shells = count(whole, TopAbs_SHELL, TopAbs_SOLID),
                free = count(whole, TopAbs_FACE, TopAbs_SHELL), faces = count(whole, TopAbs_FACE);
      if (!read) {
        QVERIFY2(solids + shells + free + count(whole, TopAbs_EDGE) == 0, qPrintable(path));
        continue;
      }
      int mySolids = 0, mySkins = 0, myFaces = 0;
      for (const auto& p : read->parts) {
        (p.body->solid() ? mySolids : mySkins)++;
        myFaces += count(p.body->shape, TopAbs_FACE);
        for (const auto& n : p.body->faceNames) QVERIFY(n.rfind("0123456789ab.face(", 0) == 0);
      }
      bodies += mySolids + mySkins;
      // Loose faces that touch are sewn: skins become fewer, some of them solids.
      const QString told = path + QString(": %1 solids, %2 skins, %3 faces; the kernel %4, %5 and %6, %7").arg(mySolids).arg(mySkins).arg(myFaces).arg(solids).arg(shells).arg(free).arg(faces);
      QVERIFY2(myFaces == faces && mySolids >= solids && mySolids + mySkins <= solids + shells + free, qPrintable(told));
      if (free == 0 && shells == 0) QVERIFY2(mySolids == solids && mySkins == 0, qPrintable(told));
    }
    QVERIFY(bodies >= 60);
  }

  void cutOffAndDamagedFilesNeverCrashUs() {
    int refused = 0, tried = 0;
    for (const QString& path : {files_[0], files_[2], files_[12]}) {
      const std::string bytes = bytesOf(path);
      for (int k = 0; k < 6; ++k) {
        std::string damaged = bytes.substr(0, bytes.size() * size_t(2 * k + 1) / 12);
        if (k % 2) { // whole in length, but with a hole
          damaged = bytes;
          damaged.replace(bytes.size() * size_t(k) / 6, 200, std::string(200, '7'));
        }
        ++tried;
        const auto r = brep::readForeign(
            damaged, {brep::LengthUnit::FromFile, QFileInfo(path).fileName().toStdString(), "x", 5}, {});
        if (!r) QVERIFY(!r.error().what.empty() && !r.error().remedyText.empty());
        refused += !r;
      }
    }
    QVERIFY(tried == 18 && refused >= 9);
  }
};

static test::Register<ForeignSetTest> registeredForeignSetTest;
#include "foreign_set_test.moc"
