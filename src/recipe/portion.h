#pragma once
#include "recipe/model.h"

namespace lumsk::recipe {

/// One end of a part of a curve: a fraction of its length, or the place where an object meets it, of several that which
/// is nearest to the fraction.
struct PortionEnd {
  std::optional<double> fraction;
  std::optional<Object> at;
  bool given() const { return fraction || at; }
};

struct Portion {
  CurvePtr curve;
  double from = 0.0, to = 1.0; ///< fractions of the master's length
};

/// The part of a curve between two ends; of a closed one it may run through its start. Fails with LM-R050 (the object
/// does not meet the curve: how near it comes, and where), LM-R051 (nothing is between the ends).
Expected<Portion> portionOf(const CurvePtr& master, const PortionEnd& from, const PortionEnd& to,
                            const Tolerances& tol);

/// Parameters of a curve at which an object meets it.
std::vector<double> meetingPlaces(const nurbs::Path& master, const Object& object, const Tolerances& tol);

} // namespace lumsk::recipe
