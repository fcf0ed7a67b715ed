#pragma once
#include "recipe/recipe.h"
#include "scene/lens.h"

#include <Graphic3d_ShaderProgram.hxx>

namespace lumsk::scene {

/// Programs for faces: warm front, lilac back, finishes, lenses, and the cut. All faces of one kind share one program,
/// so that a changed setting is a changed number and nothing is made again.
class FacePrograms {
public:
  struct Kind {
    bool lens = true; ///< looked at through the lens; else plain
    bool stale = false;
    recipe::Finish finish = recipe::Finish::Matt;
    bool operator<(const Kind& o) const { return std::tie(lens, stale, finish) < std::tie(o.lens, o.stale, o.finish); }
  };
  const Handle(Graphic3d_ShaderProgram) & of(const Kind& kind);
  /// Settings of the lens, the ends of its colours, and the plane of the cut: what lies where
  /// n . p > d is not drawn (n, d in `hidden`; n zero: nothing).
  void set(const LensState& lens, double low, double high, const Eigen::Vector4d& hidden);

private:
  void push(const Kind& kind, const Handle(Graphic3d_ShaderProgram) & p) const;
  std::map<Kind, Handle(Graphic3d_ShaderProgram)> programs_;
  LensState lens_;
  double low_ = 0, high_ = 1;
  Eigen::Vector4d hidden_ = Eigen::Vector4d::Zero();
};

} // namespace lumsk::scene
