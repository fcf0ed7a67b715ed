#include "scene/shaders.h"

#include <Graphic3d_ShaderObject.hxx>

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
constexpr const char* kFragment = R"(
THE_SHADER_IN vec3 vNormal;
THE_SHADER_IN vec3 vPosition;
THE_SHADER_IN vec3 vWorld;
THE_SHADER_IN vec3 vWorldNormal;
THE_SHADER_IN vec2 vValue;
THE_SHADER_IN vec4 vColour;
uniform int uLens;
uniform int uStale;
uniform int uFinish;
uniform int uRoom;
uniform int uOnPart;
uniform vec4 uBands;     // count, width, softness
uniform vec3 uDirection; // of isophotes and of the pull
uniform vec4 uField;     // low, high, which curvature; draft: wanted degrees, both halves
uniform vec4 uHidden;    // plane: what lies beyond it is not drawn

const vec3 kInk = vec3(0.05, 0.06, 0.065);
const vec3 kLilac = vec3(0.66, 0.60, 0.72);
const vec3 kUnknown = vec3(0.58, 0.58, 0.57);

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
  float t = (value - uField.x) / (uField.y - uField.x);
  vec3 c = linear(fieldColour(t)) * line(clamp(t, 0.0, 1.0) * 8.0);
  if (t < 0.0 || t > 1.0) c *= 0.86;
  return c * lit;
}

vec3 hatched(vec3 c) {
  float s = fract((gl_FragCoord.x + gl_FragCoord.y) / 9.0);
  return s < 0.3 ? c * 0.55 : c;
}

void main() {
  if (dot(uHidden.xyz, vWorld) > uHidden.w && dot(uHidden.xyz, uHidden.xyz) > 0.5) discard;
  vec3 n = normalize(vNormal);
  bool perspective = occProjectionMatrix[3][3] < 0.5;
  vec3 toEye = perspective ? normalize(-vPosition) : vec3(0.0, 0.0, 1.0);
  bool front = dot(n, toEye) >= 0.0;
  vec3 m = front ? n : -n;
  vec3 base = front ? vColour.rgb : kLilac;
  vec3 keyLight = normalize(vec3(-0.45, 0.65, 0.62));
  float key = max(dot(m, keyLight), 0.0);
  float fill = max(dot(m, normalize(vec3(0.7, 0.1, 0.55))), 0.0);
  float sky = 0.5 + 0.5 * m.y;
  float light = 0.44 + 0.14 * sky + 0.42 * key + 0.12 * fill;
  float edge = pow(1.0 - max(dot(m, toEye), 0.0), 3.0);
  float mirrored = max(dot(m, normalize(toEye + keyLight)), 0.0);
  vec3 worldN = normalize(vWorldNormal);
  vec3 c = base * light;
  vec3 lit = vec3(0.72 + 0.28 * light);
  if (uLens == 0) {
    if (uFinish == 0) {
      c += vec3(0.10) * pow(mirrored, 40.0);
    } else {
      // A bright room above a darker floor, seen the more clearly the smoother the surface is.
      vec3 r = reflect(-toEye, m);
      float room = smoothstep(-0.15, 0.35, r.y) * (0.75 + 0.25 * smoothstep(0.2, 0.9, r.z));
      float clear = uFinish == 1 ? 0.12 : uFinish == 2 ? 0.26 : 0.62;
      vec3 tint = uFinish == 3 ? base : vec3(1.0);
      c = mix(c, tint * mix(0.25, 1.0, room), clear * (0.35 + 0.65 * edge + (uFinish == 3 ? 0.5 : 0.0)));
      c += vec3(uFinish == 1 ? 0.18 : 0.45) * pow(mirrored, uFinish == 1 ? 60.0 : 220.0);
    }
    c *= 1.0 - 0.25 * edge;
  } else if (uLens == 1) {
    vec3 r = reflect(-toEye, m);
    if (uOnPart == 1) {
      r = mat3(occWorldViewMatrixInverse) * r;
      r = vec3(r.x, r.z, -r.y); // the part's up is the room's up
    }
    vec2 about = uRoom == 0 ? r.xz : r.xy;
    float a = uRoom == 1 ? asin(clamp(r.y, -1.0, 1.0)) : atan(about.x, about.y);
    float opposite = uRoom == 1 ? a : atan(-about.x, -about.y); // it does not jump where the angle does
    float slope = min(fwidth(a), fwidth(opposite)) * uBands.x / 6.2831853;
    float s = band(a * uBands.x / 6.2831853, slope, uBands.y, uBands.z);
    c = mix(kInk, base * (0.86 + 0.14 * key), s) * (1.0 - 0.15 * edge);
    if (!front) c = mix(c, kLilac, 0.45);
  } else if (uLens == 2) {
    float a = acos(clamp(dot(worldN, uDirection), -1.0, 1.0)) / 3.1415927 * uBands.x;
    c = mix(kInk, base * (0.86 + 0.14 * key), band(a, fwidth(a), uBands.y, 0.0));
    if (!front) c = mix(c, kLilac, 0.45);
  } else if (uLens == 3) {
    float v = uField.z < 0.5   ? 0.5 * (vValue.x + vValue.y)
              : uField.z < 1.5 ? vValue.x * vValue.y
              : uField.z < 2.5 ? vValue.x
              : uField.z < 3.5 ? vValue.y
                               : 1.0 / max(max(abs(vValue.x), abs(vValue.y)), 1e-6);
    c = fieldLook(v, lit);
  } else if (uLens == 4) {
    float angle = degrees(asin(clamp(dot(worldN, uDirection), -1.0, 1.0)));
    vec3 up = linear(vec3(0.42, 0.66, 0.58)), down = linear(vec3(0.55, 0.62, 0.78));
    vec3 steep = linear(vec3(0.86, 0.68, 0.30)), under = linear(vec3(0.80, 0.33, 0.20));
    c = angle >= 0.0 ? up : down;
    c = mix(c, vec3(0.96), 0.5 * smoothstep(uField.x, 90.0, abs(angle)));
    if (abs(angle) < uField.x) c = steep;
    c *= line(angle / 15.0) * lit;
    if (vValue.y > 0.5 || (uField.y < 0.5 && angle < 0.0)) c = hatched(under * lit);
  } else if (uLens == 5) {
    if (vValue.y < 0.5) c = kUnknown * lit;
    else if (vValue.x < uField.x) c = hatched(linear(vec3(0.80, 0.33, 0.20)) * lit);
    else {
      float t = (vValue.x - uField.x) / (uField.y - uField.x);
      c = linear(fieldColour(1.0 - 0.9 * clamp(t, 0.0, 1.0))) * line(clamp(t, 0.0, 1.0) * 8.0) * lit;
      if (t > 1.0) c *= 0.8;
    }
  } else {
    if (vValue.y < 0.5) c = kUnknown * lit;
    else if (abs(vValue.x) <= uField.z) c = linear(vec3(0.95, 0.93, 0.88)) * lit;
    else c = fieldLook(vValue.x, lit);
  }
  if (!front && uLens > 2) c = mix(c, kLilac, 0.35);
  if (uStale == 1) c = mix(c, vec3(0.84, 0.83, 0.81), 0.55);
  occSetFragColor(vec4(c, vColour.a));
}
)";

/// A smooth wave of bands, as in the shader where pixels are small.
double band(double a, double width, double softness) {
  const double t = std::abs(a - std::floor(a) - 0.5) * 2, w = std::max(1e-9, softness * 0.5), edge = 1 - width;
  const double x = std::clamp((t - (edge - w)) / (2 * w), 0.0, 1.0);
  return x * x * (3 - 2 * x);
}

} // namespace

double stripeAt(const StripeLook& look, const Vec3& r) {
  const double a = look.room == StripeLook::Room::Upright ? std::atan2(r.x(), r.z())
                   : look.room == StripeLook::Room::Level ? std::asin(std::clamp(r.y(), -1.0, 1.0))
                                                          : std::atan2(r.x(), r.y());
  return band(a * look.count / (2 * kPi), look.width, look.softness);
}

double isophoteAt(const IsophoteLook& look, const Vec3& n) {
  return band(std::acos(std::clamp(n.dot(look.direction), -1.0, 1.0)) / kPi * look.count, look.width, 0.0);
}

const Handle(Graphic3d_ShaderProgram) & FacePrograms::of(const Kind& kind) {
  Handle(Graphic3d_ShaderProgram)& p = programs_[kind];
  if (p.IsNull()) {
    p = new Graphic3d_ShaderProgram();
    p->SetHeader("#version 150");
    p->AttachShader(Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_VERTEX, kVertex));
    p->AttachShader(
        Graphic3d_ShaderObject::CreateFromSource(Graphic3d_TOS_FRAGMENT, (fieldColourSource() + kFragment).c_str()));
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
  const auto vec3 = [](const Vec3& v) { return Graphic3d_Vec3(float(v.x()), float(v.y()), float(v.z())); };
  const bool isophotes = lens_.surface == SurfaceLens::Isophotes, draft = lens_.surface == SurfaceLens::Draft;
  p->PushVariableInt("uLens", kind.lens ? int(lens_.surface) : 0);
  p->PushVariableInt("uStale", kind.stale ? 1 : 0);
  p->PushVariableInt("uFinish", int(kind.finish));
  p->PushVariableInt("uRoom", int(lens_.stripes.room));
  p->PushVariableInt("uOnPart", lens_.stripes.onPart ? 1 : 0);
  p->PushVariableVec4("uBands", Graphic3d_Vec4(float(isophotes ? lens_.isophotes.count : lens_.stripes.count),
                                               float(isophotes ? lens_.isophotes.width : lens_.stripes.width),
                                               float(lens_.stripes.softness), 0.0f));
  p->PushVariableVec3("uDirection", vec3(draft ? lens_.draft.pull : lens_.isophotes.direction));
  if (draft)
    p->PushVariableVec4("uField",
                        Graphic3d_Vec4(float(lens_.draft.wantedDeg), lens_.draft.bothHalves ? 1.0f : 0.0f, 0.0f, 0.0f));
  else
    p->PushVariableVec4("uField",
                        Graphic3d_Vec4(float(low_), float(high_),
                                       lens_.surface == SurfaceLens::Deviation ? float(lens_.deviation.withinMm)
                                                                               : float(int(lens_.curvature.shown)),
                                       0.0f));
  p->PushVariableVec4("uHidden",
                      Graphic3d_Vec4(float(hidden_.x()), float(hidden_.y()), float(hidden_.z()), float(hidden_.w())));
}

} // namespace lumsk::scene
