#pragma once
#include "brep/body.h"

#include <nlohmann/json_fwd.hpp>

namespace lumsk::brep {

// Bodies and problems as data that Lumsk writes and reads back itself: in project files and to its child process.

/// Names as text, the shape as bytes in the kernel's binary format: for CBOR, since JSON as text has no bytes.
nlohmann::json toJson(const Body& b);
/// Null where the shape does not fit its names. Throws what the JSON library throws on missing members.
BodyPtr bodyFrom(const nlohmann::json& j);

std::vector<std::uint8_t> shapeBytes(const TopoDS_Shape& s);
TopoDS_Shape shapeFrom(const std::vector<std::uint8_t>& bytes);

nlohmann::json toJson(const Problem& p);
Problem problemFrom(const nlohmann::json& j);

nlohmann::json toJson(const Vec3& p);
Vec3 vecFrom(const nlohmann::json& j);

} // namespace lumsk::brep
