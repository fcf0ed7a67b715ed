#pragma once
#include <Graphic3d_ShaderProgram.hxx>

namespace lumsk::scene {

enum class SurfaceLens { Shade, Stripes };

/// Program for faces: warm front, lilac back; lenses that need only the normal.
Handle(Graphic3d_ShaderProgram) faceProgram(SurfaceLens lens, bool stale);

} // namespace lumsk::scene
