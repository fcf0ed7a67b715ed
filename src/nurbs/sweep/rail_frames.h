#pragma once
#include "nurbs/joins/neighbour.h"
#include "nurbs/loft/carrier.h"
#include "nurbs/measure/least_twist.h"

namespace lumsk::nurbs {

/// How a profile is turned while it goes along a rail.
enum class RailFrame {
  LeastTwist, ///< about the rail no more than it must
  Parallel,   ///< not at all
  Upright,    ///< its height keeps an angle to a direction
  OnSkin,     ///< its height stays square to a skin
  AboutAxis   ///< its height points away from an axis
};

struct RailFrameOptions {
  RailFrame kind = RailFrame::LeastTwist;
  Vec3 up = Vec3::UnitZ();  ///< of `Upright`: unit
  double leanDeg = 0.0;     ///< and how far the height leans away from it, -80..80
  Neighbour skin;           ///< of `OnSkin`
  Vec3 axisAt = Vec3::Zero(), axis = Vec3::UnitZ(); ///< of `AboutAxis`; unit
  std::function<double(double)> turnDeg; ///< about the rail besides, by the fraction of its length; empty: nought
  std::function<double(double)> size;    ///< factor, above nought; empty: 1
  double turns = 0.0;                    ///< how many times it goes round at most, for fits
  Vec3 start = Vec3::Zero();             ///< of least twist: the first axis at the start; zero: level where it can be
  std::optional<Frame> fixed;            ///< of `Parallel`: its axes; else those at the rail's start
};

/// A rail run through evenly: by its own parameter where it is one spline, which then is followed exactly; else by its
/// length.
class RailRun {
public:
  explicit RailRun(const Path& rail);
  const Path& path() const { return *path_; }
  double parameter(double x) const;     ///< of the path, x in [0, 1]
  double fraction(double x) const;      ///< of its length
  double ofFraction(double f) const;
  double lengthMm() const { return length_->total(); }
  Vec3 at(double x) const { return path_->at(parameter(x)); }
  Vec3 tangent(double x) const; ///< unit; at a joint that of what comes after, but at the end

private:
  std::shared_ptr<const Path> path_;
  std::shared_ptr<const ArcLength> length_;
  bool own_ = false;
};

/// Frames along a rail as they are wanted: the third axis is the rail's direction, but for `Parallel`.
class RailFrames {
public:
  /// Fails with LM-Y005 where the rail runs along the wanted direction or meets the axis, or has no place on the skin,
  /// LM-Y006 for a lean that the rail is too steep for, LM-Y007 for a size of nought.
  static Expected<RailFrames> along(const Path& rail, const RailFrameOptions& options);
  Carried at(double fraction) const { return atRun(rail_.ofFraction(fraction - (closed() ? std::floor(fraction) : 0.0))); }
  Carried atRun(double x) const; ///< by what the rail is run through by
  const RailRun& rail() const { return rail_; }
  bool closed() const { return rail_.path().closed(); }
  const RailFrameOptions& options() const { return o_; }

private:
  explicit RailFrames(const Path& rail) : rail_(rail) {}
  /// The height's direction for a tangent, unless the rail runs where there is none.
  std::optional<Vec3> height(const Vec3& at, const Vec3& tangent) const;
  RailRun rail_;
  std::shared_ptr<const LeastTwist> twist_;
  RailFrameOptions o_;
  double missing_ = 0; ///< of least twist around a closed rail, rad
};

/// Carries profiles along one rail.
class OneRail : public Carrier {
public:
  /// `stations`: fractions of the rail's length where the sections stand, increasing; around, the first one comes once
  /// more a whole later.
  OneRail(RailFrames frames, const std::vector<double>& stations);

  /// At an end (0: the start) the profile's plane leans until it is that with a normal, along the rail: a mitre.
  void mitre(int end, const Vec3& normal);
  /// At places (the carrier's parameters) planes across the way are turned, by rotation vectors in its own coordinates
  /// without a third component; in between evenly.
  Expected<void> tilt(const std::vector<double>& at, const std::vector<Vec3>& by);
  /// Where it does not lean: there the profile stands as it was drawn. Of straight rails it makes no difference.
  void keepSquareAt(double v) { square_ = v; }

private:
  Carried on(double v) const override;
  std::vector<Rough> rough() const override;
  bool across() const override { return frames_.options().kind != RailFrame::Parallel; }
  int firstSpans() const override;
  Problem foldProblem(double part, double v) const override;
  RailFrames frames_;
  double from_ = 0, to_ = 1;
  std::array<Vec3, 2> lean_{Vec3::Zero(), Vec3::Zero()}; ///< of both ends: normals, or nought
  std::optional<double> square_;
  std::optional<AcrossRows> tilt_;
};

/// Carries profiles along two or three rails: the first axis goes from the first to the second one. All run the same way.
class ManyRails : public Carrier {
public:
  /// `stations`: of every rail, fractions of its length where the sections stand; the carrier goes from the first to the
  /// last of them, or along all of the rails where there is one only. `widthOnly`: of two rails, heights stay as they are.
  /// `stand`: where the first section stands, by the carrier's parameter. Rails that meet at both ends have what is
  /// carried in the middle, too, as a section. Fails with LM-Y008 where the rails cross or run square to each other, LM-G011 where stations are too uneven.
  static Expected<std::shared_ptr<Carrier>> along(const std::vector<Path>& rails,
                                                  const std::vector<std::vector<double>>& stations, bool widthOnly,
                                                  double* stand);

private:
  Carried on(double v) const override;
  std::vector<Rough> rough() const override;
  Problem foldProblem(double part, double v) const override;
  Vec3 railAt(size_t k, double v, Vec3* tangent) const;
  std::vector<RailRun> rails_;
  std::vector<std::optional<MonotoneMap>> along_; ///< of every rail: its own run by the carrier's parameter
  double largest_ = 1;                            ///< of the distances between the rails
  bool widthOnly_ = false;
};

} // namespace lumsk::nurbs
