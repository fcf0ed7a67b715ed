#include "drawing/files.h"

#include <cmath>
#include <map>
#include <cstring>
#include <pugixml.hpp>

namespace lumsk::drawing {

namespace {

constexpr size_t kMostPieces = 50000;
constexpr int kDeepest = 64; ///< groups within groups
constexpr double kMmPerUnit = 25.4 / 96;

using nurbs::Segment;
using Affine = Eigen::Transform<double, 2, Eigen::Affine>;


/// Numbers of an attribute, parted by spaces and commas, signs and second points.
class Numbers {
public:
  explicit Numbers(const char* text) : at_(text) {}
  bool next(double& out) {
    skip();
    char* end = nullptr;
    if (!*at_ || std::isalpha(static_cast<unsigned char>(*at_))) return false;
    out = std::strtod(at_, &end);
    if (end == at_ || !std::isfinite(out)) return false;
    at_ = end;
    return true;
  }
  /// A flag of an arc: one digit.
  bool flag(double& out) {
    skip();
    if (*at_ != '0' && *at_ != '1') return false;
    out = *at_++ - '0';
    return true;
  }
  char command() {
    skip();
    return std::isalpha(static_cast<unsigned char>(*at_)) ? *at_++ : 0;
  }
  bool done() {
    skip();
    return !*at_;
  }

private:
  void skip() {
    while (*at_ && (std::isspace(static_cast<unsigned char>(*at_)) || *at_ == ',')) ++at_;
  }
  const char* at_;
};

/// A length with its unit, mm.
std::optional<double> lengthOf(const char* text) {
  char* end = nullptr;
  const double v = std::strtod(text, &end);
  if (end == text || !(v > 0)) return {};
  static const std::pair<const char*, double> units[] = {{"mm", 1}, {"cm", 10}, {"in", 25.4}, {"pt", 25.4 / 72}, {"pc", 25.4 / 6}, {"px", kMmPerUnit}, {"", kMmPerUnit}};
  for (const auto& [name, mm] : units)
    if (std::strcmp(end, name) == 0) return v * mm;
  return {};
}

Affine transformOf(const char* text) {
  Affine out = Affine::Identity();
  std::string rest = text;
  for (size_t open = rest.find('('); open != std::string::npos; open = rest.find('(')) {
    const size_t close = rest.find(')', open);
    if (close == std::string::npos) break;
    std::string name = rest.substr(0, open);
    name.erase(0, name.find_first_not_of(" ,\t\n"));
    name.erase(name.find_last_not_of(" \t\n") + 1);
    const std::string inside = rest.substr(open + 1, close - open - 1);
    rest.erase(0, close + 1);
    Numbers n(inside.c_str());
    double v[6] = {0, 0, 0, 0, 0, 0};
    int k = 0;
    while (k < 6 && n.next(v[k])) ++k;
    Affine t = Affine::Identity();
    if (name == "matrix" && k == 6)
      t.matrix() << v[0], v[2], v[4], v[1], v[3], v[5], 0, 0, 1;
    else if (name == "translate")
      t.translate(Vec2(v[0], v[1]));
    else if (name == "scale")
      t.scale(Vec2(v[0], k > 1 ? v[1] : v[0]));
    else if (name == "rotate")
      t.translate(Vec2(v[1], v[2])), t.rotate(radFromDeg(v[0])), t.translate(Vec2(-v[1], -v[2]));
    else if (name == "skewX")
      t.linear()(0, 1) = std::tan(radFromDeg(v[0]));
    else if (name == "skewY")
      t.linear()(1, 0) = std::tan(radFromDeg(v[0]));
    out = out * t;
  }
  return out;
}

class Reader {
public:
  FileCurves out;
  int texts = 0, pictures = 0;
  bool full = false;

  void node(const pugi::xml_node& n, const Affine& outer, int depth) {
    if (depth > kDeepest || full) return;
    const std::string name = n.name();
    t_ = outer * transformOf(n.attribute("transform").as_string());
    const Affine own = t_;
    const auto number = [&](const char* key) { return n.attribute(key).as_double(); };
    if (name == "path") path(n.attribute("d").as_string());
    if (name == "line") line({number("x1"), number("y1")}, {number("x2"), number("y2")});
    if (name == "polyline" || name == "polygon") polyline(n.attribute("points").as_string(), name == "polygon");
    if (name == "rect") rectangle({number("x"), number("y")}, {number("width"), number("height")}, n.attribute("rx").as_double(number("ry")));
    if (name == "circle") ellipse({number("cx"), number("cy")}, number("r"), number("r"));
    if (name == "ellipse") ellipse({number("cx"), number("cy")}, number("rx"), number("ry"));
    texts += name == "text";
    pictures += name == "image";
    if (name == "svg" || name == "g" || name == "a" || name.empty())
      for (const pugi::xml_node& child : n.children()) node(child, own, depth + 1);
  }

private:
  void put(Segment s) {
    if (out.segments.size() >= kMostPieces) full = true;
    if (!full) out.segments.push_back(std::move(s));
  }
  Vec3 at(const Vec2& p) const { return in3(t_ * p); }
  void line(const Vec2& a, const Vec2& b) {
    if ((a - b).norm() > 0) put(nurbs::LineSegment{at(a), at(b)});
  }
  void bezier(const std::vector<Vec2>& c) {
    Points p(Eigen::Index(c.size()), 3);
    for (size_t i = 0; i < c.size(); ++i) p.row(Eigen::Index(i)) = at(c[i]).transpose();
    const int degree = int(c.size()) - 1;
    nurbs::Knots knots(size_t(degree) + 1, 0.0);
    knots.insert(knots.end(), size_t(degree) + 1, 1.0);
    if (auto s = nurbs::Spline::make(degree, knots, p)) put(*s);
  }
  void ellipse(const Vec2& c, double rx, double ry) {
    if (rx > 0 && ry > 0) put(nurbs::EllipseArc{at(c), in3(t_.linear() * Vec2(rx, 0)), in3(t_.linear() * Vec2(0, ry))});
  }
  void arc(const Vec2& c, double rx, double ry, double turnRad, double from, double to) {
    const Eigen::Rotation2Dd turn(turnRad);
    const double side = to < from ? -1 : 1;
    put(nurbs::EllipseArc{at(c), in3(t_.linear() * (turn * Vec2(rx, 0))), in3(t_.linear() * (turn * Vec2(0, side * ry))), side * from, side * to});
  }
  void rectangle(const Vec2& p, const Vec2& size, double r) {
    if (!(size.x() > 0) || !(size.y() > 0)) return;
    r = std::clamp(r, 0.0, 0.5 * size.minCoeff());
    const Vec2 q = p + size;
    line({p.x() + r, p.y()}, {q.x() - r, p.y()});
    line({q.x(), p.y() + r}, {q.x(), q.y() - r});
    line({q.x() - r, q.y()}, {p.x() + r, q.y()});
    line({p.x(), q.y() - r}, {p.x(), p.y() + r});
    if (r <= 0) return;
    arc({q.x() - r, p.y() + r}, r, r, 0, -kPi / 2, 0);
    arc({q.x() - r, q.y() - r}, r, r, 0, 0, kPi / 2);
    arc({p.x() + r, q.y() - r}, r, r, 0, kPi / 2, kPi);
    arc({p.x() + r, p.y() + r}, r, r, 0, kPi, 1.5 * kPi);
  }
  void polyline(const char* text, bool closes) {
    Numbers n(text);
    std::vector<Vec2> p;
    for (double x, y; n.next(x) && n.next(y);) p.push_back({x, y});
    for (size_t i = 0; i + 1 < p.size(); ++i) line(p[i], p[i + 1]);
    if (closes && p.size() > 2) line(p.back(), p.front());
  }

  /// An elliptic arc by its ends (SVG 1.1, F.6.5).
  void endArc(const Vec2& a, const Vec2& b, double rx, double ry, double turnRad, bool large, bool sweep) {
    rx = std::abs(rx), ry = std::abs(ry);
    if (rx == 0 || ry == 0 || (a - b).norm() == 0) return line(a, b);
    const Vec2 half = Eigen::Rotation2Dd(-turnRad) * (0.5 * (a - b));
    const double over = std::pow(half.x() / rx, 2) + std::pow(half.y() / ry, 2);
    if (over > 1) rx *= std::sqrt(over), ry *= std::sqrt(over);
    const double k = std::pow(rx * half.y(), 2) + std::pow(ry * half.x(), 2);
    const double f = (large == sweep ? -1 : 1) * std::sqrt(std::max(0.0, (std::pow(rx * ry, 2) - k) / k));
    const Vec2 own(f * rx * half.y() / ry, -f * ry * half.x() / rx);
    const Vec2 c = Eigen::Rotation2Dd(turnRad) * own + 0.5 * (a + b);
    const double from = std::atan2((half.y() - own.y()) / ry, (half.x() - own.x()) / rx);
    double to = std::atan2((-half.y() - own.y()) / ry, (-half.x() - own.x()) / rx);
    if (sweep && to < from) to += 2 * kPi;
    if (!sweep && to > from) to -= 2 * kPi;
    arc(c, rx, ry, turnRad, from, to);
  }

  void path(const char* text) {
    Numbers n(text);
    Vec2 now = Vec2::Zero(), start = now, last = now; // last: control point of the piece before
    char before = 0;
    for (char c = n.command(); c; c = n.command()) {
      bool first = true;
      do {
        const bool relative = std::islower(static_cast<unsigned char>(c));
        const char kind = char(std::toupper(static_cast<unsigned char>(c)));
        const Vec2 base = relative ? now : Vec2::Zero();
        const auto point = [&](Vec2& p) {
          double x, y;
          if (!n.next(x) || !n.next(y)) return false;
          p = base + Vec2(x, y);
          return true;
        };
        Vec2 p, q, r;
        double v = 0;
        if (kind == 'Z') {
          line(now, start);
          now = start;
          before = kind;
          break;
        }
        if (kind == 'M') {
          if (!point(p)) break;
          if (first)
            start = now = p;
          else
            line(now, p), now = p;
        } else if (kind == 'L') {
          if (!point(p)) break;
          line(now, p), now = p;
        } else if (kind == 'H' || kind == 'V') {
          if (!n.next(v)) break;
          p = now;
          p[kind == 'H' ? 0 : 1] = base[kind == 'H' ? 0 : 1] + v;
          line(now, p), now = p;
        } else if (kind == 'C' || kind == 'S') {
          p = before == 'C' || before == 'S' ? Vec2(2 * now - last) : now;
          if ((kind == 'C' && !point(p)) || !point(q) || !point(r)) break;
          bezier({now, p, q, r});
          last = q, now = r;
        } else if (kind == 'Q' || kind == 'T') {
          p = before == 'Q' || before == 'T' ? Vec2(2 * now - last) : now;
          if ((kind == 'Q' && !point(p)) || !point(r)) break;
          bezier({now, p, r});
          last = p, now = r;
        } else if (kind == 'A') {
          double rx, ry, turn, large, sweep;
          if (!n.next(rx) || !n.next(ry) || !n.next(turn) || !n.flag(large) || !n.flag(sweep) || !point(r)) break;
          endArc(now, r, rx, ry, radFromDeg(turn), large > 0, sweep > 0);
          now = r;
        } else {
          return;
        }
        before = kind;
        first = false;
      } while (!n.done() && !full);
    }
  }

  Affine t_ = Affine::Identity();
};

} // namespace

Expected<FileCurves> fromSvg(const std::string& bytes) {
  pugi::xml_document doc;
  const auto read = doc.load_buffer(bytes.data(), bytes.size());
  const pugi::xml_node svg = doc.child("svg");
  if (!read || !svg) return fail(problem("LM-U040", std::string("this is no SVG file: ") + (read ? "it has no drawing" : read.description())));
  double box[4] = {0, 0, 0, 0};
  Numbers n(svg.attribute("viewBox").as_string());
  bool boxed = true;
  for (double& b : box) boxed = boxed && n.next(b);
  const auto width = lengthOf(svg.attribute("width").as_string());
  const double scale = boxed && width && box[2] > 0 ? *width / box[2] : kMmPerUnit;
  Affine t = Affine::Identity();
  t.scale(Vec2(scale, -scale)); // its y runs down
  if (boxed) t.translate(Vec2(-box[0], -box[1] - box[3]));
  Reader reader;
  reader.node(svg, t, 0);
  if (reader.full) return fail(problem("LM-U042", "the file holds more than can be drawn").want(count(double(kMostPieces))));
  if (reader.out.segments.empty()) return fail(problem("LM-U041", "there is nothing to draw in the file"));
  if (reader.texts) reader.out.notes.push_back(problem("LM-U140", "texts of the file were left out: turn them into paths there").measure(count(reader.texts)));
  if (reader.pictures) reader.out.notes.push_back(problem("LM-U140", "pictures of the file were left out").measure(count(reader.pictures)));
  return std::move(reader.out);
}

namespace {

std::string number(double v) { return formatNumber(v, 10); }
std::string place(const Vec3& p) { return number(p.x()) + " " + number(-p.y()); }

/// What follows the start of a segment in a path.
std::string pathOf(const Segment& s, double fitMm) {
  if (const auto* l = std::get_if<nurbs::LineSegment>(&s)) return " L " + place(l->b);
  if (const auto* a = std::get_if<nurbs::EllipseArc>(&s)) {
    const auto at = [&](double t) { return Vec3(a->centre + std::cos(t) * a->u + std::sin(t) * a->v); };
    const double turn = degFromRad(-std::atan2(a->u.y(), a->u.x()));
    const bool left = (a->u.cross(a->v).z() > 0) == (a->toRad > a->fromRad);
    std::string out;
    for (int half = 1; half <= 2; ++half) // whole ones have no ends to tell apart
      out += " A " + number(a->u.norm()) + " " + number(a->v.norm()) + " " + number(turn) + " 0 " + (left ? "0 " : "1 ") + place(at(a->fromRad + (a->toRad - a->fromRad) * half / 2));
    return out;
  }
  const auto& spline = std::get<nurbs::Spline>(s);
  std::string out;
  if (spline.degree() <= 3) {
    const nurbs::Spline cubic = spline.degree() < 3 ? nurbs::elevate(spline, 3 - spline.degree()) : spline;
    const auto breaks = nurbs::breakpoints(cubic.knots(), 3);
    for (size_t i = 0; i + 1 < breaks.size(); ++i) {
      const auto piece = nurbs::portion(cubic, breaks[i], breaks[i + 1]);
      if (!piece) continue;
      out += " C";
      for (int k = 1; k < 4; ++k) out += " " + place(piece->points().row(k).transpose());
    }
    return out;
  }
  const auto path = nurbs::Path::make({spline}, LengthTolerance{1e-9});
  const Points line = path ? nurbs::polylineWithin(*path, fitMm) : Points(spline.points());
  for (Eigen::Index i = 1; i < line.rows(); ++i) out += " L " + place(line.row(i).transpose());
  return out;
}

} // namespace

std::vector<LayeredPath> layered(const Chains& c) {
  std::vector<LayeredPath> out;
  for (const Chain& chain : c.chains) out.push_back({chain.path});
  return out;
}

std::string toSvg(const std::vector<LayeredPath>& paths, double fitMm) {
  Eigen::AlignedBox3d box;
  std::map<std::string, std::string> groups;
  for (const LayeredPath& p : paths) {
    const Points line = nurbs::polylineWithin(p.path, 0.05);
    for (Eigen::Index i = 0; i < line.rows(); ++i) box.extend(Vec3(line.row(i).transpose()));
    std::string& to = groups[p.layer];
    if (to.empty()) to = "<g id=\"" + p.layer + "\"" + (p.dashed ? " stroke-dasharray=\"2 1\"" : "") + ">\n";
    to += "<path d=\"M " + place(p.path.start());
    for (const Segment& s : p.path.segments()) to += pathOf(s, fitMm);
    to += p.path.closed() ? " Z\"/>\n" : "\"/>\n";
  }
  if (box.isEmpty()) box.extend(Vec3::Zero());
  const Vec3 size = box.sizes() + Vec3(2, 2, 0);
  std::string out = "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"" + number(size.x()) + "mm\" height=\"" + number(size.y()) + "mm\" viewBox=\"" + number(box.min().x() - 1) + " " +
         number(-box.max().y() - 1) + " " + number(size.x()) + " " + number(size.y()) + "\" fill=\"none\" stroke=\"black\" stroke-width=\"0.2\">\n";
  for (const auto& [layer, group] : groups) out += group + "</g>\n";
  return out + "</svg>\n";
}

std::string toDxf(const std::vector<LayeredPath>& paths, double fitMm) {
  std::string out, layer = "0";
  const auto value = [&](int code, const std::string& v) { out += std::to_string(code) + "\n" + v + "\n"; };
  const auto at = [&](int first, const Vec3& p) { value(first, number(p.x())), value(first + 10, number(p.y())), value(first + 20, "0"); };
  const auto entity = [&](const char* name) { value(0, name), value(8, layer); };
  const auto polyline = [&](const Points& p) {
    entity("POLYLINE"), value(66, "1"), at(10, Vec3::Zero());
    for (Eigen::Index i = 0; i < p.rows(); ++i) entity("VERTEX"), at(10, p.row(i).transpose());
    entity("SEQEND");
  };
  std::map<std::string, bool> layers; // and whether they are dashed
  for (const LayeredPath& p : paths) layers[p.layer] = p.dashed;
  out = "0\nSECTION\n2\nHEADER\n9\n$ACADVER\n1\nAC1009\n9\n$INSUNITS\n70\n4\n0\nENDSEC\n0\nSECTION\n2\nTABLES\n";
  // The dashes of hidden lines: 2 mm drawn, 1 mm left out.
  out += "0\nTABLE\n2\nLTYPE\n70\n2\n0\nLTYPE\n2\nCONTINUOUS\n70\n0\n3\nSolid\n72\n65\n73\n0\n40\n0\n0\nLTYPE\n2\nHIDDEN\n70\n0\n3\nHidden\n72\n65\n73\n2\n40\n3\n49\n2\n49\n-1\n0\nENDTAB\n";
  out += "0\nTABLE\n2\nLAYER\n70\n" + std::to_string(layers.size()) + "\n";
  for (const auto& [name, dashed] : layers) value(0, "LAYER"), value(2, name), value(70, "0"), value(62, "7"), value(6, dashed ? "HIDDEN" : "CONTINUOUS");
  out += "0\nENDTAB\n0\nENDSEC\n0\nSECTION\n2\nENTITIES\n";
  for (const LayeredPath& p : paths) {
    layer = p.layer;
    for (const Segment& s : p.path.segments()) {
      if (const auto* l = std::get_if<nurbs::LineSegment>(&s)) {
        entity("LINE"), at(10, l->a), at(11, l->b);
        continue;
      }
      const auto* a = std::get_if<nurbs::EllipseArc>(&s);
      if (a && a->circular()) {
        const double from = std::atan2(a->u.y(), a->u.x()), side = a->u.cross(a->v).z() > 0 ? 1 : -1;
        double start = from + side * a->fromRad, end = from + side * a->toRad;
        if (end < start) std::swap(start, end); // arcs run to the left there
        const bool whole = end - start > 2 * kPi - 1e-9;
        entity(whole ? "CIRCLE" : "ARC"), at(10, a->centre), value(40, number(a->u.norm()));
        if (!whole) value(50, number(degFromRad(start))), value(51, number(degFromRad(end)));
        continue;
      }
      if (const auto one = nurbs::Path::make({s}, LengthTolerance{1e-9})) polyline(nurbs::polylineWithin(*one, fitMm));
    }
  }
  return out + "0\nENDSEC\n0\nEOF\n";
}

} // namespace lumsk::drawing
