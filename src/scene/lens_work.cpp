#include "scene/lens_work.h"

#include "scene/lenses/deviation/deviation.h"
#include "scene/lenses/draft/draft.h"

#include <algorithm>

namespace lumsk::scene {

using inspect::FieldValues;
using inspect::MeasuredForm;

namespace {

constexpr int kBins = 48;

std::vector<double> pointAreas(const brep::FaceMesh& m) {
  std::vector<double> area(m.points.size(), 0.0);
  for (const auto& t : m.triangles) {
    const Vec3& a = m.points[size_t(t[0])];
    const double third = (m.points[size_t(t[1])] - a).cross(m.points[size_t(t[2])] - a).norm() / 6;
    for (int k : t) area[size_t(k)] += third;
  }
  return area;
}

std::vector<Weighted> weighted(const FieldLens& lens, const LensState& state, const ValuesByMesh& values) {
  std::vector<Weighted> all;
  for (const auto& [mesh, field] : values) {
    const auto areas = pointAreas(*mesh);
    for (size_t i = 0; i < areas.size(); ++i) {
      const inspect::FieldValue& v = (*field)[i];
      if (lens.known(v) && areas[i] > 0)
        all.push_back({lens.shown(state, v), areas[i], mesh->points[i], lens.marked(state, v)});
    }
  }
  return all;
}

ValueSpread spreadOf(const FieldLens& lens, const LensState& state, std::vector<Weighted> all) {
  ValueSpread out;
  std::sort(all.begin(), all.end(), [](const Weighted& a, const Weighted& b) { return a.value < b.value; });
  std::tie(out.low, out.high) = lens.ends(state, all);
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

/// The first body of a scene, later ones included, for which something holds.
template <class F> const DrawnBody* drawn(const Scene& d, const F& holds) {
  for (const auto* list : {&d.bodies, &d.later})
    if (const auto it = std::find_if(list->begin(), list->end(), holds); it != list->end()) return &*it;
  return nullptr;
}

} // namespace

const MeasuredForm& MeasuredForms::of(const DrawnBody& b) {
  for (const auto& f : forms_)
    if (f.drawn.body == b.body && f.drawn.faces == b.faces) return *f.form;
  forms_.push_back({b, std::make_unique<MeasuredForm>(b.body, b.faces)});
  return *forms_.back().form;
}

const inspect::MeshTree& MeasuredForms::treeOf(const recipe::GhostPtr& ghost) {
  if (ghost_ != ghost) {
    ghost_ = ghost;
    ghostTree_ = std::make_unique<inspect::MeshTree>(std::vector<const brep::FaceMesh*>{ghost->mesh.get()});
  }
  return *ghostTree_;
}

void MeasuredForms::keepOnly(const ScenePtr& d) {
  if (of_ == d) return;
  of_ = d;
  const auto gone = [&](const Form& f) {
    return !drawn(*d, [&](const DrawnBody& b) { return b.body == f.drawn.body && b.faces == f.drawn.faces; });
  };
  forms_.erase(std::remove_if(forms_.begin(), forms_.end(), gone), forms_.end());
  for (auto& [lens, values] : values_) {
    ValuesByMesh left;
    for (const auto* list : {&d->bodies, &d->later})
      for (const DrawnBody& b : *list)
        for (const MeshPtr& m : b.faces)
          if (const auto it = values.find(m.get()); it != values.end()) left.insert(*it);
    values = std::move(left);
  }
}

LensRun::LensRun(const ScenePtr& d, const LensState& s, bool firstOnly, const Context& context, MeasuredForms& all)
    : scene(*d), state(s), coarse(firstOnly), cx(context), forms(all) {
  out.scene = d;
  out.lens = s;
  for (const auto* list : {&scene.bodies, &scene.later})
    for (const DrawnBody& b : *list)
      if (state.looksAt(b.id)) bodies_.push_back(b);
}

void LensRun::fill(const FieldOf& field) {
  for (const DrawnBody& b : bodies_) {
    const MeasuredForm& form = forms.of(b);
    for (size_t m = 0; m < b.faces.size() && !cx.stopped(); ++m)
      out.values[b.faces[m].get()] = std::make_shared<const FieldValues>(field(form, int(m)));
  }
}

void LensRun::fillKept(const std::string& lens, const FieldOf& field) {
  ValuesByMesh& known = forms.keptValues(lens);
  for (const DrawnBody& b : bodies_)
    for (size_t m = 0; m < b.faces.size() && !cx.stopped(); ++m) {
      auto& values = known[b.faces[m].get()];
      if (!values) values = std::make_shared<const FieldValues>(field(forms.of(b), int(m)));
      out.values[b.faces[m].get()] = values;
    }
}

LensResult LensWork::make(const ScenePtr& d, const LensState& state, bool coarse, const Context& cx) {
  forms_.keepOnly(d);
  LensRun run(d, state, coarse, cx, forms_);
  for (const auto& l : lenses())
    if (isOn(state, l->key())) l->work(run);
  if (const FieldLens* field = fieldLensOf(state))
    run.out.spread = spreadOf(
        *field, state, run.measured.empty() ? weighted(*field, state, run.out.values) : std::move(run.measured));
  return std::move(run.out);
}

std::optional<Probe> LensWork::probe(const ScenePtr& d, const LensState& state, const std::string& body,
                                     const Vec3& at, const Vec3& eye, const Vec3& unit) {
  const DrawnBody* b = drawn(*d, [&](const DrawnBody& x) { return x.id == body; });
  if (!b) return {};
  const MeasuredForm& form = forms_.of(*b);
  const auto on = form.tree().nearest(at);
  if (!on) return {};
  const auto place = inspect::placeUnder(form, *on, eye, unit);
  if (!place) return {};
  Probe p{b->label, *place, 0.0, {}, {}};
  p.draftDeg = degFromRad(std::asin(std::clamp(place->normal.dot(state.look<DraftLook>().pull), -1.0, 1.0)));
  if (b->solid) p.wallMm = inspect::wallAt(form, place->point, place->normal, true);
  if (state.surface == DeviationLook::kLens)
    if (const auto to = deviationTarget(*d, state, forms_, b))
      p.deviationMm = inspect::deviationAt(to->target, place->point, place->normal, true);
  return p;
}

LensArt picturedMarks(const Scene& scene, const LensState& state, const Tolerances& tol) {
  LensArt art;
  for (const auto& l : lenses())
    if (isOn(state, l->key())) l->mark(scene, state, tol, art);
  return art;
}

} // namespace lumsk::scene
