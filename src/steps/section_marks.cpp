#include "steps/section_marks.h"

#include "recipe/rails.h"

namespace lumsk::steps {

using namespace recipe;

std::vector<nurbs::Section> sectionsOf(const Inputs& in, const std::string& key,
                                       const std::vector<PickedSection>& picked) {
  std::vector<nurbs::Section> out;
  for (const PickedSection& p : picked) {
    nurbs::Section s;
    if (p.point)
      s.shape = *p.point;
    else
      s.shape = *p.curve;
    s.start = in.itemNumber(key, p.places.front(), "start");
    s.flip = in.itemOn(key, p.places.front(), "flip");
    out.push_back(std::move(s));
  }
  return out;
}

std::vector<NamedPair> pairsOf(const Inputs& in, const std::vector<PickedSection>& picked) {
  const auto ids = in.rowIds("pairs");
  const auto at = in.column("pairs", "at");
  std::vector<NamedPair> out;
  for (size_t r = 0; r < ids.size(); ++r) {
    const auto [name, item] = railRow(ids[r]);
    const auto section =
        std::find_if(picked.begin(), picked.end(), [&, i = item](const PickedSection& p) { return p.item == i; });
    if (section == picked.end()) continue; // its section was taken out: the row waits for it
    auto line = std::find_if(out.begin(), out.end(), [&, n = name](const NamedPair& p) { return p.name == n; });
    if (line == out.end()) line = out.insert(out.end(), {name, nurbs::PairLine(picked.size())});
    line->at[size_t(section - picked.begin())] = at[r];
  }
  return out;
}

void showPairs(Outcome& out, const std::vector<NamedPair>& pairs, const std::vector<nurbs::Section>& sections,
               const nurbs::Alignment& a, const std::vector<PickedSection>& picked) {
  for (size_t i = 0; i < sections.size(); ++i)
    if (sections[i].path()) out.marks.add(Rail{"pairs", picked[i].item, picked[i].curve});
  for (const NamedPair& p : pairs) {
    size_t first = 0;
    while (first < p.at.size() && !p.at[first]) ++first;
    const nurbs::LoftPlace place = nurbs::loftPlace(a.sections[first], a.closed, *p.at[first]);
    std::vector<Vec3> line;
    for (size_t i = 0; i < sections.size(); ++i) {
      const nurbs::Path* path = sections[i].path();
      if (!path) {
        line.push_back(*sections[i].point());
        continue;
      }
      const double f = p.at[i] ? *p.at[i] : nurbs::ownFraction(a.sections[i], a.closed, place);
      Grip g{"pairs", railRowId({p.name, picked[i].item}), path->at(nurbs::ArcLength(*path).parameterAtFraction(f))};
      g.moved = p.at[i].has_value();
      g.on = picked[i].curve;
      line.push_back(g.at);
      out.marks.add(std::move(g));
    }
    out.marks.add(NetLine{std::move(line)});
  }
}

std::vector<Flag> sectionFlags(const std::vector<nurbs::Section>& sections, const nurbs::Alignment& alignment,
                               const std::vector<PickedSection>& picked) {
  std::vector<Flag> out;
  for (size_t i = 0; i < sections.size(); ++i) {
    Flag f;
    f.field = "sections";
    f.item = picked[i].item;
    if (const nurbs::Path* p = sections[i].path()) {
      const nurbs::ArcLength length(*p);
      const auto& a = alignment.sections[i];
      f.at = nurbs::alignedPoint(sections[i], length, a, 0.0);
      f.direction = (nurbs::alignedPoint(sections[i], length, a, 0.004) - f.at).normalized();
      f.startMovable = alignment.closed;
    } else {
      f.at = *sections[i].point();
    }
    out.push_back(f);
  }
  return out;
}

void noteAlignment(Outcome& out, const nurbs::Alignment& alignment) {
  std::string directions, starts;
  for (size_t i = 0; i < alignment.sections.size(); ++i) {
    if (alignment.sections[i].changedDirection)
      directions += (directions.empty() ? "" : ", ") + std::to_string(i + 1);
    if (alignment.sections[i].changedStart) starts += (starts.empty() ? "" : ", ") + std::to_string(i + 1);
  }
  if (!directions.empty())
    out.notes.push_back(problem("LM-L101", "turned the direction of section " + directions + " for least twist"));
  if (!starts.empty())
    out.notes.push_back(problem("LM-L102", "moved the start of section " + starts + " for least twist"));
}

} // namespace lumsk::steps
