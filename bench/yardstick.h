#pragma once
#include "brep/convert.h"
#include "shapes/vessels.h"

#include <BRepOffsetAPI_ThruSections.hxx>
#include <TopoDS_Wire.hxx>
#include <benchmark/benchmark.h>

namespace lumsk::bench {

/// The yardstick of a run: OCCT's loft of 8 sections.
inline void occtLoft8(benchmark::State& state) {
  std::vector<TopoDS_Wire> wires;
  for (const nurbs::Section& s : test::formSections(8)) wires.push_back(brep::toWire(*s.path()));
  for (auto _ : state) {
    BRepOffsetAPI_ThruSections loft(false, false, 1e-6);
    for (const auto& w : wires) loft.AddWire(w);
    loft.Build();
  }
}

} // namespace lumsk::bench
