#pragma once
#include "brep/curves_on.h"
#include "nurbs/patch/edge_ribbon.h"

namespace lumsk::brep {

/// What lies beside a path on a body: the faces that end at edges along it.
class ChainFaces {
public:
  /// Edges along the path that bound one face, or are bounds of the given face (-1: any). A path along no edge lies
  /// beside all faces, or the given one. Fails with LM-L016 (two faces meet at an edge: place).
  static Expected<ChainFaces> along(const BodyPtr& body, const nurbs::Path& path, int face, const Context& cx);

  /// What lies beside some places of the path: the faces of the edges nearest to them.
  nurbs::Neighbour beside(const std::vector<Vec3>& places) const;
  /// On which side of the path they lie (see `nurbs::RibbonEdge`).
  int left() const { return left_; }
  /// How the borders of skins go on outwards beyond the start and the end of the path, where one does.
  const std::array<std::optional<nurbs::Leaving>, 2>& borders() const { return borders_; }

private:
  struct Along {
    nurbs::Path path;
    std::shared_ptr<const BodyFaces> face;
  };
  std::vector<Along> pieces_; ///< by edge; one without a path: all that there is
  BodyPtr body_;
  int left_ = 0;
  std::array<std::optional<nurbs::Leaving>, 2> borders_;
};

} // namespace lumsk::brep
