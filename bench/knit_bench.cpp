// Skins knitted: 300 faces, and 30 skins with gaps whose sizes are told, measured by the geometry kernel as well.
#include "brep/convert.h"
#include "brep/knit.h"
#include "brep/skin.h"
#include "inspect/joins.h"
#include "nurbs/loft/loft.h"
#include "shapes/vessels.h"

#include <BRepBuilderAPI_MakeEdge.hxx>
#include <BRepBuilderAPI_Sewing.hxx>
#include <BRepExtrema_DistShapeShape.hxx>
#include <BRepBuilderAPI_MakeVertex.hxx>

#include <chrono>
#include <cstdio>
#include <random>

using namespace lumsk;

namespace {

double secondsOf(const std::function<void()>& f) {
  std::vector<double> all;
  for (int i = 0; i < 5; ++i) {
    const auto from = std::chrono::steady_clock::now();
    f();
    all.push_back(std::chrono::duration<double>(std::chrono::steady_clock::now() - from).count());
  }
  std::sort(all.begin(), all.end());
  return all[2];
}

nurbs::Surface sheet(double width, double depth, double rise) {
  std::vector<nurbs::Section> sections;
  for (int i = 0; i <= 3; ++i) {
    const double y = depth * i / 3;
    Points p(5, 3);
    for (int k = 0; k <= 4; ++k) p.row(k) << width * k / 4, y, rise * std::sin(0.7 * k) + 0.1 * rise * y / depth;
    nurbs::InterpolationOptions o;
    sections.push_back({*nurbs::Path::make({*nurbs::interpolate(p, o)}, {0.001})});
  }
  return nurbs::loft(sections, {}, {})->strips[0];
}

brep::NamedFace face(nurbs::Surface s, int number) {
  brep::NaturalFace n{std::make_shared<const nurbs::Surface>(std::move(s))};
  return {brep::naturalFace(*n.surface, false, {0.001}), "t.face" + std::to_string(number), n};
}

void threeHundred() {
  const nurbs::Surface whole = sheet(300, 200, 20);
  std::vector<brep::NamedFace> faces;
  for (int i = 0; i < 20; ++i)
    for (int k = 0; k < 15; ++k) faces.push_back(face(nurbs::portion(whole, i / 20.0, (i + 1) / 20.0, k / 15.0, (k + 1) / 15.0), int(faces.size())));
  const double ours = secondsOf([&] {
    const auto made = brep::knitFaces(faces, {0.01}, {});
    if (!made || made->body->faceNames.size() != 300) std::printf("300 faces: not knitted\n");
  });
  const double kernel = secondsOf([&] {
    BRepBuilderAPI_Sewing sewing(0.01);
    for (const auto& f : faces) sewing.Add(f.face);
    sewing.Perform();
  });
  std::printf("300 faces: %.2f s (the kernel's sewing alone, without names and checks: %.2f s)\n", ours, kernel);
}

/// 30 skins side by side, each a little apart from the one before; what is told beside what the kernel measures.
void thirtyGaps() {
  std::mt19937 random(1);
  const nurbs::Surface one = sheet(40, 30, 5);
  std::vector<brep::NamedFace> faces;
  double y = 0;
  std::vector<double> gaps;
  for (int i = 0; i < 30; ++i) {
    Eigen::Isometry3d by = Eigen::Isometry3d::Identity();
    const double gap = i == 0 ? 0 : 0.05 * (i - 1) / 28;
    y += gap;
    by.translation() = Vec3(0, y + 30.0 * i, 0.5 * i);
    faces.push_back(face(nurbs::transformed(one, by), i));
    if (i > 0) gaps.push_back(gap);
  }
  const auto made = brep::knitFaces(faces, {0.06}, {});
  if (!made) return void(std::printf("30 skins: %s\n", sentence(made.error()).c_str()));
  double worst = 0;
  int joins = 0;
  for (const auto& j : inspect::joins(*made->body, {})) {
    ++joins;
    // The kernel: the farthest place of the one border from the other skin.
    const int n = std::stoi(j.edge.substr(6));
    const int m = std::stoi(j.edge.substr(j.edge.find("|t.face") + 7));
    double apart = 0;
    const nurbs::Surface& s = *faces[size_t(std::min(n, m))].natural->surface;
    for (int k = 1; k < 32; ++k) {
      const TopoDS_Vertex v = BRepBuilderAPI_MakeVertex(brep::toPnt(s.at(s.firstU() + (s.lastU() - s.firstU()) * k / 32, s.lastV())));
      BRepExtrema_DistShapeShape d(v, faces[size_t(std::max(n, m))].face);
      apart = std::max(apart, d.Value());
    }
    worst = std::max(worst, std::abs(apart - j.gapMm));
  }
  std::printf("30 skins, gaps from 0 to 0.05 mm: %d joins, told and measured by the kernel differ by %.6f mm at most (0.0005 wanted)\n", joins, worst);
}

} // namespace

int main() {
  threeHundred();
  thirtyGaps();
}
