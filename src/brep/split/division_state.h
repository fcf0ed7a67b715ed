#pragma once
#include "brep/split/cells.h"
#include "brep/split/division.h"

namespace lumsk::brep {

/// What a division knows. Cuts refer to the net, so it stays where it is.
struct Division::State {
  std::vector<BodyPtr> targets;
  std::vector<Divider> dividers;
  std::string step;
  split::Net net;
  std::vector<char> solid;                ///< by target
  std::vector<std::vector<int>> sheetsOf; ///< by target
  std::vector<std::vector<int>> cutterSheets; ///< by divider; of targets that cut: none
  std::vector<split::FacePart> parts;
  std::vector<split::Cap> caps;
  std::vector<Piece> pieces;
  std::vector<CarriedOn> carried;
  std::vector<Problem> notes;
  std::vector<double> reach; ///< of the dividers
  nurbs::Extent box;

  Expected<void> run(const DivisionOptions& options, const Context& cx);
  /// The divider that cuts a sheet along a cut; of two that cut each other it is the other one.
  int dividerAt(const split::Cut& c, int sheet) const;

  // division_bodies.cpp
  struct Chosen { ///< what a body is made of
    int target = -1;
    std::vector<const split::FacePart*> parts;
    std::vector<std::pair<const split::Cap*, bool>> caps; ///< and whether the body lies in front of them
  };
  Expected<std::vector<split::FacePart>> keptParts(const std::vector<char>& kept, bool keepCuts) const;
  Expected<BodyPtr> assembled(const Chosen& c) const;

private:
  Expected<void> cut(const DivisionOptions& options, const Context& cx);
  Expected<void> carryOnLooseEnds();
  Expected<void> divide(const Context& cx);
  Expected<void> findCaps(const Context& cx);
  int withHollows(int n);
  void gatherPieces();
  const split::Cut* cutAlong(int edge, const TopoDS_Edge& stretch) const;
  double heightBeside(const split::FacePart& p, const TopoDS_Edge& stretch, const split::Cut& c) const;
  void noteUseless(const std::vector<int>& dangling);
  Expected<void> lookForNothing() const;
};

} // namespace lumsk::brep
