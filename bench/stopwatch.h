#pragma once
#include "brep/convert.h"
#include "shapes/vessels.h"

#include <BRepOffsetAPI_ThruSections.hxx>
#include <TopoDS_Wire.hxx>

#include <algorithm>
#include <chrono>
#include <cstdio>

namespace lumsk::bench {

template <class F> double msOf(F&& f) {
  const auto before = std::chrono::steady_clock::now();
  f();
  return std::chrono::duration<double, std::milli>(std::chrono::steady_clock::now() - before).count();
}

/// By how much times of this run count: OCCT's loft of 8 sections, the median of 20, is 11 ms. Says so.
inline double scaleOfRun() {
  std::vector<TopoDS_Wire> wires;
  for (const nurbs::Section& s : test::formSections(8)) wires.push_back(brep::toWire(*s.path()));
  std::vector<double> ms;
  for (int i = 0; i < 20; ++i)
    ms.push_back(msOf([&] {
      BRepOffsetAPI_ThruSections loft(false, false, 1e-6);
      for (const auto& w : wires) loft.AddWire(w);
      loft.Build();
    }));
  std::sort(ms.begin(), ms.end());
  const double scale = 11 / ms[10];
  std::printf("OCCT's loft of 8 sections: %.1f ms; scaled times are multiplied by %.2f\n", ms[10], scale);
  return scale;
}

} // namespace lumsk::bench
