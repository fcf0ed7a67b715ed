#pragma once
#include "brep/split/parts.h"

namespace lumsk::brep::split {

/// A part of a cutter's face within a solid: it closes the cells on both of its sides.
struct Cap {
  FacePart part;
  int target = -1;             ///< number of the body that it lies in
  int front = -1, back = -1;   ///< pieces on its two sides, seen by its outside normal
};

/// Sets that grow together.
class Groups {
public:
  explicit Groups(size_t n);
  int of(int i);
  void join(int a, int b) { up_[size_t(of(a))] = of(b); }

private:
  std::vector<int> up_;
};

/// Numbers the pieces of bodies that hang together, in order of their first part; fills `FacePart::piece` and those of the
/// caps, and gives how many there are. Parts of skins hang together along edges that were there before, but where
/// `separates(part, k)` says that a cut runs along its k-th old stretch. In a solid what lies on one side of a cutter
/// hangs together with that side of the cap there; where caps cross, the four corners between them are told apart by the
/// sides that they lie on, and a cut at which there is no cap divides nothing. `solid`: by the number of the body.
int numberPieces(const Net& net, std::vector<FacePart>& outer, std::vector<Cap>& caps,
                 const std::function<bool(size_t, size_t)>& separates, const std::vector<char>& solid);

} // namespace lumsk::brep::split
