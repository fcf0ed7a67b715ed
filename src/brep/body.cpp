#include "brep/body.h"

#include "brep/convert.h"
#include "brep/guard.h"

#include <BRepBuilderAPI_Copy.hxx>
#include <BRepBuilderAPI_Transform.hxx>
#include <TopExp.hxx>
#include <TopExp_Explorer.hxx>
#include <TopTools_IndexedMapOfShape.hxx>
#include <TopoDS.hxx>

namespace lumsk::brep {

bool Body::solid() const {
  TopTools_IndexedMapOfShape m;
  TopExp::MapShapes(shape, TopAbs_SOLID, m);
  return m.Extent() > 0;
}

namespace {
template <class T, class Cast> std::vector<T> collect(const TopoDS_Shape& s, TopAbs_ShapeEnum kind, Cast cast) {
  TopTools_IndexedMapOfShape m;
  TopExp::MapShapes(s, kind, m);
  std::vector<T> out;
  for (int i = 1; i <= m.Extent(); ++i) out.push_back(cast(m(i)));
  return out;
}
} // namespace

std::vector<TopoDS_Face> faces(const Body& b) {
  return collect<TopoDS_Face>(b.shape, TopAbs_FACE, [](const TopoDS_Shape& s) { return TopoDS::Face(s); });
}
std::vector<TopoDS_Edge> edges(const Body& b) {
  return collect<TopoDS_Edge>(b.shape, TopAbs_EDGE, [](const TopoDS_Shape& s) { return TopoDS::Edge(s); });
}
std::vector<TopoDS_Vertex> vertices(const Body& b) {
  return collect<TopoDS_Vertex>(b.shape, TopAbs_VERTEX, [](const TopoDS_Shape& s) { return TopoDS::Vertex(s); });
}

std::vector<int> facesAt(const Body& b, int edge) {
  const TopoDS_Edge e = edges(b)[size_t(edge)];
  const auto all = faces(b);
  std::vector<int> out;
  for (int i = 0; i < int(all.size()); ++i)
    for (TopExp_Explorer x(all[size_t(i)], TopAbs_EDGE); x.More(); x.Next())
      if (x.Current().IsSame(e)) {
        out.push_back(i);
        break;
      }
  return out;
}

TopoDS_Shape copyOf(const TopoDS_Shape& s) { return BRepBuilderAPI_Copy(s, true, false).Shape(); }

NaturalFace onSurface(NaturalFace f, std::shared_ptr<const nurbs::Surface> s) {
  f.surface = std::move(s);
  f.uncut.reset();
  return f;
}

} // namespace lumsk::brep
