#include "brep/trim.h"

#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace {

Schema schema() {
  return {picks("body", "Body", "The skin or solid to cut.", Kind::Skin | Kind::Solid).atMost(1),
          picks("by", "By", "The plane that cuts.", Kind::Plane).atMost(1),
          choice("keep", "Keep", "The side of the plane that is kept: where its normal points, or the other.",
                 {{"front", "in front of the plane"}, {"back", "behind the plane"}})};
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const Picked& pick = in.picked("body").front();
  const Frame plane = in.plane("by", {});
  auto made =
      brep::trimByPlane(*std::get<brep::BodyPtr>(pick.object), plane, in.text("keep") == "front", in.stepId(), cx);
  if (!made) return fail(made.error().inField("by"));
  Outcome out;
  for (size_t i = 0; i < made->pieces.size(); ++i)
    out.outputs.push_back({i == 0 ? "" : std::to_string(i + 1), made->pieces[i], i == 0 ? pick.objectId() : ""});
  out.usedUp.push_back(pick.objectId());
  out.marks.add(Flag{"keep", "", made->keptAt, Vec3::Zero(), false, "kept", 1});
  out.marks.add(Flag{"keep", "", made->droppedAt, Vec3::Zero(), false, "cut off", 2});
  if (made->pieces.size() > 1)
    out.notes.push_back(problem("LM-C101", "the kept side falls into parts: each is a body")
                            .measure(count(double(made->pieces.size())))
                            .at(made->keptAt)
                            .tryThis("hide or remove the parts that are not wanted"));
  out.summary = made->pieces.size() == 1 ? "one piece" : std::to_string(made->pieces.size()) + " pieces";
  if (made->refittedMm > 0) out.summary += " - whole faces - " + format(millimetres(made->refittedMm), 1);
  return out;
}

} // namespace

Step trim() { return {"trim", 1, "Trim", Stage::Trim, schema, compute}; }

} // namespace lumsk::steps
