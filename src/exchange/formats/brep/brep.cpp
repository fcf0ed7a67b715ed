#include "brep/convert.h"
#include "brep/guard.h"
#include "exchange/files.h"
#include "exchange/format.h"

#include <BRepTools.hxx>
#include <BRep_Builder.hxx>
#include <TopoDS_Compound.hxx>

#include <sstream>

namespace lumsk::exchange {

namespace formats_ {
Format brep();
}

namespace {

/// The kernel's own format.
Expected<void> writeBrep(const std::string& path, const Contents& contents) {
  LUMSK_TRY(bytes, brep::guarded("writing BREP", [&]() -> Expected<std::string> {
              TopoDS_Compound all;
              BRep_Builder builder;
              builder.MakeCompound(all);
              for (const auto& b : contents.bodies) builder.Add(all, b.body->shape);
              for (const NamedCurve& c : contents.curves) builder.Add(all, brep::toWire(*c.curve));
              const bool alone = contents.bodies.size() == 1 && contents.curves.empty();
              std::ostringstream out(std::ios::binary);
              BRepTools::Write(alone ? contents.bodies[0].body->shape : TopoDS_Shape(all), out);
              return out.str();
            }));
  return replaceFile(path, bytes);
}

} // namespace

Format formats_::brep() {
  Format f{"brep", "BREP: all bodies, exact", {".brep", ".brp"}, Form::Exact, {}, writeBrep, readForeignBodies};
  f.carries.curves = f.carries.parts = true;
  return f;
}

} // namespace lumsk::exchange
