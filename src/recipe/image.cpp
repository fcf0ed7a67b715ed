#include "recipe/image.h"

#include <stb/stb_image.h>

namespace lumsk::recipe {

namespace {

/// Half as wide and high: every pixel the mean of four, weighted by their opacity.
Image halved(const Image& in) {
  Image out{std::max(1, in.width / 2), std::max(1, in.height / 2), {}};
  out.rgba.resize(size_t(out.width) * size_t(out.height) * 4);
  for (int y = 0; y < out.height; ++y)
    for (int x = 0; x < out.width; ++x) {
      unsigned sum[4] = {0, 0, 0, 0};
      for (int k = 0; k < 4; ++k) {
        const int sx = std::min(in.width - 1, 2 * x + k % 2), sy = std::min(in.height - 1, 2 * y + k / 2);
        const unsigned char* p = &in.rgba[(size_t(sy) * size_t(in.width) + size_t(sx)) * 4];
        for (int c = 0; c < 3; ++c) sum[c] += unsigned(p[c]) * p[3];
        sum[3] += p[3];
      }
      unsigned char* q = &out.rgba[(size_t(y) * size_t(out.width) + size_t(x)) * 4];
      for (int c = 0; c < 3; ++c) q[c] = sum[3] ? static_cast<unsigned char>(sum[c] / sum[3]) : 255;
      q[3] = static_cast<unsigned char>(sum[3] / 4);
    }
  return out;
}

} // namespace

Expected<Image> readImage(const std::string& bytes, const std::string& name, int most) {
  const auto* data = reinterpret_cast<const unsigned char*>(bytes.data());
  Image out;
  int channels = 0;
  const auto broken = [&](const std::string& why) {
    return fail(problem("LM-I010", "'" + name + "' cannot be read as a picture (" + why + ")")
                    .tryThis("save it as PNG or JPEG"));
  };
  if (!stbi_info_from_memory(data, int(bytes.size()), &out.width, &out.height, &channels))
    return broken(stbi_failure_reason());
  if (std::int64_t(out.width) * out.height > 200'000'000)
    return fail(problem("LM-I011", "'" + name + "' has too many pixels").tryThis("make it smaller than 200 million"));
  unsigned char* pixels = stbi_load_from_memory(data, int(bytes.size()), &out.width, &out.height, &channels, 4);
  if (!pixels) return broken(stbi_failure_reason());
  out.rgba.assign(pixels, pixels + size_t(out.width) * size_t(out.height) * 4);
  stbi_image_free(pixels);
  while (std::max(out.width, out.height) > most) out = halved(out);
  return out;
}

} // namespace lumsk::recipe
