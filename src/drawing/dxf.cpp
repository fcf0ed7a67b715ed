#include "drawing/files.h"

#include <dxflib/dl_creationadapter.h>
#include <dxflib/dl_dxf.h>

#include <cmath>
#include <map>
#include <sstream>

namespace lumsk::drawing {

namespace {

constexpr size_t kMostPieces = 50000;
constexpr int kDeepest = 16; ///< blocks within blocks

using nurbs::Segment;

Vec3 flat(double x, double y) { return {x, y, 0}; }

/// A segment through an affine map.
Segment mapped(const Segment& s, const Eigen::Affine3d& t) {
  return std::visit(
      [&](const auto& x) -> Segment {
        using T = std::decay_t<decltype(x)>;
        if constexpr (std::is_same_v<T, nurbs::LineSegment>) {
          return nurbs::LineSegment{t * x.a, t * x.b};
        } else if constexpr (std::is_same_v<T, nurbs::EllipseArc>) {
          return nurbs::EllipseArc{t * x.centre, t.linear() * x.u, t.linear() * x.v, x.fromRad, x.toRad};
        } else {
          Points p = x.points();
          for (Eigen::Index i = 0; i < p.rows(); ++i) p.row(i) = (t * Vec3(p.row(i).transpose())).transpose();
          return nurbs::Spline::trusted(x.degree(), x.knots(), std::move(p), x.closed());
        }
      },
      s);
}

struct Block {
  std::vector<Segment> segments;
  std::vector<DL_InsertData> inserts;
  Vec3 base = Vec3::Zero();
};

class Reader : public DL_CreationAdapter {
public:
  void addBlock(const DL_BlockData& b) override {
    flush();
    now_ = b.name;
    blocks_[now_].base = flat(b.bpx, b.bpy);
  }
  void endBlock() override {
    flush();
    now_.clear();
  }
  void addLine(const DL_LineData& l) override { put(nurbs::LineSegment{flat(l.x1, l.y1), flat(l.x2, l.y2)}); }
  void addCircle(const DL_CircleData& c) override { put(nurbs::EllipseArc{flat(c.cx, c.cy), c.radius * Vec3::UnitX(), c.radius * Vec3::UnitY()}); }
  void addArc(const DL_ArcData& a) override {
    double to = a.angle2;
    while (to <= a.angle1) to += 360;
    put(nurbs::EllipseArc{flat(a.cx, a.cy), a.radius * Vec3::UnitX(), a.radius * Vec3::UnitY(), radFromDeg(a.angle1), radFromDeg(to)});
  }
  void addEllipse(const DL_EllipseData& e) override {
    const Vec3 u = flat(e.mx, e.my);
    double to = e.angle2;
    while (to <= e.angle1) to += 2 * kPi;
    put(nurbs::EllipseArc{flat(e.cx, e.cy), u, e.ratio * Vec3::UnitZ().cross(u), e.angle1, to});
  }
  void addPolyline(const DL_PolylineData& p) override {
    flush();
    polyline_ = true;
    closed_ = p.flags & 1;
  }
  void addVertex(const DL_VertexData& v) override {
    if (polyline_) vertices_.push_back({v.x, v.y, v.bulge});
  }
  void addSpline(const DL_SplineData& s) override {
    flush();
    spline_ = true;
    degree_ = int(s.degree);
  }
  void addControlPoint(const DL_ControlPointData& p) override {
    controls_.push_back(flat(p.x, p.y));
    rational_ = rational_ || std::abs(p.w - 1) > 1e-12;
  }
  void addKnot(const DL_KnotData& k) override { knots_.push_back(k.k); }
  void addInsert(const DL_InsertData& i) override {
    flush();
    blocks_[now_].inserts.push_back(i);
  }
  void endSequence() override { flush(); }
  void addText(const DL_TextData&) override { ++texts_; }
  void addMText(const DL_MTextData&) override { ++texts_; }
  void addHatch(const DL_HatchData&) override { ++others_; }
  void setVariableInt(const std::string& key, int value, int) override {
    if (key == "$INSUNITS") unit_ = value;
  }

  Expected<FileCurves> result() {
    flush();
    FileCurves out;
    Eigen::Affine3d t = Eigen::Affine3d::Identity();
    t.linear() *= mmPerUnit();
    if (!unfold("", t, 0, out.segments)) return fail(problem("LM-U042", "the file holds more than can be drawn").want(count(double(kMostPieces))));
    if (texts_) out.notes.push_back(problem("LM-U140", "texts of the file were left out").measure(count(texts_)));
    if (others_) out.notes.push_back(problem("LM-U140", "hatches, and splines that cannot be drawn, were left out").measure(count(others_)));
    if (weighted_) out.notes.push_back(problem("LM-U140", "splines with weights were taken without them").measure(count(weighted_)));
    return out;
  }

private:
  struct Vertex {
    double x, y, bulge;
  };
  void put(Segment s) {
    flush();
    blocks_[now_].segments.push_back(std::move(s));
  }

  void flush() {
    if (std::exchange(polyline_, false)) endPolyline();
    if (std::exchange(spline_, false)) endSpline();
  }
  void endPolyline() {
    auto& to = blocks_[now_].segments;
    const auto v = std::exchange(vertices_, {});
    for (size_t i = 0; i + 1 < v.size() + (closed_ && v.size() > 1 ? 1 : 0); ++i) {
      const Vertex &a = v[i], &b = v[(i + 1) % v.size()];
      const Vec3 p = flat(a.x, a.y), q = flat(b.x, b.y);
      if (std::abs(a.bulge) < 1e-12 || (q - p).norm() == 0) {
        to.push_back(nurbs::LineSegment{p, q});
        continue;
      }
      // The bulge is the tangent of a quarter of the turn.
      const double turn = 4 * std::atan(a.bulge), radius = 0.5 * (q - p).norm() / std::sin(0.5 * turn);
      const Vec3 middle = 0.5 * (p + q), left = Vec3::UnitZ().cross(q - p).normalized(), centre = middle + left * radius * std::cos(0.5 * turn);
      const double from = std::atan2(p.y() - centre.y(), p.x() - centre.x()), r = std::abs(radius);
      if (turn > 0)
        to.push_back(nurbs::EllipseArc{centre, r * Vec3::UnitX(), r * Vec3::UnitY(), from, from + turn});
      else
        to.push_back(nurbs::EllipseArc{centre, r * Vec3::UnitX(), -r * Vec3::UnitY(), -from, -from - turn});
    }
  }
  void endSpline() {
    const auto controls = std::exchange(controls_, {});
    const auto knots = std::exchange(knots_, {});
    weighted_ += std::exchange(rational_, false);
    Points p(Eigen::Index(controls.size()), 3);
    for (size_t i = 0; i < controls.size(); ++i) p.row(Eigen::Index(i)) = controls[i].transpose();
    if (controls.empty() || degree_ < 1 || degree_ > 7) return void(++others_);
    if (auto s = nurbs::Spline::make(degree_, knots, p))
      blocks_[now_].segments.push_back(nurbs::clamp(degree_, s->knots(), s->points(), false));
    else
      ++others_;
  }

  bool unfold(const std::string& name, const Eigen::Affine3d& t, int depth, std::vector<Segment>& out) {
    const auto block = blocks_.find(name);
    if (block == blocks_.end()) return true;
    if (depth > kDeepest) return false;
    for (const Segment& s : block->second.segments) {
      if (out.size() >= kMostPieces) return false;
      out.push_back(mapped(s, t));
    }
    for (const DL_InsertData& i : block->second.inserts) {
      const auto inner = blocks_.find(i.name);
      if (inner == blocks_.end() || i.name == name) continue;
      for (int row = 0; row < std::clamp(i.rows, 1, 1000); ++row)
        for (int col = 0; col < std::clamp(i.cols, 1, 1000); ++col) {
          Eigen::Affine3d own = Eigen::Affine3d::Identity();
          own.translate(flat(i.ipx, i.ipy));
          own.rotate(Eigen::AngleAxisd(radFromDeg(i.angle), Vec3::UnitZ()));
          own.translate(flat(col * i.colSp, row * i.rowSp));
          own.scale(Vec3(i.sx, i.sy, 1));
          own.translate(-inner->second.base);
          if (!unfold(i.name, t * own, depth + 1, out)) return false;
        }
    }
    return true;
  }

  double mmPerUnit() const {
    switch (unit_) {
    case 1: return 25.4;
    case 2: return 304.8;
    case 5: return 10;
    case 6: return 1000;
    case 13: return 1e-3;
    case 14: return 100;
    default: return 1;
    }
  }

  std::map<std::string, Block> blocks_;
  std::string now_;
  std::vector<Vertex> vertices_;
  std::vector<Vec3> controls_;
  std::vector<double> knots_;
  bool polyline_ = false, closed_ = false, spline_ = false, rational_ = false;
  int degree_ = 3, unit_ = 4, texts_ = 0, others_ = 0, weighted_ = 0;
};

} // namespace

Expected<FileCurves> fromDxf(const std::string& bytes) {
  if (bytes.find("SECTION") == std::string::npos) return fail(problem("LM-U040", "this is no DXF file").tryThis("write it as DXF text again"));
  Reader reader;
  try {
    std::istringstream in(bytes);
    DL_Dxf dxf;
    if (!dxf.in(in, &reader)) return fail(problem("LM-U040", "the DXF file cannot be read"));
  } catch (const std::exception& e) {
    return fail(problem("LM-U040", std::string("the DXF file cannot be read: ") + e.what()));
  }
  LUMSK_TRY(out, reader.result());
  for (const Segment& s : out.segments)
    if (const auto p = nurbs::Path::make({s}, LengthTolerance{1e-9}); p && (!usable(p->start()) || !usable(p->end())))
      return fail(problem("LM-U040", "the DXF file holds places that cannot be used"));
  if (out.segments.empty()) return fail(problem("LM-U041", "there is nothing to draw in the file"));
  return out;
}

} // namespace lumsk::drawing
