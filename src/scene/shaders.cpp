#include "scene/shaders.h"

#include <Graphic3d_ShaderObject.hxx>
#include <fmt/format.h>

namespace lumsk::scene {

namespace {

constexpr const char* kVertex = R"(
THE_SHADER_OUT vec3 vNormal;
THE_SHADER_OUT vec3 vPosition;
THE_SHADER_OUT vec3 vWorld;
THE_SHADER_OUT vec3 vWorldNormal;
THE_SHADER_OUT vec2 vValue;
THE_SHADER_OUT vec4 vColour;
void main() {
  vec4 world = occModelWorldMatrix * occVertex;
  vec4 p = occWorldViewMatrix * world;
  vWorld = world.xyz;
  vWorldNormal = mat3(occModelWorldMatrix) * occNormal;
  vPosition = p.xyz;
  vNormal = mat3(occWorldViewMatrix) * vWorldNormal;
  vColour = occVertColor;
  vValue = occTexCoord.xy;
  gl_Position = occProjectionMatrix * p;
}
)";

// Normals come from the surface, so stripes and shading are smooth on coarse meshes.
constexpr const char* kSeen = R"(
THE_SHADER_IN vec3 vNormal;
THE_SHADER_IN vec3 vPosition;
THE_SHADER_IN vec3 vWorld;
THE_SHADER_IN vec3 vWorldNormal;
THE_SHADER_IN vec2 vValue;
THE_SHADER_IN vec4 vColour;
uniform int uLens;
uniform int uStale;
uniform int uFinish;
uniform vec4 uA; // numbers of the lens; of those with values: x and y the ends of the colours
uniform vec4 uB;
uniform vec4 uHidden;    // plane: what lies beyond it is not drawn

const vec3 kInk = vec3(0.05, 0.06, 0.065);
const vec3 kLilac = vec3(0.66, 0.60, 0.72);
const vec3 kUnknown = vec3(0.58, 0.58, 0.57);
const vec3 kWarning = vec3(0.80, 0.33, 0.20); // as a screen shows it

// A place of a face as it is seen, with the eye's axes but for `worldN`.
struct Seen {
  vec3 base;   // the colour of this side
  vec3 lit;    // brightness of what is coloured
  vec3 m;      // normal towards the eye
  vec3 toEye;
  vec3 worldN; // outward
  bool front;
  float key, light, mirrored;
  float edge;  // 1 where it is seen edge on
};

// The inner side has something of its lilac.
vec3 backed(Seen s, vec3 c, float part) { return s.front ? c : mix(c, kLilac, part); }

// Colours that a legend shows too are written as screens show them; light is added up in linear ones.
vec3 linear(vec3 c) { return pow(c, vec3(2.2)); }

// A wave of bands: 1 in the bright part. As wide as a pixel at least.
float band(float a, float slope, float width, float softness) {
  float t = abs(fract(a) - 0.5) * 2.0;
  float w = max(slope, softness * 0.5);
  float edge = 1.0 - width;
  if (slope > 0.5) return width;
  return smoothstep(edge - w, edge + w, t);
}

// A thin dark line at every whole number.
float line(float a) {
  float w = fwidth(a);
  float d = abs(fract(a + 0.5) - 0.5);
  return w > 0.35 ? 1.0 : 1.0 - 0.55 * (1.0 - smoothstep(0.6 * w, 1.4 * w, d));
}

vec3 fieldLook(float value, vec3 lit) {
  float t = (value - uA.x) / (uA.y - uA.x);
  vec3 c = linear(fieldColour(t)) * line(clamp(t, 0.0, 1.0) * 8.0);
  if (t < 0.0 || t > 1.0) c *= 0.86;
  return c * lit;
}

vec3 hatched(vec3 c) {
  float s = fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0);
  return s < 0.3 ? c * 0.55 : c;
}

// Clay, or a finish.
vec3 finished(Seen s) {
  vec3 c = s.base * s.light;
  if (uFinish == 0) {
    c += vec3(0.10) * pow(s.mirrored, 40.0);
  } else {
    // A bright room above a darker floor, seen the more clearly the smoother the surface is.
    vec3 r = reflect(-s.toEye, s.m);
    float room = smoothstep(-0.15, 0.35, r.y) * (0.75 + 0.25 * smoothstep(0.2, 0.9, r.z));
    float clear = uFinish == 1 ? 0.12 : uFinish == 2 ? 0.26 : 0.62;
    vec3 tint = uFinish == 3 ? s.base : vec3(1.0);
    c = mix(c, tint * mix(0.25, 1.0, room), clear * (0.35 + 0.65 * s.edge + (uFinish == 3 ? 0.5 : 0.0)));
    c += vec3(uFinish == 1 ? 0.18 : 0.45) * pow(s.mirrored, uFinish == 1 ? 60.0 : 220.0);
  }
  return c * (1.0 - 0.25 * s.edge);
}
)";

constexpr const char* kMain = R"(
void main() {
  if (dot(uHidden.xyz, vWorld) > uHidden.w && dot(uHidden.xyz, uHidden.xyz) > 0.5) discard;
  Seen s;
  vec3 n = normalize(vNormal);
  bool perspective = occProjectionMatrix[3][3] < 0.5;
  s.toEye = perspective ? normalize(-vPosition) : vec3(0.0, 0.0, 1.0);
  s.front = dot(n, s.toEye) >= 0.0;
  s.m = s.front ? n : -n;
  s.base = s.front ? vColour.rgb : kLilac;
  vec3 keyLight = normalize(vec3(-0.45, 0.65, 0.62));
  s.key = max(dot(s.m, keyLight), 0.0);
  float fill = max(dot(s.m, normalize(vec3(0.7, 0.1, 0.55))), 0.0);
  float sky = 0.5 + 0.5 * s.m.y;
  s.light = 0.44 + 0.14 * sky + 0.42 * s.key + 0.12 * fill;
  s.edge = pow(1.0 - max(dot(s.m, s.toEye), 0.0), 3.0);
  s.mirrored = max(dot(s.m, normalize(s.toEye + keyLight)), 0.0);
  s.worldN = normalize(vWorldNormal);
  s.lit = vec3(0.72 + 0.28 * s.light);
  vec3 c = seenThrough(s);
  if (uStale == 1) c = mix(c, vec3(0.84, 0.83, 0.81), 0.55);
  occSetFragColor(vec4(c, vColour.a));
}
)";

/// A function of every lens of surfaces, and one that takes that which is on.
std::string fragmentSource() {
  std::string functions, choice = "vec3 seenThrough(Seen s) {\n";
  int n = 0;
  for (const auto& l : lenses())
    if (const auto* surface = dynamic_cast<const SurfaceLens*>(l.get())) {
      functions += fmt::format("vec3 lens{}(Seen s) {{ {}\n}}\n", n, surface->seen());
      choice += fmt::format("  if (uLens == {0}) return lens{0}(s);\n", n);
      ++n;
    }
  return fieldColourSource() + kSeen + functions + choice + "  return finished(s);\n}\n" + kMain;
}

} // namespace

const Handle(Graphic3d_ShaderProgram) & FacePrograms::of(const Kind& kind) {
  Handle(Graphic3d_ShaderProgram)& p = programs_[kind];
  if (p.IsNull()) {
    p = new Graphic3d_ShaderProgram();
    p->SetHeader("#version 150");
    p->AttachShader(Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_VERTEX, kVertex));
    p->AttachShader(
        Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_FRAGMENT, fragmentSource().c_str()));
    push(kind, p);
  }
  return p;
}

void FacePrograms::set(const LensState& lens, double low, double high, const Eigen::Vector4d& hidden) {
  lens_ = lens;
  low_ = low;
  high_ = high;
  hidden_ = hidden;
  for (const auto& [kind, p] : programs_) push(kind, p);
}

void FacePrograms::push(const Kind& kind, const Handle(Graphic3d_ShaderProgram) & p) const {
  const auto vec4 = [](const Eigen::Vector4d& v) {
    return Graphic3d_Vec4(float(v.x()), float(v.y()), float(v.z()), float(v.w()));
  };
  const auto numbers = surfaceLensOf(lens_).numbers(lens_, low_, high_);
  p->PushVariableInt("uLens", kind.lens ? surfaceNumberOf(lens_) : -1);
  p->PushVariableInt("uStale", kind.stale ? 1 : 0);
  p->PushVariableInt("uFinish", int(kind.finish));
  p->PushVariableVec4("uA", vec4(numbers.a));
  p->PushVariableVec4("uB", vec4(numbers.b));
  p->PushVariableVec4("uHidden", vec4(hidden_));
}

} // namespace lumsk::scene
