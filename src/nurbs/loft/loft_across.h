#pragma once
#include "base/tolerances.h"
#include "nurbs/core/banded.h"
#include "nurbs/core/knots.h"

#include <array>
#include <optional>
#include <vector>

namespace lumsk::nurbs {

/// Control rows across a loft, over [0, 1].
struct AcrossRows {
  int degree = 1;
  Knots knots;
  Rows controls;
};

/// Breaks for a space of higher degree that holds the one with these knots: repeated where that is less smooth.
std::vector<double> breaksOf(const Knots& knots, int degree, int higher);

/// Its knots: clamped.
Knots raisedKnots(const Knots& knots, int degree, int higher);

/// How a loft is interpolated from section to section. Beyond a mirror plane at an end it is continued by its image,
/// around by itself; what is continued is cut off again.
class LoftAcross {
public:
  /// `parameters` of the sections; around, the first one comes once more at 1.
  LoftAcross(std::vector<double> parameters, int degree, std::array<std::optional<Frame>, 2> mirrors, bool around)
      : v_(std::move(parameters)), degree_(degree), mirrors_(std::move(mirrors)), around_(around) {}

  /// Through rows of places, or with `vectors` of their changes, one a section; with rows of derivatives at both ends
  /// (none at mirrors). The degree is lowered where there are too few rows, and raised where derivatives of second and
  /// third order are not to reach far.
  Expected<AcrossRows> through(const Rows& rows, const Rows& start, const Rows& finish, bool vectors = false) const;

  /// Near the rows, as even as a weight says (of the integral of the squared third derivative against the mean square
  /// distance); the first and the last row, and derivatives there, are met exactly. Around: all rows alike.
  Expected<AcrossRows> near(const Rows& rows, const Rows& start, const Rows& finish, double evenness) const;

  /// A space of at least degree 5 and of at least a degree that holds what is interpolated with so many derivatives at
  /// both ends: its breaks, repeated where that is less smooth.
  struct Space {
    int degree = 5;
    std::vector<double> breaks;
  };
  Space space(const std::array<int, 2>& endOrders) const;

  /// Interpolates what changes (rows in a space that holds the above) do at the sections; in derivatives at both ends
  /// either as they do, or not at all.
  enum class AtEnds { Same, Nothing };
  Expected<Rows> atSections(int degree, const Knots& knots, const Rows& rows, const std::array<int, 2>& endOrders,
                            AtEnds ends) const;
  /// What is left of changes without that: nothing at sections and ends.
  Expected<Rows> between(int degree, const Knots& knots, const Rows& rows, const std::array<int, 2>& endOrders) const;

  const std::vector<double>& parameters() const { return v_; }
  int sections() const { return int(v_.size()) - around_; }
  bool around() const { return around_; }
  bool mirrored(int e) const { return mirrors_[size_t(e)].has_value(); }

private:
  struct Continued {
    std::vector<double> at;
    Rows rows;
  };
  Continued continued(const Rows& rows, bool vectors) const;

  std::vector<double> v_;
  int degree_;
  std::array<std::optional<Frame>, 2> mirrors_;
  bool around_;
};

} // namespace lumsk::nurbs
