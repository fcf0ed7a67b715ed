#pragma once
#include "brep/body.h"

#include <NCollection_DataMap.hxx>
#include <TopTools_ShapeMapHasher.hxx>

#include <string>

namespace lumsk::brep {

/// Names of faces by the face itself (orientation does not count).
using FaceNames = NCollection_DataMap<TopoDS_Shape, std::string, TopTools_ShapeMapHasher>;

/// What names of open edges say besides their face, by the edge, where it is not the side of a domain.
using EdgeLabels = NCollection_DataMap<TopoDS_Shape, std::string, TopTools_ShapeMapHasher>;

/// Fills the name lists of a body whose shape is final. Edges are named by their faces, or by their face and the side
/// of it they lie on; ties are numbered along the first face's parameters. Vertices are named by their edges.
void nameBody(Body& body, const FaceNames& faceNames, const EdgeLabels& labels = {});

/// A face's name from its step, its role there and what it was made from.
std::string faceName(const std::string& step, const std::string& role, const std::string& source);

enum class PartKind { Face, Edge, Vertex };
const char* partKindName(PartKind k);

/// What a part looks like: used to find it again when its name is gone.
struct Signature {
  Vec3 middle = Vec3::Zero();
  Vec3 direction = Vec3::Zero(); ///< normal of a face, tangent of an edge; zero for a vertex
  double size = 0.0;             ///< square root of area, length
};
Signature signatureOf(const Body& b, PartKind kind, int index);

/// Sides of faces are named by what they do and by what they were made from: "end:p3". A name without what they do
/// ("p3") stays when the order of the inputs is turned; one without what they were made from ("end") when an input is
/// replaced. Works through nested names; parts that stand side by side are sorted.
std::string withoutRoles(const std::string& name);
std::string withoutSources(const std::string& name);

struct Found {
  int index = -1;
  bool doubtful = false; ///< found by its role or its signature, not by its name
};
/// By name, doubtful where another part lies just as the wanted one did and that of the name wholly otherwise; by what
/// its sides were made from; by what they do, which is doubtful; else the candidate of the same kind
/// within 5 % of the body's size and 30 degrees that is twice as near as the runner-up; else index -1.
Found findPart(const Body& b, PartKind kind, const std::string& name, const Signature* signature);

} // namespace lumsk::brep
