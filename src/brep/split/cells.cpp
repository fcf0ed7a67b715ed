#include "brep/split/cells.h"

#include <BRep_Tool.hxx>
#include <NCollection_DataMap.hxx>
#include <TopTools_ShapeMapHasher.hxx>

#include <map>
#include <numeric>

namespace lumsk::brep::split {

Groups::Groups(size_t n) : up_(n) { std::iota(up_.begin(), up_.end(), 0); }

int Groups::of(int i) {
  while (up_[size_t(i)] != i) i = up_[size_t(i)] = up_[size_t(up_[size_t(i)])];
  return i;
}

namespace {

using NumberOfEdge = NCollection_DataMap<TopoDS_Shape, int, TopTools_ShapeMapHasher>;

/// Outer parts are the first nodes; after them come the two sides of every cap.
class Gatherer {
public:
  Gatherer(const Net& net, const std::vector<FacePart>& outer, const std::vector<Cap>& caps)
      : net_(net), outer_(outer), caps_(caps), groups_(outer.size() + 2 * caps.size()) {}

  void alongOldEdges(const std::function<bool(size_t, size_t)>& separates) {
    NumberOfEdge seen;
    for (size_t i = 0; i < outer_.size(); ++i)
      for (size_t k = 0; k < outer_[i].oldStretches.size(); ++k) {
        const TopoDS_Edge& e = outer_[i].oldStretches[k];
        if (BRep_Tool::Degenerated(e) || separates(i, k)) continue;
        if (seen.IsBound(e))
          groups_.join(int(i), seen(e));
        else
          seen.Bind(e, int(i));
      }
    std::map<int, NumberOfEdge> seenIn; // a cutter may close several targets
    for (size_t i = 0; i < caps_.size(); ++i)
      for (const TopoDS_Edge& e : caps_[i].part.oldStretches) {
        if (BRep_Tool::Degenerated(e)) continue;
        NumberOfEdge& mine = seenIn[caps_[i].target];
        if (mine.IsBound(e)) {
          const auto other = size_t(mine(e));
          for (bool front : {true, false}) groups_.join(side(i, front), side(other, front));
        } else {
          mine.Bind(e, int(i));
        }
      }
  }

  void atCuts(const std::vector<char>& solid) {
    struct At {
      std::vector<std::pair<size_t, bool>> outer, caps; // and whether they lie to the left
    };
    std::map<std::pair<int, int>, At> all; // by cut and stretch
    for (size_t i = 0; i < outer_.size(); ++i)
      for (const CutSide& s : outer_[i].sides) all[{s.cut, s.stretch}].outer.emplace_back(i, s.left);
    for (size_t i = 0; i < caps_.size(); ++i)
      for (const CutSide& s : caps_[i].part.sides) all[{s.cut, s.stretch}].caps.emplace_back(i, s.left);
    for (const auto& [key, at] : all) {
      const Cut& c = net_.cuts[size_t(key.first)];
      const int body = net_.sheets[size_t(c.sheet)].body;
      if (at.caps.empty() && body >= 0 && solid[size_t(body)])
        for (const auto& [part, left] : at.outer) groups_.join(int(part), int(at.outer.front().first));
      for (const auto& [cap, capLeft] : at.caps) {
        for (const auto& [part, left] : at.outer)
          if (bodyOf(part) == caps_[cap].target) groups_.join(int(part), side(cap, left == c.frontLeft[0]));
        // Two cutters that cross: the corner between them that lies in front of, or behind, both.
        if (caps_[cap].part.sheet != c.sheet) continue;
        for (const auto& [other, otherLeft] : at.caps)
          if (caps_[other].part.sheet == c.other && caps_[other].target == caps_[cap].target)
            groups_.join(side(cap, otherLeft == c.frontLeft[1]), side(other, capLeft == c.frontLeft[0]));
      }
    }
  }

  Groups& groups() { return groups_; }
  int side(size_t cap, bool front) const { return int(outer_.size() + 2 * cap + (front ? 0 : 1)); }

private:
  int bodyOf(size_t part) const { return net_.sheets[size_t(outer_[part].sheet)].body; }

  const Net& net_;
  const std::vector<FacePart>& outer_;
  const std::vector<Cap>& caps_;
  Groups groups_;
};

} // namespace

int numberPieces(const Net& net, std::vector<FacePart>& outer, std::vector<Cap>& caps,
                 const std::function<bool(size_t, size_t)>& separates, const std::vector<char>& solid) {
  Gatherer g(net, outer, caps);
  g.alongOldEdges(separates);
  g.atCuts(solid);
  std::map<int, int> numbers;
  const auto numberOf = [&](int node) {
    return numbers.try_emplace(g.groups().of(node), int(numbers.size())).first->second;
  };
  for (size_t i = 0; i < outer.size(); ++i) outer[i].piece = numberOf(int(i));
  for (size_t i = 0; i < caps.size(); ++i) {
    caps[i].front = numberOf(g.side(i, true));
    caps[i].back = numberOf(g.side(i, false));
  }
  return int(numbers.size());
}

} // namespace lumsk::brep::split
