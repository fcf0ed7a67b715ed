#include "brep/apart.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace turn_over_ {

Schema schema() { return {picks("skins", "Skins", "Skins whose front is to be on the other side.", Kind::Skin)}; }

Expected<Outcome> compute(const Inputs& in, const Context&) {
  Outcome out;
  for (const Picked& p : in.picked("skins")) {
    out.outputs.push_back({out.outputs.empty() ? "" : p.item, brep::turnedOver(*std::get<brep::BodyPtr>(p.object)), p.objectId()});
    out.usedUp.push_back(p.objectId());
  }
  const size_t n = out.outputs.size();
  out.summary = std::to_string(n) + (n == 1 ? " skin" : " skins");
  return out;
}

} // namespace turn_over_

Step turn_over() { return Step{"turn_over", 1, "Turn over", Stage::Trim, turn_over_::schema, turn_over_::compute}.under("change"); }

} // namespace lumsk::steps
