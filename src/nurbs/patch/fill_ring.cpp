#include "nurbs/patch/fill_ring.h"

#include "nurbs/patch/quintic_step.h"

#include <algorithm>
#include <cmath>

namespace lumsk::nurbs {

namespace {

constexpr double kMargin = 0.04;      ///< of the flat ring's size, around it
constexpr double kWeighedParts = 32;  ///< of the ring: over such lengths errors of derivatives are weighed
constexpr double kCornerShare = 0.5;  ///< of a tolerance: corners that disagree by less are none
constexpr double kRough = 0.1;        ///< relative difference of bending
constexpr int kBoxLooks = 16;         ///< of an edge

double bendAlong(const NeighbourPlace& p, const Vec3& w) { return heightsAlong(p.d, p.normal, w, Vec3::Zero())[0]; }

} // namespace

Expected<std::shared_ptr<FillRing>> FillRing::of(const std::vector<FillEdge>& edges, double zoneShare, const Tolerances& tol, const Context& cx) {
  std::shared_ptr<FillRing> out(new FillRing(edges, tol));
  LUMSK_CHECK(out->layOut(cx));
  LUMSK_CHECK(out->lookAtCorners(zoneShare));
  return out;
}

int FillRing::highest() const {
  int most = 0;
  for (int k = 0; k < count(); ++k) most = std::max(most, order(k));
  return most;
}

Expected<void> FillRing::layOut(const Context& cx) {
  std::vector<RingEdge> edges;
  for (const FillEdge& e : edges_) lengths_.emplace_back(e.path);
  for (int k = 0; k < count(); ++k)
    edges.push_back({&edges_[size_t(k)].path, &lengths_[size_t(k)], order(k) > 0 ? edges_[size_t(k)].neighbour : Neighbour(), order(k) > 0 ? edges_[size_t(k)].out : std::nullopt});
  LUMSK_TRY(flat, FlatRing::of(edges, cx));
  flat_ = std::move(flat);
  const Vec2 span = flat_.high() - flat_.low();
  const double margin = kMargin * span.maxCoeff();
  low_ = flat_.low() - Vec2::Constant(margin);
  size_ = span + Vec2::Constant(2 * margin);
  middle_ = domain(flat_.deepest());
  box_ = {Vec3::Constant(1e300), Vec3::Constant(-1e300)};
  for (const FillEdge& e : edges_)
    for (int i = 0; i < kBoxLooks; ++i) {
      const Vec3 p = e.path.at(e.path.last() * i / kBoxLooks);
      box_ = {box_[0].cwiseMin(p), box_[1].cwiseMax(p)};
    }
  return {};
}

CurveDerivatives FillRing::onEdge(int k, double share) const {
  const Path& p = path(k);
  CurveDerivatives d;
  const double t = share >= 1 ? p.last() : lengths_[size_t(k)].parameterAtFraction(share);
  p.derivatives(std::min(t, std::nextafter(p.last(), 0.0)), 2, d);
  if (share >= 1) d[0] = p.end();
  const double speed = d[1].squaredNorm();
  const Vec3 tangent = d[1].normalized();
  d[2] = (d[2] - d[2].dot(tangent) * tangent) / speed;
  d[1] = tangent;
  return d;
}

std::optional<FillRing::Out> FillRing::wayOut(int k) const {
  const FillEdge& e = edges_[size_t(k)];
  if (!e.out || order(k) == 0) return {};
  return Out{RingEdge{&e.path, &lengths_[size_t(k)], {}, e.out}.shareOut(), e.out->away};
}

Expected<NeighbourPlace> FillRing::beside(int k, const Vec3& at) const {
  return placeOn(edges_[size_t(k)].neighbour, at, tol_.point, "edge " + std::to_string(k + 1), "pick the skin that it lies on, or let it be G0");
}

Expected<void> FillRing::lookAtCorners(double zoneShare) {
  for (int k = 0; k < count() && count() > 1; ++k) LUMSK_CHECK(lookAtCorner(k, zoneShare));
  return {};
}

/// Where neighbours of two edges in a row disagree about the tangent plane or the bending of any skin that meets both.
Expected<void> FillRing::lookAtCorner(int k, double zoneShare) {
  const int a = (k + count() - 1) % count();
  const std::array<CurveDerivatives, 2> curve{onEdge(a, 1), onEdge(k, 0)};
  const std::array<int, 2> orders{order(a), order(k)};
  std::array<std::optional<NeighbourPlace>, 2> n;
  PatchCorner c;
  c.side = k;
  c.at = curve[1][0];
  for (size_t i : {0u, 1u})
    if (orders[i] > 0) {
      LUMSK_TRY(place, beside(i ? k : a, c.at));
      n[i] = place;
    }
  const auto apart = [&](double x, double y) { return std::abs(x - y) / std::max({std::abs(x), std::abs(y), leastBend()}); };
  if (n[0] && n[1]) { // two skins are compared with one another
    const double turn = n[0]->normal.dot(n[1]->normal) < 0 ? -1.0 : 1.0;
    const auto bending = [&](const Vec3& w) { return apart(bendAlong(*n[0], w), turn * bendAlong(*n[1], w)); };
    const Vec3 along = curve[0][1], inwards = n[0]->normal.cross(along).normalized();
    c.angleDeg = degFromRad(angleBetweenRad(n[0]->normal, Vec3(turn * n[1]->normal)));
    if (std::max(bending(inwards), bending(along)) > kRough) rough_.insert(k);
    if (orders[0] == 2 && orders[1] == 2) c.curvature = std::max(bending(inwards), bending((along + inwards).normalized()));
  } else { // a skin with the other edge
    for (size_t i : {0u, 1u}) {
      if (!n[i]) continue;
      const CurveDerivatives& other = curve[1 - i];
      c.angleDeg = std::abs(90 - degFromRad(angleBetweenRad(n[i]->normal, other[1])));
      if (orders[i] == 2) c.curvature = apart(bendAlong(*n[i], other[1]), other[2].dot(n[i]->normal));
    }
  }
  const bool kink = c.angleDeg > kCornerShare * tol_.angle.deg;
  if (!kink && c.curvature <= kCornerShare * tol_.curvature.relative) return {};
  c.zoneMm = zoneShare * std::min(length(a), length(k));
  corners_.push_back(c);
  return {};
}

Expected<const PatchAsked*> FillRing::asked(int k, double share) {
  const auto known = known_.find({k, share});
  if (known != known_.end()) return &known->second;
  PatchAsked a;
  a.side = k, a.s = share;
  const Vec2 x = domain(flat_.at(k, share));
  a.u = x.x(), a.v = x.y();
  const CurveDerivatives d = onEdge(k, share);
  a.at = d[0], a.along = d[1];
  a.spacing = perimeter() / kWeighedParts;
  if (order(k) > 0) {
    LUMSK_TRY(p, beside(k, a.at));
    a.beside = p;
    a.along = (a.along - a.along.dot(p.normal) * p.normal).normalized();
  }
  for (const PatchCorner& c : corners_) {
    double from = 1e300;
    if (c.side == k) from = share * length(k);
    if ((k + 1) % count() == c.side) from = std::min(from, (1 - share) * length(k));
    const double inside = quinticStep(from / c.zoneMm);
    a.bending = std::min(a.bending, inside);
    if (c.angleDeg > tol_.angle.deg) a.tangency = std::min(a.tangency, inside);
  }
  return &(known_[{k, share}] = a);
}

} // namespace lumsk::nurbs
