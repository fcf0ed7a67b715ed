#include "scene/shaders.h"

#include <Graphic3d_ShaderObject.hxx>

namespace lumsk::scene {

namespace {

constexpr const char* kVertex = R"(
THE_SHADER_OUT vec3 vNormal;
THE_SHADER_OUT vec3 vPosition;
THE_SHADER_OUT vec4 vColour;
void main() {
  mat4 toEye = occWorldViewMatrix * occModelWorldMatrix;
  vec4 p = toEye * occVertex;
  vPosition = p.xyz;
  vNormal = mat3(toEye) * occNormal;
  vColour = occVertColor;
  gl_Position = occProjectionMatrix * p;
}
)";

// Normals come from the surface, so stripes and shading are smooth on coarse meshes.
constexpr const char* kFragment = R"(
THE_SHADER_IN vec3 vNormal;
THE_SHADER_IN vec3 vPosition;
THE_SHADER_IN vec4 vColour;
uniform int uLens;
uniform int uStale;
void main() {
  vec3 n = normalize(vNormal);
  bool perspective = occProjectionMatrix[3][3] < 0.5;
  vec3 toEye = perspective ? normalize(-vPosition) : vec3(0.0, 0.0, 1.0);
  bool front = dot(n, toEye) >= 0.0;
  vec3 m = front ? n : -n;
  vec3 base = front ? vColour.rgb : vec3(0.66, 0.60, 0.72);
  float key = max(dot(m, normalize(vec3(-0.45, 0.65, 0.62))), 0.0);
  float fill = max(dot(m, normalize(vec3(0.7, 0.1, 0.55))), 0.0);
  float sky = 0.5 + 0.5 * m.y;
  vec3 c = base * (0.44 + 0.14 * sky + 0.42 * key + 0.12 * fill);
  float edge = pow(1.0 - max(dot(m, toEye), 0.0), 3.0);
  if (uLens == 0) {
    vec3 h = normalize(toEye + normalize(vec3(-0.45, 0.65, 0.62)));
    c += vec3(0.10) * pow(max(dot(m, h), 0.0), 40.0);
    c *= 1.0 - 0.25 * edge;
  } else {
    // A room of upright light tubes on a cylinder about the eye: bands of equal reflected direction.
    vec3 r = reflect(-toEye, m);
    float a = atan(r.x, max(abs(r.z), 1e-4) * sign(r.z + 1e-6)) * 24.0 / 6.2831853 * 1.0;
    float t = abs(fract(a) - 0.5) * 2.0;
    float w = max(fwidth(a) * 2.0, 0.03);
    float s = smoothstep(0.5 - w, 0.5 + w, t);
    if (fwidth(a) > 0.5) s = 0.5;
    c = mix(vec3(0.20, 0.22, 0.23), base * (0.86 + 0.14 * key), s) * (1.0 - 0.15 * edge);
    if (!front) c = mix(c, vec3(0.66, 0.60, 0.72), 0.45);
  }
  if (uStale == 1) c = mix(c, vec3(0.84, 0.83, 0.81), 0.55);
  occSetFragColor(vec4(c, vColour.a));
}
)";

} // namespace

Handle(Graphic3d_ShaderProgram) faceProgram(SurfaceLens lens, bool stale) {
  Handle(Graphic3d_ShaderProgram) p = new Graphic3d_ShaderProgram();
  p->SetHeader("#version 150");
  p->AttachShader(Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_VERTEX, kVertex));
  p->AttachShader(Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_FRAGMENT, kFragment));
  p->PushVariableInt("uLens", lens == SurfaceLens::Stripes ? 1 : 0);
  p->PushVariableInt("uStale", stale ? 1 : 0);
  return p;
}

} // namespace lumsk::scene
