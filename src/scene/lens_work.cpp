#include "scene/lens_work.h"

#include "inspect/combs.h"
#include "inspect/joins.h"
#include "inspect/state.h"
#include "scene/control_net.h"

#include <algorithm>

namespace lumsk::scene {

using inspect::FieldValue;
using inspect::FieldValues;
using inspect::MeasuredForm;

namespace {

constexpr int kBins = 48;
constexpr int kBendsPerSpan = 6;
constexpr int kDensestSpans = 10;     ///< of a curve that get all their teeth
constexpr double kLongestTooth = 0.2; ///< of the form: what nine teeth in ten keep to
constexpr double kCovered = 0.5;      ///< a field value above it: hidden from where the mould is pulled

/// Teeth of 1/R reach a tenth of the form where R is a quarter of it; half as far, or a quarter and so on, where most
/// of the curves bend so much that their teeth would hide it. In such steps they do not breathe while a curve is
/// dragged.
double combScale(const Scene& d, const CombLook& look) {
  const double size = (d.high - d.low).norm();
  std::vector<double> bends;
  if (look.curves)
    for (const auto* list : {&d.curves, &d.otherCurves})
      for (const DrawnCurve& c : *list) {
        const auto k = inspect::comb(*c.path, kBendsPerSpan, 0.0).curvature;
        bends.insert(bends.end(), k.begin(), k.end());
      }
  double scale = 0.1 * size * 0.25 * size;
  if (!bends.empty()) {
    const auto high = bends.begin() + std::ptrdiff_t(0.9 * double(bends.size() - 1));
    std::nth_element(bends.begin(), high, bends.end());
    while (scale * *high > kLongestTooth * size) scale *= 0.5;
  }
  return scale * look.scale;
}

std::vector<double> pointAreas(const brep::FaceMesh& m) {
  std::vector<double> area(m.points.size(), 0.0);
  for (const auto& t : m.triangles) {
    const Vec3& a = m.points[size_t(t[0])];
    const double third = (m.points[size_t(t[1])] - a).cross(m.points[size_t(t[2])] - a).norm() / 6;
    for (int k : t) area[size_t(k)] += third;
  }
  return area;
}

/// Whether a value is one that the lens marks.
bool marked(const LensState& lens, const FieldValue& v) {
  switch (lens.surface) {
  case SurfaceLens::Draft: return v.b > kCovered;
  case SurfaceLens::Wall: return v.b > 0 && v.a < lens.wall.thinMm;
  case SurfaceLens::Deviation: return v.b > 0 && std::abs(v.a) > lens.deviation.withinMm;
  default: return false;
  }
}

bool known(const LensState& lens, const FieldValue& v) {
  return lens.surface == SurfaceLens::Curvature || lens.surface == SurfaceLens::Draft || v.b > 0;
}

struct Weighted {
  double value, area;
  Vec3 at;
  bool marked;
};

/// The value below which a share of the area lies.
double quantile(const std::vector<Weighted>& sorted, double share) {
  double total = 0, sum = 0;
  for (const Weighted& w : sorted) total += w.area;
  for (const Weighted& w : sorted)
    if ((sum += w.area) >= share * total) return w.value;
  return sorted.back().value;
}

std::pair<double, double> endsOf(const LensState& lens, const std::vector<Weighted>& sorted) {
  switch (lens.surface) {
  case SurfaceLens::Draft: return {-90, 90};
  case SurfaceLens::Wall: return {lens.wall.thinMm, std::max(lens.wall.thickMm, lens.wall.thinMm + 1e-3)};
  case SurfaceLens::Deviation: return {-lens.deviation.rangeMm, lens.deviation.rangeMm};
  default: break;
  }
  if (!lens.curvature.byItself || sorted.empty())
    return {lens.curvature.low, std::max(lens.curvature.high, lens.curvature.low + 1e-9)};
  const double low = quantile(sorted, 0.05), high = quantile(sorted, 0.95);
  if (lens.curvature.shown == CurvatureShown::Radius) return {low, std::max(high, low * 1.01 + 1e-9)};
  const double reach = std::max({std::abs(low), std::abs(high), 1e-9}); // flat stays in the middle of the colours
  return {-reach, reach};
}

std::vector<Weighted> weighted(const LensState& lens, const ValuesByMesh& values) {
  std::vector<Weighted> all;
  for (const auto& [mesh, field] : values) {
    const auto areas = pointAreas(*mesh);
    for (size_t i = 0; i < areas.size(); ++i) {
      if (!known(lens, (*field)[i]) || areas[i] <= 0) continue;
      all.push_back({shownValue(lens, (*field)[i]), areas[i], mesh->points[i], marked(lens, (*field)[i])});
    }
  }
  return all;
}

ValueSpread spreadOf(const LensState& lens, std::vector<Weighted> all) {
  ValueSpread out;
  std::sort(all.begin(), all.end(), [](const Weighted& a, const Weighted& b) { return a.value < b.value; });
  std::tie(out.low, out.high) = endsOf(lens, all);
  out.histogram.assign(kBins, 0.0);
  if (all.empty()) return out;
  out.least = ValueAt{all.front().value, all.front().at};
  out.most = ValueAt{all.back().value, all.back().at};
  double total = 0;
  for (const Weighted& w : all) total += w.area;
  for (const Weighted& w : all) {
    const double f = (w.value - out.low) / (out.high - out.low) * kBins;
    out.histogram[size_t(std::clamp(f, 0.0, kBins - 1.0))] += w.area / total;
    if (w.marked) out.share += w.area / total;
  }
  return out;
}

void addComb(LensArt& art, const std::vector<Vec3>& base, const std::vector<Vec3>& tip, bool inCut) {
  LensArt::Teeth teeth;
  teeth.inCut = inCut;
  for (size_t i = 0; i < base.size(); ++i) teeth.teeth.emplace_back(base[i], tip[i]);
  art.teeth.push_back(std::move(teeth));
  art.lines.push_back({{tip}, Ink::Green, 1.4, inCut});
}

int spansOf(const nurbs::Path& path) {
  int spans = 0;
  for (const nurbs::Segment& s : path.segments())
    if (const auto* spline = std::get_if<nurbs::Spline>(&s)) spans += spline->spans();
  return spans;
}

void addComb(LensArt& art, const nurbs::Path& path, int density, double scale) {
  // So many on a span, but not so many that those of a curve with many spans run into each other.
  const int perSpan = std::clamp(kDensestSpans * density / std::max(1, spansOf(path)), 2, density);
  const inspect::Comb comb = inspect::comb(path, perSpan, scale);
  if (comb.base.empty()) return;
  addComb(art, comb.base, comb.tip, false);
  art.dots.push_back({{comb.largestAt}, Ink::Coral, 2.0, false, {}});
  if (!comb.extremes.empty()) art.dots.push_back({comb.extremes, Ink::Green, 1.6, false, {}});
  if (!comb.inflections.empty()) art.dots.push_back({comb.inflections, Ink::Ochre, 2.0, false, {}});
}

/// Combs of cut lines: away from the centres of curvature, on about so many teeth a line as the lens wants.
void addCutCombs(LensArt& art, const inspect::Cut& cut, const CombLook& look, double scale, bool inCut) {
  for (const inspect::CutLine& l : cut.lines) {
    const size_t step = std::max<size_t>(1, l.points.size() / (size_t(look.density) * 8 + 1));
    std::vector<Vec3> base, tip;
    for (size_t i = 0; i < l.points.size(); i += step) {
      base.push_back(l.points[i]);
      tip.push_back(l.points[i] - scale * l.bend[i]);
    }
    if (l.closed && !base.empty()) base.push_back(base.front()), tip.push_back(tip.front());
    addComb(art, base, tip, inCut);
    size_t tightest = 0;
    std::vector<Vec3> turns;
    for (size_t i = 1; i < l.points.size(); ++i) {
      if (l.bend[i].norm() > l.bend[tightest].norm()) tightest = i;
      if (l.bend[i].dot(l.bend[i - 1]) < 0) turns.push_back(l.points[i]);
    }
    if (!l.points.empty()) art.dots.push_back({{l.points[tightest]}, Ink::Coral, 2.0, inCut, {}});
    if (!turns.empty()) art.dots.push_back({turns, Ink::Ochre, 2.0, inCut, {}});
  }
}

std::vector<Vec3> loop(const inspect::CutLine& l) {
  std::vector<Vec3> out = l.points;
  if (l.closed && !out.empty()) out.push_back(out.front());
  return out;
}

} // namespace

double shownValue(const LensState& lens, const FieldValue& v) {
  if (lens.surface != SurfaceLens::Curvature) return v.a;
  const double a = v.a, b = v.b;
  switch (lens.curvature.shown) {
  case CurvatureShown::Mean: return 0.5 * (a + b);
  case CurvatureShown::Gauss: return a * b;
  case CurvatureShown::Largest: return a;
  case CurvatureShown::Smallest: return b;
  case CurvatureShown::Radius: return 1.0 / std::max({std::abs(a), std::abs(b), 1e-6});
  }
  return a;
}

struct LensWork::Kept {
  struct Form {
    DrawnBody drawn; ///< keeps body and meshes alive
    std::unique_ptr<MeasuredForm> form;
  };
  std::vector<Form> forms;
  ScenePtr of;
  // Values that do not depend on what else there is.
  ValuesByMesh curvature;
  // Mesh of the backdrop that deviations are measured to.
  recipe::GhostPtr ghost;
  std::unique_ptr<inspect::MeshTree> ghostTree;
};

LensWork::LensWork() : kept_(std::make_unique<Kept>()) {}
LensWork::~LensWork() = default;

const MeasuredForm& LensWork::formOf(const DrawnBody& b) {
  for (const auto& f : kept_->forms)
    if (f.drawn.body == b.body && f.drawn.faces == b.faces) return *f.form;
  kept_->forms.push_back({b, std::make_unique<MeasuredForm>(b.body, b.faces)});
  return *kept_->forms.back().form;
}

namespace {

/// What deviations are measured to: by name, else the first backdrop, else the first body when there are others.
const DrawnGhost* targetGhost(const Scene& d, const LensState& lens) {
  for (const DrawnGhost& g : d.ghosts)
    if (lens.deviation.to.empty() || lens.deviation.to == g.step || lens.deviation.to == g.label) return &g;
  return nullptr;
}
const DrawnBody* targetBody(const Scene& d, const LensState& lens) {
  for (const DrawnBody& b : d.bodies)
    if (lens.deviation.to.empty() ? d.bodies.size() > 1 && &b == &d.bodies.front()
                                  : lens.deviation.to == b.id || lens.deviation.to == b.label)
      return &b;
  return nullptr;
}

/// One run of the work.
class Run {
public:
  using FormOf = std::function<const MeasuredForm&(const DrawnBody&)>;
  Run(const ScenePtr& d, const LensState& lens, bool coarse, const Context& cx, FormOf formOf)
      : d_(*d), lens_(lens), coarse_(coarse), cx_(cx), formOf_(std::move(formOf)) {
    out_.scene = d;
    out_.lens = lens;
    for (const auto* list : {&d_.bodies, &d_.later}) bodies_.insert(bodies_.end(), list->begin(), list->end());
  }

  LensResult run(ValuesByMesh& curvature, recipe::GhostPtr& ghost, std::unique_ptr<inspect::MeshTree>& ghostTree) {
    if (lens_.surface == SurfaceLens::Curvature) curvatures(curvature);
    if (lens_.surface == SurfaceLens::Draft)
      forEachFace([&](const MeasuredForm& f, int m) {
        return inspect::draftField(f, m, lens_.draft.pull, lens_.draft.bothHalves, cx_);
      });
    if (lens_.surface == SurfaceLens::Wall) {
      forEachFace([&](const MeasuredForm& f, int m) {
        return f.body().solid() ? inspect::wallField(f, m, !coarse_, cx_)
                                : FieldValues(f.meshes()[size_t(m)]->points.size());
      });
      out_.coarse = coarse_;
    }
    if (lens_.surface == SurfaceLens::Deviation) deviations(ghost, ghostTree);
    if (lens_.needsValues())
      out_.spread = spreadOf(lens_, measured_.empty() ? weighted(lens_, out_.values) : std::move(measured_));
    if (lens_.combs) combs();
    if (lens_.points) addControlNets(d_, lens_, out_.art);
    if (lens_.cut) cuts();
    return std::move(out_);
  }

private:
  template <class F> void forEachFace(const F& f) {
    for (const DrawnBody& b : bodies_) {
      if (!lens_.looksAt(b.id)) continue;
      const MeasuredForm& form = formOf_(b);
      for (size_t m = 0; m < b.faces.size() && !cx_.stopped(); ++m)
        out_.values[b.faces[m].get()] = std::make_shared<const FieldValues>(f(form, int(m)));
    }
  }

  void curvatures(ValuesByMesh& known) {
    ValuesByMesh next;
    for (const DrawnBody& b : bodies_) {
      if (!lens_.looksAt(b.id)) continue;
      for (size_t m = 0; m < b.faces.size() && !cx_.stopped(); ++m) {
        const auto before = known.find(b.faces[m].get());
        next[b.faces[m].get()] = before != known.end()
                                     ? before->second
                                     : std::make_shared<const FieldValues>(inspect::curvatureField(formOf_(b), int(m)));
      }
    }
    known = next;
    out_.values = std::move(next);
  }

  void deviations(recipe::GhostPtr& kept, std::unique_ptr<inspect::MeshTree>& tree) {
    inspect::DeviationTarget to;
    const DrawnGhost* g = targetGhost(d_, lens_);
    const DrawnBody* b = g ? nullptr : targetBody(d_, lens_);
    if (g && g->ghost->mesh->triangles.empty()) return pointDeviations(*g);
    if (g) {
      if (kept != g->ghost) {
        kept = g->ghost;
        tree = std::make_unique<inspect::MeshTree>(std::vector<const brep::FaceMesh*>{g->ghost->mesh.get()});
      }
      to.mesh = tree.get();
      out_.target = g->label;
    }
    if (b) {
      to.form = &formOf_(*b);
      out_.target = b->label;
    }
    if (!to.mesh && !to.form) return;
    forEachFace([&](const MeasuredForm& f, int m) {
      return &f == to.form ? FieldValues(f.meshes()[size_t(m)]->points.size())
                           : inspect::deviationField(f, m, to, !coarse_, cx_);
    });
    out_.coarse = coarse_;
  }

  /// Measured points: each is coloured by how far it lies from the form.
  void pointDeviations(const DrawnGhost& g) {
    out_.target = g.label;
    std::map<int, std::vector<Vec3>> byColour;
    for (const Vec3& p : g.ghost->corners) {
      if (cx_.stopped()) return;
      std::optional<double> best;
      for (const DrawnBody& b : bodies_) {
        if (!lens_.looksAt(b.id)) continue;
        const MeasuredForm& form = formOf_(b);
        const auto d = inspect::heightOver(form, p);
        if (d && (!best || std::abs(*d) < std::abs(*best))) best = d;
      }
      if (!best) continue;
      const double t = 0.5 + 0.5 * *best / lens_.deviation.rangeMm;
      byColour[int(std::lround(std::clamp(t, 0.0, 1.0) * 16))].push_back(p);
      measured_.push_back({*best, 1.0, p, std::abs(*best) > lens_.deviation.withinMm});
    }
    for (const auto& [step, points] : byColour)
      out_.art.dots.push_back({points, Ink::Dark, 3.0, false, fieldColour(step / 16.0)});
  }

  void combs() {
    const double scale = combScale(d_, lens_.comb);
    const auto offer = [&](const std::vector<DrawnCurve>& curves) {
      for (const DrawnCurve& c : curves) addComb(out_.art, *c.path, lens_.comb.density, scale);
    };
    if (lens_.comb.curves) {
      offer(d_.curves);
      offer(d_.otherCurves);
    }
    for (const DrawnBody& b : bodies_) {
      if (!lens_.looksAt(b.id) || cx_.stopped()) continue;
      if (lens_.comb.isolines) isolines(b, scale);
      if (!lens_.comb.stack) continue;
      const double low = lens_.comb.across.dot(d_.low), high = lens_.comb.across.dot(d_.high);
      for (int i = 0; i < lens_.comb.stackCount && !cx_.stopped(); ++i) {
        const double at = low + (high - low) * (i + 0.5) / lens_.comb.stackCount;
        const auto cut = inspect::cutOf(formOf_(b), Frame::fromNormal(at * lens_.comb.across, lens_.comb.across));
        for (const auto& l : cut.lines) out_.art.lines.push_back({{loop(l)}, Ink::Dark, 1.0, false});
        addCutCombs(out_.art, cut, lens_.comb, scale, false);
      }
    }
  }

  void isolines(const DrawnBody& b, double scale) {
    for (const auto& [name, face] : b.body->natural) {
      const nurbs::Surface& s = *face.surface;
      const int n = lens_.comb.isolineCount;
      for (int i = 0; i < n && !cx_.stopped(); ++i) {
        const double f = (i + 0.5) / n;
        for (const nurbs::Spline& c :
             {s.isoU(s.firstU() + f * (s.lastU() - s.firstU())), s.isoV(s.firstV() + f * (s.lastV() - s.firstV()))}) {
          const auto path = nurbs::Path::make({c}, d_.point);
          if (!path) continue; // shrunk to a pole
          addComb(out_.art, *path, lens_.comb.density, scale);
          const Points line = nurbs::polylineWithin(*path, 0.05);
          LensArt::Lines drawn{{{}}, Ink::Soft, 1.0, false};
          for (Eigen::Index k = 0; k < line.rows(); ++k) drawn.lines[0].push_back(line.row(k).transpose());
          out_.art.lines.push_back(std::move(drawn));
        }
      }
    }
  }

  void cuts() {
    for (int i = 0; i < lens_.cutting.count; ++i) {
      const Frame plane = lens_.cutting.at(i);
      for (const DrawnBody& b : bodies_) {
        if (!lens_.looksAt(b.id) || cx_.stopped()) continue;
        inspect::Cut cut = inspect::cutOf(formOf_(b), plane);
        if (cut.empty()) continue;
        for (const auto& l : cut.lines) out_.art.lines.push_back({{loop(l)}, Ink::Coral, 2.0, true});
        if (b.solid) {
          const auto fill = inspect::fillOf(cut);
          out_.art.fill.insert(out_.art.fill.end(), fill.begin(), fill.end());
        }
        if (cut.thinnest) out_.art.lines.push_back({{{cut.thinnest->from, cut.thinnest->to}}, Ink::Dark, 3.0, true});
        if (lens_.cutting.combs) addCutCombs(out_.art, cut, lens_.comb, combScale(d_, lens_.comb), true);
        out_.cuts.emplace_back(b.label, std::move(cut));
      }
    }
  }

  const Scene& d_;
  std::vector<DrawnBody> bodies_; ///< later ones included
  const LensState& lens_;
  bool coarse_;
  const Context& cx_;
  FormOf formOf_;
  LensResult out_;
  std::vector<Weighted> measured_; ///< at points
};

} // namespace

namespace {

/// The first body of a scene, later ones included, for which something holds.
template <class F> const DrawnBody* drawn(const Scene& d, const F& holds) {
  for (const auto* list : {&d.bodies, &d.later})
    if (const auto it = std::find_if(list->begin(), list->end(), holds); it != list->end()) return &*it;
  return nullptr;
}

} // namespace

LensResult LensWork::make(const ScenePtr& d, const LensState& lens, bool coarse, const Context& cx) {
  if (kept_->of != d) { // what is not drawn any more is let go
    auto& forms = kept_->forms;
    forms.erase(std::remove_if(forms.begin(), forms.end(),
                               [&](const Kept::Form& f) {
                                 return !drawn(*d, [&](const DrawnBody& b) {
                                   return b.body == f.drawn.body && b.faces == f.drawn.faces;
                                 });
                               }),
                forms.end());
    kept_->of = d;
    ValuesByMesh left;
    for (const auto* list : {&d->bodies, &d->later})
      for (const DrawnBody& b : *list)
        for (const MeshPtr& m : b.faces)
          if (const auto it = kept_->curvature.find(m.get()); it != kept_->curvature.end()) left.insert(*it);
    kept_->curvature = std::move(left);
  }
  Run run(d, lens, coarse, cx, [this](const DrawnBody& b) -> const MeasuredForm& { return formOf(b); });
  return run.run(kept_->curvature, kept_->ghost, kept_->ghostTree);
}

std::optional<Probe> LensWork::probe(const ScenePtr& d, const LensState& lens, const std::string& body,
                                     const Vec3& at, const Vec3& eye, const Vec3& unit) {
  const DrawnBody* b = drawn(*d, [&](const DrawnBody& x) { return x.id == body; });
  if (!b) return {};
  const MeasuredForm& form = formOf(*b);
  const auto on = form.tree().nearest(at);
  if (!on) return {};
  const auto place = inspect::placeUnder(form, *on, eye, unit);
  if (!place) return {};
  Probe p{b->label, *place, 0.0, {}, {}};
  p.draftDeg = degFromRad(std::asin(std::clamp(place->normal.dot(lens.draft.pull), -1.0, 1.0)));
  if (b->solid) p.wallMm = inspect::wallAt(form, place->point, place->normal, true);
  if (lens.surface != SurfaceLens::Deviation) return p;
  const DrawnGhost* g = targetGhost(*d, lens);
  const DrawnBody* target = g ? nullptr : targetBody(*d, lens);
  if (g && kept_->ghost == g->ghost && kept_->ghostTree)
    p.deviationMm = inspect::deviationAt({nullptr, kept_->ghostTree.get()}, place->point, place->normal, true);
  if (target && target->body != b->body)
    p.deviationMm = inspect::deviationAt({&formOf(*target), nullptr}, place->point, place->normal, true);
  return p;
}

LensArt joinArt(const Scene& scene, const LensState& lens, const Tolerances& tol) {
  constexpr double kEdgeWidth = 3, kDot = 8;
  LensArt art;
  for (const DrawnBody& b : scene.bodies) {
    if (!lens.looksAt(b.id)) continue;
    if (lens.openings)
      for (const auto& o : inspect::stateOf(*b.body).openings) art.lines.push_back({{o.outline}, Ink::Coral, kEdgeWidth});
    if (!lens.joins) continue;
    for (const inspect::Join& j : inspect::joins(*b.body, tol)) {
      const auto drawn = std::find_if(b.edges->begin(), b.edges->end(), [&](const DrawnEdge& e) { return e.name == j.edge; });
      if (drawn == b.edges->end()) continue;
      using Grade = inspect::Join::Grade;
      const Grade grade = j.grade(tol);
      const Ink ink = grade == Grade::Good   ? Ink::Green
                      : grade == Grade::Fair ? Ink::Ochre
                      : grade == Grade::Bad  ? Ink::Coral
                                             : Ink::Dark;
      art.lines.push_back({{drawn->points}, ink, kEdgeWidth});
      if (grade != Grade::Good && grade != Grade::Sharp && j.measured)
        art.dots.push_back({{j.worstAt(tol)}, ink, kDot, false, {}});
    }
  }
  return art;
}

} // namespace lumsk::scene
