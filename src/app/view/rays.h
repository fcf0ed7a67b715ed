#pragma once
#include "base/vec.h"
#include "nurbs/curves/correspond.h"
#include "scene/picker.h"

#include <QPointF>

namespace lumsk::app {

using Ray = std::pair<Vec3, Vec3>; ///< a place and a direction

QPointF pixelOf(const scene::Camera& c, const Vec3& p);
Ray rayThrough(const scene::Camera& c, QPointF p);
/// Where a line of sight meets the plane of a frame; its origin when they are parallel.
Vec3 onPlane(const Frame& f, const Ray& ray);
/// How far along an axis the place lies that is nearest to a line of sight; nought when it is seen end on.
double alongAxis(const Vec3& at, const Vec3& dir, const Ray& ray);
/// mm to two decimals: what a hand in a view means.
double tidy(double mm);
/// The place of a curve nearest to the line of sight through a pixel, as a fraction of its length.
double fractionUnder(const nurbs::Path& path, const scene::Camera& c, QPointF p);

constexpr double kSnapPixels = 10;

} // namespace lumsk::app
