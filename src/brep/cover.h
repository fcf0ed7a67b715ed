#pragma once
#include "brep/knit.h"
#include "brep/rings.h"

namespace lumsk::brep {

struct Covered {
  NamedFace face;
  bool planar = true;
  double heightMm = 0.0; ///< how far the ring leaves its plane
};

/// A face that closes a ring of edges: planar where the ring is, else as flat as can be (`nurbs::flatCover`). The edges
/// are copied. Fails with LM-V001 (the ring is open: where), LM-V002 (the ring crosses itself or stands upright over
/// its plane), LM-V003. `holes`: rings within it that stay open; only a planar one has such (LM-V004).
Expected<Covered> cover(const Ring& ring, const std::string& name, const Context& cx,
                        const std::vector<Ring>& holes = {});

} // namespace lumsk::brep
