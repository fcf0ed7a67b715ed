#include "nurbs/placing/repeat.h"

#include "nurbs/measure/arc_length.h"
#include "nurbs/measure/closest.h"

namespace lumsk::nurbs {

namespace {

using Eigen::Affine3d;

constexpr double kOnAxisMm = 1e-3;

std::string nameOf(int number, int row) { return std::to_string(number) + (row > 1 ? "-" + std::to_string(row) : ""); }

Affine3d moveBy(const Vec3& v) { return Affine3d(Eigen::Translation3d(v)); }

Affine3d onto(const Frame& f) {
  Affine3d t = Affine3d::Identity();
  t.linear().col(0) = f.x, t.linear().col(1) = f.y, t.linear().col(2) = f.normal();
  t.translation() = f.origin;
  return t;
}

} // namespace

CopyPlaces inRows(const RowOf& first, const RowOf& rows, double shiftMm) {
  CopyPlaces out;
  for (int r = 0; r < rows.count; ++r)
    for (int k = 0; k < first.count; ++k) {
      const double along = k * first.stepMm + (r % 2 == 1 ? shiftMm : 0.0);
      out.push_back({nameOf(k + 1, r + 1), moveBy(along * first.direction + r * rows.stepMm * rows.direction)});
    }
  return out;
}

CopyPlaces aroundAxis(const RoundAxis& o, const Vec3& middle) {
  const Vec3 from = middle - o.at;
  Vec3 outward = from - from.dot(o.axis) * o.axis;
  const bool onAxis = outward.norm() <= kOnAxisMm;
  outward = onAxis ? Frame::fromNormal(o.at, o.axis).x : Vec3(outward.normalized());
  const double whole = o.stepDeg * o.count;
  CopyPlaces out;
  for (int ring = 0; ring < o.rings; ++ring) {
    const int count = onAxis ? (ring == 0 ? 1 : o.count + (ring - 1) * o.more) : o.count + ring * o.more;
    const double step = count == o.count ? o.stepDeg : whole / count;
    for (int k = 0; k < count; ++k) {
      Affine3d turn = moveBy(o.at) * Eigen::AngleAxisd(radFromDeg(k * step), o.axis) * moveBy(-o.at);
      const Affine3d out1 = moveBy(ring * o.ringStepMm * outward);
      if (!o.turned) {
        const Vec3 to = turn * (out1 * middle);
        out.push_back({nameOf(k + 1, ring + 1), moveBy(to - middle)});
      } else {
        out.push_back({nameOf(k + 1, ring + 1), turn * out1});
      }
    }
  }
  return out;
}

Expected<CopyPlaces> alongPath(const Path& path, const AlongPath& o, const Vec3& middle, const std::function<Frame(double)>& frameAt) {
  const ArcLength length(path);
  const double total = length.total(), start = length.lengthAt(closestPoint(path, middle).t);
  const bool back = !path.closed() && start > 0.5 * total;
  const double left = path.closed() ? total : back ? start : total - start;
  double step = o.stepMm;
  if (step <= 0) step = path.closed() ? total / o.count : o.count > 1 ? left / (o.count - 1) : 0.0;
  const int most = 1 + int(std::floor(left / std::max(step, 1e-300) + 1e-9)) - (path.closed() && std::abs(std::remainder(left, step)) < 1e-9 * left ? 1 : 0);
  if (o.count > 1 && o.count > most)
    return fail(problem("LM-M011", "the curve is too short for so many copies")
                    .measure(count(most))
                    .want(count(o.count))
                    .at(back ? path.start() : path.end())
                    .tryThis("take a smaller distance or fewer copies, or spread them evenly"));
  const auto place = [&](double at) {
    double f = at / total;
    if (path.closed()) f -= std::floor(f);
    return onto(frameAt(std::min(1.0, std::max(0.0, f))));
  };
  const Affine3d home = place(start).inverse(Eigen::Isometry);
  CopyPlaces out;
  for (int k = 0; k < o.count; ++k) {
    const double at = start + (back ? -1 : 1) * k * step;
    out.push_back({nameOf(k + 1, 1), k == 0 ? Affine3d::Identity() : place(at) * home});
  }
  return out;
}

CopyPlaces inMirrors(const std::vector<Frame>& planes) {
  CopyPlaces out{{"1", Affine3d::Identity()}};
  for (const Frame& plane : planes)
    for (size_t i = 0, n = out.size(); i < n; ++i) out.push_back({std::to_string(out.size() + 1), reflectionIn(plane) * out[i].placing});
  return out;
}

} // namespace lumsk::nurbs
