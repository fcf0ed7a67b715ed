#include "recipe/ways.h"

#include "brep/curves_on.h"
#include "brep/face_spline.h"
#include "brep/rings.h"
#include "nurbs/measure/closest.h"
#include "nurbs/measure/wrinkles.h"
#include "recipe/crossed.h"
#include "recipe/edit_picks.h"

#include <nlohmann/json.hpp>
#include <tbb/parallel_for.h>

#include <algorithm>

namespace lumsk::recipe {

using nlohmann::json;

namespace {

constexpr int kCurveLooks = 40, kJoinLooks = 25, kBendLooks = 24;
constexpr double kAlike = 0.03;                 ///< relative difference of wrinkle indices that nobody sees
constexpr double kPassesFits = 3;               ///< fit tolerances within which a skin passes through its curves
constexpr double kBorder = 1e-6, kBeyond = 0.5; ///< of the domain; of a distance, along the skin
const char* const kFlow = "g2";

/// The step that finds out which curves belong together.
const Step* sorter(const Registry& registry) {
  for (const Step& s : registry.all())
    if (s.crossed && !s.crossed->family.empty()) return &s;
  return nullptr;
}

/// The skins that a way has made, whole, and what of the trimmed ones counts.
struct TriedSkins {
  std::vector<nurbs::Surface> whole;
  std::vector<std::shared_ptr<const brep::FaceSpline>> trimmed; ///< null for whole ones
  bool counts(size_t skin, double u, double v) const { return !trimmed[skin] || trimmed[skin]->inside({u, v}); }

  static TriedSkins of(const Way& w, const Context& cx) {
    TriedSkins out;
    const std::string own = w.step->id + ".";
    for (const Output& o : w.result.outcome->outputs) {
      const auto* body = std::get_if<brep::BodyPtr>(&o.object);
      if (!body) continue;
      const auto all = brep::faces(**body);
      for (size_t i = 0; i < all.size(); ++i) {
        const std::string& name = (*body)->faceNames[i];
        if (name.rfind(own, 0) != 0) continue; // of the body that it was joined to
        const auto natural = (*body)->natural.find(name);
        if (natural != (*body)->natural.end()) {
          out.whole.push_back(*natural->second.surface), out.trimmed.push_back(nullptr);
          continue;
        }
        auto face = brep::FaceSpline::of(all[i], nullptr, cx);
        if (!face) continue;
        out.whole.push_back(*face->surface());
        out.trimmed.push_back(std::make_shared<const brep::FaceSpline>(std::move(*face)));
      }
    }
    return out;
  }
};

class Trial {
public:
  Trial(const Model& model, const Registry& registry, const Context& cx)
      : registry_(registry), cx_(cx), model_(model), recipe_(*model.recipe), evaluator_(registry) {
    for (const auto& [id, r] : model.results)
      if (r.outcome && r.status == Status::Ok) evaluator_.remember(r.key, r.outcome);
  }

  std::vector<Way> run(const json& picks) {
    const Step* first = sorter(registry_);
    if (!first || picks.empty()) return {};
    const StepEntry sorted = *madeOf(*first, {{first->crossed->along, picks}});
    recipe_.steps.push_back(std::make_shared<const StepEntry>(sorted));
    evaluate();
    const OutcomePtr outcome = now_->result(sorted.id)->outcome;
    const bool crossing = now_->result(sorted.id)->status == Status::Ok;
    const FamilyOf familyOf = familiesIn(crossing ? outcome : nullptr);
    recipe_.steps.pop_back();
    const bool edges =
        std::all_of(picks.begin(), picks.end(), [](const json& p) { return p.value("kind", "") == "edge"; });
    std::vector<Way> ways;
    const auto add = [&](StepPtr step, const std::string& name) {
      if (edges) addStep(ways, flowing(*step), name);
      addStep(ways, step, edges ? name + ", not flowing on" : name);
    };
    for (const Step& s : registry_.all()) {
      if (!s.crossed) continue;
      const StepPtr made = s.kind == sorted.kind ? std::make_shared<const StepEntry>(sorted)
                                                 : madeAs(sorted, s.kind, registry_, familyOf);
      add(made, s.label);
      if (s.crossed->across.empty() || !crossing) continue;
      if (const StepPtr turned = swapped(*made, registry_)) add(turned, s.label + " the other way");
    }
    const size_t paired = ways.size();
    for (const Step& s : registry_.all())
      if (s.madeThrough)
        for (const MadeThrough::Way& w : s.madeThrough->ways(picks, model_)) addStep(ways, madeOf(s, *w.inputs), s.label + w.name);
    evaluate();
    for (Way& w : ways) w.result = *now_->result(w.step->id);
    // What flows on needs no second card.
    if (edges)
      for (size_t i = paired; i-- > 1; --i) ways.erase(ways.begin() + long(ways[i - 1].fits() ? i : i - 1));
    measure(ways, picks);
    rank(ways);
    return ways;
  }

private:
  static StepPtr madeOf(const Step& kind, json inputs) {
    StepEntry made;
    made.id = "way0";
    made.kind = kind.kind;
    made.version = kind.version;
    made.label = kind.label;
    made.inputs = std::make_shared<const json>(std::move(inputs));
    return std::make_shared<const StepEntry>(std::move(made));
  }

  void addStep(std::vector<Way>& ways, const StepPtr& step, const std::string& name) {
    auto own = std::make_shared<StepEntry>(*step);
    own->id = "way" + std::to_string(++last_);
    Way w;
    w.name = name;
    w.step = own;
    recipe_.steps.push_back(own);
    ways.push_back(std::move(w));
  }

  void evaluate() {
    EvaluateOptions o;
    o.cancel = cx_.cancel;
    o.previous = std::make_shared<const Model>(model_);
    now_ = evaluator_.evaluate(std::make_shared<const Recipe>(recipe_), o);
  }

  /// Its sides, or its edges, flow into the skins whose edges they are.
  StepPtr flowing(const StepEntry& step) const {
    const Step& kind = *registry_.find(step.kind);
    json in = *step.inputs;
    const auto allows = [](const Field& f) {
      return f.kind == FieldKind::Continuity &&
             std::any_of(f.options.begin(), f.options.end(), [](const Option& o) { return o.key == kFlow; });
    };
    const Schema& schema = registry_.schemaOf(step.kind);
    if (const Field* list = findField(schema, kind.crossed->along); list && kind.crossed->ring())
      for (const Field& sub : list->each)
        if (allows(sub))
          for (json& pick : in[list->key]) pick[sub.key] = kFlow;
    const size_t across = kind.crossed->across.empty() ? 2 : in.value(kind.crossed->across, json::array()).size();
    for (const Field& f : schema) {
      const auto& sides = kind.crossed->sides;
      const auto side = std::find(sides.begin(), sides.end(), f.key) - sides.begin();
      if (allows(f) && (side < 2 || (side < 4 && across > 1))) in[f.key] = kFlow;
    }
    auto out = std::make_shared<StepEntry>(step);
    out->inputs = std::make_shared<const json>(std::move(in));
    return out;
  }

  void measure(std::vector<Way>& ways, const json& picks) const {
    std::vector<Picked> curves;
    for (const json& p : picks)
      if (auto found = follow(p, Kind::Curve | Kind::Edge, model_)) curves.push_back(std::move(*found));
    tbb::parallel_for(size_t(0), ways.size(), [&](size_t i) {
      if (ways[i].fits()) figuresOf(ways[i], curves);
    });
  }

  void figuresOf(Way& w, const std::vector<Picked>& curves) const {
    const TriedSkins tried = TriedSkins::of(w, cx_);
    const std::vector<nurbs::Surface>& skins = tried.whole;
    if (skins.empty()) return;
    WayFigures& f = w.figures;
    f.wrinkles = nurbs::wrinkleIndex(skins, [&](size_t k, double u, double v) { return tried.counts(k, u, v); });
    double most = 1e-12;
    Vec3 low = Vec3::Constant(1e300), high = -low;
    for (size_t k = 0; k < skins.size(); ++k) {
      const nurbs::Surface& s = skins[k];
      f.controlPoints += s.controlPoints();
      low = low.cwiseMin(s.grid().colwise().minCoeff().transpose());
      high = high.cwiseMax(s.grid().colwise().maxCoeff().transpose());
      for (int i = 0; i < kBendLooks; ++i)
        for (int j = 0; j < kBendLooks; ++j) {
          const double u = s.firstU() + (s.lastU() - s.firstU()) * (i + 0.5) / kBendLooks, v = s.firstV() + (s.lastV() - s.firstV()) * (j + 0.5) / kBendLooks;
          if (!tried.counts(k, u, v)) continue;
          const auto bent = s.curvatures(u, v);
          most = std::max({most, std::abs(bent.k1), std::abs(bent.k2)});
        }
    }
    f.smallestRadiusMm = 1 / most;
    nurbs::SkinJoin worst;
    for (const Picked& c : curves) {
      const nurbs::Path& path = *std::get<CurvePtr>(c.object);
      const auto beside = neighbourAt(c);
      for (int i = 0; i <= kCurveLooks; ++i) {
        const Vec3 p = path.at(path.last() * i / kCurveLooks);
        const auto [skin, at] = nearest(skins, p);
        if (!isBeyond(*skin, at, p)) f.deviationMm = std::max(f.deviationMm, at.distanceMm);
      }
      for (int i = 1; i <= kJoinLooks && beside; ++i) {
        nurbs::CurveDerivatives d;
        path.derivatives(path.last() * i / (kJoinLooks + 1), 1, d);
        const auto [skin, at] = nearest(skins, d[0]);
        const auto n = beside->beside(d[0]);
        if (!n) continue;
        f.joins = true;
        f.gapMm = std::max(f.gapMm, (n->d(0, 0) - at.point).norm());
        nurbs::SurfaceDerivatives s;
        skin->derivatives(at.u, at.v, 3, s);
        worst.take(nurbs::joinWith(*n, 2, s, d[1].normalized(), 1 / (10 * (high - low).norm())), cx_.tolerances);
      }
    }
    f.angleDeg = worst.angleDeg;
    f.curvature = worst.curvature;
    const bool passes = f.deviationMm <= kPassesFits * cx_.tolerances.fit.mm;
    w.holds = passes && (!f.joins || worst.worst(cx_.tolerances) <= 1);
  }

  static std::pair<const nurbs::Surface*, nurbs::ClosestOnSurface> nearest(const std::vector<nurbs::Surface>& skins,
                                                                           const Vec3& p) {
    std::pair<const nurbs::Surface*, nurbs::ClosestOnSurface> best{nullptr, {}};
    for (const nurbs::Surface& s : skins)
      if (const auto c = nurbs::closestPoint(s, p); !best.first || c.distanceMm < best.second.distanceMm)
        best = {&s, c};
    return best;
  }

  /// Whether a place lies past a border of the skin, as curves do that go on beyond it.
  static bool isBeyond(const nurbs::Surface& s, const nurbs::ClosestOnSurface& at, const Vec3& p) {
    nurbs::SurfaceDerivatives d;
    s.derivatives(at.u, at.v, 1, d);
    const auto past = [&](bool first, bool last, const Vec3& along) {
      if ((!first && !last) || !(along.norm() > 0)) return false;
      return (first ? -1.0 : 1.0) * (p - at.point).dot(along.normalized()) > kBeyond * at.distanceMm;
    };
    const double u = kBorder * (s.lastU() - s.firstU()), v = kBorder * (s.lastV() - s.firstV());
    return (!s.closedU() && past(at.u<s.firstU() + u, at.u> s.lastU() - u, d(1, 0))) ||
           past(at.v<s.firstV() + v, at.v> s.lastV() - v, d(0, 1));
  }

  /// The face at an edge that bounds one only.
  std::optional<brep::BodyFaces> neighbourAt(const Picked& c) const {
    if (c.kind != Kind::Edge || !c.body || c.index < 0) return {};
    const auto faces = brep::facesAt(*c.body, c.index);
    if (faces.size() != 1) return {};
    auto made = brep::BodyFaces::of(*c.body, faces.front(), cx_);
    return made ? std::optional(std::move(*made)) : std::nullopt;
  }

  void rank(std::vector<Way>& ways) const {
    const auto alike = [](double a, double b) { return std::abs(a - b) <= kAlike * std::max(a, b); };
    const auto before = [&](const Way& a, const Way& b) {
      if (a.fits() != b.fits()) return a.fits();
      if (!a.fits()) return false;
      if (a.holds != b.holds) return a.holds;
      return a.figures.wrinkles < b.figures.wrinkles;
    };
    std::stable_sort(ways.begin(), ways.end(), before);
    if (ways.empty() || !ways[0].fits()) return;
    size_t best = 0;
    for (size_t i = 1; i < ways.size() && ways[i].fits() && ways[i].holds == ways[0].holds; ++i)
      if (alike(ways[i].figures.wrinkles, ways[0].figures.wrinkles) &&
          ways[i].figures.controlPoints < ways[best].figures.controlPoints)
        best = i;
    std::rotate(ways.begin(), ways.begin() + long(best), ways.begin() + long(best) + 1);
    Way& w = ways[0];
    w.best = true;
    const bool second = ways.size() > 1 && ways[1].fits();
    w.reason = !second                                               ? "the only one that fits"
               : w.holds && !ways[1].holds                           ? "the only one that holds all that is asked"
               : alike(w.figures.wrinkles, ways[1].figures.wrinkles) ? "as even as the others, with fewer points"
               : w.holds ? "least wrinkles of those that hold all that is asked"
                         : "least wrinkles, though none holds all that is asked";
  }

  const Registry& registry_;
  const Context& cx_;
  const Model& model_;
  Recipe recipe_;
  Evaluator evaluator_;
  ModelPtr now_;
  int last_ = 0;
};

} // namespace

std::vector<Way> tryWays(const json& picks, const Model& model, const Registry& registry, const Context& cx) {
  return Trial(model, registry, cx).run(picks);
}

json picksForWays(const StepEntry& entry, const Registry& registry, const Model& model) {
  json out = json::array();
  const Step* step = registry.find(entry.kind);
  int id = 0;
  const auto take = [&](const json& list) {
    for (const json& pick : list) {
      json bare = json::object();
      for (const char* own : {"step", "kind", "part", "near"})
        if (pick.contains(own)) bare[own] = pick[own];
      for (const Field& f : portionFields())
        if (pick.contains(f.key)) bare[f.key] = pick[f.key];
      bare["id"] = "p" + std::to_string(++id);
      out.push_back(std::move(bare));
    }
  };
  if (step && step->madeThrough) take(step->madeThrough->picks(*entry.inputs, model));
  if (step && step->crossed)
    for (const std::string& key : {step->crossed->along, step->crossed->across, step->crossed->inside})
      if (!key.empty()) take(entry.inputs->value(key, json::array()));
  return out;
}

json openingOf(const json& pick, const Model& model) {
  json out = json::array();
  const auto edge = follow(pick, Kind::Edge, model);
  if (!edge || !edge->body) return out;
  const auto all = brep::edges(*edge->body);
  const auto indexOf = [&](const TopoDS_Edge& e) {
    return std::find_if(all.begin(), all.end(), [&](const TopoDS_Edge& own) { return own.IsSame(e); }) - all.begin();
  };
  for (const brep::Ring& ring : brep::openRings(edge->body->shape)) {
    if (!ring.closed || std::none_of(ring.edges.begin(), ring.edges.end(), [&](const TopoDS_Edge& e) { return indexOf(e) == edge->index; })) continue;
    for (const TopoDS_Edge& e : ring.edges) {
      const auto i = size_t(indexOf(e));
      PickRef p{edge->step, (edge->output.empty() ? "" : edge->output + "/") + edge->body->edgeNames[i], Kind::Edge};
      p.near = brep::signatureOf(*edge->body, brep::PartKind::Edge, int(i));
      out.push_back(toInput(p));
      out.back()["id"] = "p" + std::to_string(out.size());
    }
  }
  return out;
}

} // namespace lumsk::recipe
