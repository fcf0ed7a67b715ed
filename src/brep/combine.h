#pragma once
#include "base/context.h"
#include "brep/body.h"

namespace lumsk::brep {

enum class Combine { Add, Cut, Common };
const char* combineName(Combine c); ///< "add"
std::optional<Combine> combineFrom(const std::string& name);

/// A solid with others added to it, cut out of it, or what it has in common with these together (boolean operations of
/// the kernel, in the child process). One that stands on it with a flat face of the same outline is sewn on without.
/// Faces keep their names. There may be several pieces, largest first. What the kernel makes is taken where it is a valid
/// closed solid and the volumes add up: what is cut off and what is left are the whole. Fails with LM-B010 where one
/// does not reach into the other, or nothing is left, LM-B012 where faces touch as they cross, LM-B013 where the volumes
/// do not add up, LM-K00x, and as `runInWorker` does.
Expected<std::vector<BodyPtr>> combined(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, const Context& cx);
/// The same within this process.
Expected<std::vector<BodyPtr>> combinedHere(const BodyPtr& target, const std::vector<BodyPtr>& tools, Combine how, const Context& cx);

/// Several bodies as one: solids added together, skins knitted. Fails as these do, and with LM-M015 for both kinds.
Expected<BodyPtr> together(const std::vector<BodyPtr>& bodies, const Context& cx);

/// A place where one of some other solids reaches into a solid: looked for at places of their faces.
std::optional<Vec3> reachesInto(const Body& solid, const std::vector<const Body*>& others);

} // namespace lumsk::brep
