#pragma once
#include "nurbs/loft/loft.h"
#include "steps/common.h"

namespace lumsk::steps {

// How skins through sections leave their ends and sides: fields, options, handles, notes.

/// The fields of an end, or of a side; `what` completes "How the skin leaves ...".
void addSkinEnd(recipe::Schema& s, const std::string& key, const std::string& label, const std::string& what,
                const std::vector<std::string>& allowed, const std::string& along,
                const std::string& pull = "How far the skin goes along that direction: 1 is as an arc would.");

/// An end, or a side: `edge` is the pick that lies there, if one does; problems are shown at the first pick of
/// `sections`. Fails with LM-L017 (not known what to flow into), and as graphs and neighbours do.
Expected<nurbs::LoftEndOptions> skinEndOf(const recipe::Inputs& in, const std::string& key, const std::string& sections,
                                          const recipe::Picked* edge, const Context& cx);

/// A curve along an edge of the skin that its end flows into, or of the solid to be added to, is taken to be that edge.
void takeSharedEdges(const recipe::Inputs& in, std::vector<nurbs::Section>& sections, const Tolerances& tol);

/// A handle for the pull in the middle of a side of the skin, as long as a third of the way across it.
void addPull(recipe::Outcome& out, const std::string& key, const nurbs::Surface& s, nurbs::Side side, Meets kind);

/// Says where an end does not flow on as closely as asked.
void noteEnds(recipe::Outcome& out, const std::string& code, const nurbs::SkinJoin& join, const Tolerances& tol);

} // namespace lumsk::steps
