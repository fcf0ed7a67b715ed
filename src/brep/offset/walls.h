#pragma once
#include "brep/offset/layer.h"

namespace lumsk::brep::offset {

/// One side of a wall: its faces in parts, each at distances that agree along its inner edges. Between parts are steps.
struct WallSide {
  struct Part {
    std::unique_ptr<LayerNet> own; ///< where it is not the whole skin
    const LayerNet* net = nullptr;
    Distances distances;
    Layer layer;
    std::vector<int> edges;    ///< of the whole skin's edges, their numbers here; -1: none
    std::vector<int> vertices; ///< likewise
  };
  std::vector<Part> parts;
  std::vector<int> partOf; ///< by sheets of the whole skin
};

/// A skin that is given a wall, by its faces.
struct WallSkin {
  const Body* body;            ///< its faces in the order of the net's sheets, but those left out
  LayerNet* net;
  std::vector<int> leftOut;
};

/// Edges between sheets whose distances differ there.
std::vector<char> stepsOf(const LayerNet& n, const Distances& d);
/// Planar openings at which a step ends follow the normals from now on; a note tells of them.
std::optional<Problem> dropSteppedRims(LayerNet& n, const std::vector<char>& steps);

/// `flatRims`: planar openings stay in their planes.
Expected<WallSide> wallSide(const WallSkin& skin, const Distances& d, bool flatRims, const Context& cx);

/// The side of a wall that is the skin itself, as it was before zones divided it, where these leave all its openings as they
/// were; nothing where they do not.
Expected<std::optional<WallSide>> undividedSide(const Body& before, const std::vector<int>& leftOut, const LayerNet& divided, const Context& cx);

/// The faces between both sides of a wall, front and back: at open edges, and along the steps of either; of one side alone those
/// along its steps. Named by `step`.
std::vector<NamedFace> facesBetween(const LayerNet& n, const std::vector<const WallSide*>& sides, const std::string& step);

} // namespace lumsk::brep::offset
