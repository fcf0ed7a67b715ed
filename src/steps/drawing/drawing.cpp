#include "drawing/curves.h"
#include "drawing/freedom.h"
#include "recipe/linked_things.h"
#include "steps/common.h"

namespace lumsk::steps {

using namespace recipe;

namespace drawing_ {

Schema schema() {
  Field on = onPlaneField();
  on.least = 1;
  on.help = "The plane to draw on, or a face: the plane that touches it where it was clicked.";
  Field links = picks("links", "Linked", "Curves, edges and points outside that the drawing refers to, and sections or outlines of bodies; they follow.", kLinkable).optional().seldomSet();
  links.each.push_back(choice("as", "Drawn as", "Of bodies and faces: where the plane cuts them, or where they turn out of sight.",
                       {{"section", "section", Kind::Skin | Kind::Solid | Kind::Face}, {"outline", "outline", Kind::Skin | Kind::Solid | Kind::Face}}));
  return {on, recipe::drawing("drawing", "Drawing", "Lines and curves with what holds between them, drawn in the view.").onPlane("plane").linkedTo("links"), links};
}

std::string counted(int n, const char* one, const char* many) { return std::to_string(n) + " " + (n == 1 ? one : many); }

std::string summaryOf(const lumsk::drawing::Chains& c, int ways) {
  int closed = 0, open = 0;
  for (const auto& chain : c.chains) ++(chain.path.closed() ? closed : open);
  std::string out;
  const auto add = [&](const std::string& s) { out += (out.empty() ? "" : ", ") + s; };
  if (closed) add(counted(closed, "closed line", "closed lines"));
  if (open) add(counted(open, "open line", "open lines"));
  if (!c.loosePoints.empty()) add(counted(int(c.loosePoints.size()), "point", "points"));
  return out + " - " + (ways == 0 ? "nothing free" : counted(ways, "way to move", "ways to move"));
}

/// Where a relation is, on the plane.
Vec3 placeOn(const Frame& f, const lumsk::drawing::Drawing& d, const lumsk::drawing::Id& relation) {
  for (const auto& id : d.relation(relation)->of) {
    const auto* e = d.entity(id);
    const auto* p = d.point(e ? e->points[0] : id);
    if (p) return f.at(p->at.x(), p->at.y());
  }
  return f.origin;
}

/// A problem of the drawing: its places from the plane to space, those of the relations that it names, and its field.
Problem placed(Problem p, const Frame& f, const lumsk::drawing::Drawing& d) {
  for (Vec3& at : p.where) at = f.at(at.x(), at.y());
  if (d.relation(p.item)) p.at(placeOn(f, d, p.item));
  p.item.clear(); // relations are no items of a list
  for (Remedy& r : p.remedies) {
    r.field = "drawing";
    if (d.relation(r.value)) p.at(placeOn(f, d, r.value));
  }
  return p.inField("drawing");
}

void noteSaidTwice(Outcome& out, const Frame& f, const lumsk::drawing::Drawing& d, const lumsk::drawing::Freedom& free) {
  for (const auto& set : free.said) {
    std::string names;
    for (const auto& id : set) names += (names.empty() ? "" : ", ") + std::string(lumsk::drawing::lawWords(d.relation(id)->law));
    Problem note = problem("LM-U103", set.size() == 1 ? "a relation says nothing new: " + names : "each of these relations follows from the others: " + names)
                       .at(placeOn(f, d, set.back()))
                       .inField("drawing")
                       .tryThis("give up one of them");
    for (auto it = set.rbegin(); it != set.rend() && note.remedies.size() < 3; ++it)
      note.offer({std::string("give up ") + lumsk::drawing::lawWords(d.relation(*it)->law), "drawing", *it});
    out.notes.push_back(std::move(note));
  }
}

Expected<Outcome> compute(const Inputs& in, const Context& cx) {
  const auto& stored = in.drawing("drawing");
  if (stored.empty())
    return fail(problem("LM-U010", "draw something").isMissing().inField("drawing").tryThis("take a tool on the left and click in the view"));
  const Frame f = in.plane("plane", topPlane());
  LUMSK_TRY(links, LinkedThings().of(in, "links", f, cx));
  auto linked = lumsk::drawing::withLinks(stored, links, f, cx);
  if (!linked) return fail(linked.error().inField("links"));
  const auto inDrawing = [&](Problem p) { return fail(placed(std::move(p), f, *linked)); };
  auto d = lumsk::drawing::solved(*linked, cx);
  if (!d) return inDrawing(d.error());
  auto chains = lumsk::drawing::chainsOf(*d, cx);
  if (!chains) return inDrawing(chains.error());
  LUMSK_TRY(free, lumsk::drawing::freedomOf(*d));
  Outcome out;
  const auto place = [&](const Vec2& p) { return f.at(p.x(), p.y()); };
  for (const auto& c : chains->chains) {
    Output o{c.name, std::make_shared<const nurbs::Path>(nurbs::transformed(c.path, onto(f)))};
    o.also = c.entities;
    if (d->entity(c.entities[0])->shape == lumsk::drawing::Shape::Text) o.group = c.entities[0];
    out.outputs.push_back(std::move(o));
    for (const auto& id : c.entities)
      for (const auto& p : d->entity(id)->points) out.points.push_back({p, place(d->at(p)), c.name});
  }
  for (const auto& p : chains->loosePoints) out.outputs.push_back({p, PointObject{place(d->at(p))}});
  if (out.outputs.empty())
    return fail(problem("LM-U010", "there are only construction lines").isMissing().inField("drawing").tryThis("draw something that comes out"));
  out.notes = std::move(chains->notes);
  for (Problem& note : out.notes)
    for (Vec3& p : note.where) p = f.at(p.x(), p.y());
  noteSaidTwice(out, f, *d, free);
  out.summary = summaryOf(*chains, free.ways);
  return out;
}

} // namespace drawing_

Step drawing() { return Step{"drawing", 1, "Drawing", Stage::Curves, drawing_::schema, drawing_::compute}.under("draw"); }

} // namespace lumsk::steps
