#include "recipe/cache.h"

namespace lumsk::recipe {

size_t sizeOf(const Outcome& o) {
  size_t n = 1024;
  for (const Output& out : o.outputs) {
    if (const auto* body = std::get_if<brep::BodyPtr>(&out.object)) {
      n += 4096 * (*body)->faceNames.size();
      // The spline is held twice: ours and the kernel's, with its parameter curves.
      for (const auto& [name, f] : (*body)->natural) n += size_t(f.surface->controlPoints()) * 96;
    } else if (const auto* picture = std::get_if<PictureObject>(&out.object)) {
      n += picture->image->rgba.size();
    } else if (const auto* ghost = std::get_if<GhostPtr>(&out.object)) {
      n += (*ghost)->mesh->points.size() * 48 + (*ghost)->mesh->triangles.size() * 12;
    } else if (const auto* curve = std::get_if<CurvePtr>(&out.object)) {
      for (const auto& s : (*curve)->segments())
        n += std::holds_alternative<nurbs::Spline>(s) ? size_t(std::get<nurbs::Spline>(s).size()) * 40 : 200;
    }
  }
  return n;
}

std::optional<Known> Cache::find(const std::string& key) {
  const std::lock_guard lock(mutex_);
  const auto it = index_.find(key);
  if (it == index_.end()) return {};
  entries_.splice(entries_.begin(), entries_, it->second);
  return it->second->known;
}

void Cache::put(const std::string& key, Known known) {
  const std::lock_guard lock(mutex_);
  if (index_.count(key)) return;
  const size_t n = known.outcome ? sizeOf(*known.outcome) : sizeof(Known) + sizeof(Problem);
  entries_.push_front({key, std::move(known), n});
  index_[key] = entries_.begin();
  bytes_ += n;
  while (bytes_ > limit_ && entries_.size() > 1) {
    bytes_ -= entries_.back().bytes;
    index_.erase(entries_.back().key);
    entries_.pop_back();
  }
}

size_t Cache::bytes() const {
  const std::lock_guard lock(mutex_);
  return bytes_;
}

} // namespace lumsk::recipe
