#pragma once
#include "brep/offset/layer_places.h"
#include "brep/thicken.h"

namespace lumsk::brep::offset {

/// A skin divided along the borders of its zones, and how thick it is where.
struct ZonedSkin {
  BodyPtr body, before; ///< divided, and not
  std::unique_ptr<LayerNet> net;                  ///< of its faces but the open ones
  std::vector<int> open;                          ///< its faces that are left out
  std::vector<double> mm;                         ///< by sheets of the net; of transitions the larger
  std::vector<std::shared_ptr<const Ramp>> ramps; ///< of transitions, in thickness
  std::vector<ZonePlace> places;                  ///< one in each zone
};

/// Fails as `thicken` says of zones, and as dividing does.
Expected<ZonedSkin> zoned(const Body& skin, const ThickenOptions& options, const Context& cx);

} // namespace lumsk::brep::offset
