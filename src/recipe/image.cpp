#include "recipe/image.h"

#include <cstdio> // before the next, which needs it
#include <cstring>
#include <jpeglib.h>
#include <png.h>
#include <stb/stb_image.h>

#include <algorithm>
#include <stdexcept>

namespace lumsk::recipe {

namespace {

constexpr std::int64_t kMostPixels = 400'000'000;     ///< read row by row
constexpr std::int64_t kMostPixelsAtOnce = 67'108'864; ///< where all of it has to be in memory: 8192 x 8192
constexpr int kMostSide = 8192;                        ///< of what is kept

constexpr int kMostPasses = 100; ///< of a JPEG: each goes over the whole picture

/// Goes through the libraries' own functions, which Debian builds with tables for that.
struct Broken : std::runtime_error {
  using runtime_error::runtime_error;
};
struct TooLarge {};

void checkSize(std::int64_t width, std::int64_t height, std::int64_t most) {
  if (width < 1 || height < 1) throw Broken("it has no size");
  if (width > most / height) throw TooLarge();
}

/// Takes rows one by one and keeps the means of square blocks of their pixels, weighted by their opacity.
class Shrinker {
public:
  Shrinker(int width, int height, int most) : width_(width), height_(height) {
    while (std::max(width, height) / by_ > most) ++by_;
    out_.width = (width + by_ - 1) / by_, out_.height = (height + by_ - 1) / by_;
    out_.rgba.resize(size_t(out_.width) * size_t(out_.height) * 4);
    sums_.resize(size_t(out_.width) * 4);
  }
  void add(const unsigned char* rgba) {
    for (int x = 0; x < width_; ++x, rgba += 4) {
      std::uint64_t* s = &sums_[size_t(x / by_) * 4];
      for (int c = 0; c < 3; ++c) s[c] += std::uint64_t(rgba[c]) * rgba[3];
      s[3] += rgba[3];
    }
    if (++row_ % by_ == 0 || row_ == height_) flush();
  }
  Image done() { return std::move(out_); }

private:
  void flush() {
    const int first = (row_ - 1) / by_ * by_, rows = row_ - first;
    unsigned char* q = &out_.rgba[size_t(first / by_) * size_t(out_.width) * 4];
    for (int x = 0; x < out_.width; ++x, q += 4) {
      const std::uint64_t* s = &sums_[size_t(x) * 4];
      const int columns = std::min(by_, width_ - x * by_);
      for (int c = 0; c < 3; ++c) q[c] = s[3] ? static_cast<unsigned char>(s[c] / s[3]) : 255;
      q[3] = static_cast<unsigned char>(s[3] / std::uint64_t(rows * columns));
    }
    std::fill(sums_.begin(), sums_.end(), 0);
  }

  int width_, height_, by_ = 1, row_ = 0;
  std::vector<std::uint64_t> sums_;
  Image out_;
};

// PNG (ISO/IEC 15948) ------------------------------------------------------------------------------------------------

struct PngInput {
  const std::string& bytes;
  size_t at = 0;
};

Image readPng(const std::string& bytes, int most) {
  PngInput in{bytes};
  png_structp png = png_create_read_struct(
      PNG_LIBPNG_VER_STRING, nullptr, [](png_structp, png_const_charp why) { throw Broken(why); }, [](png_structp, png_const_charp) {});
  png_infop info = png ? png_create_info_struct(png) : nullptr;
  struct Guard {
    png_structp& png;
    png_infop& info;
    ~Guard() { png_destroy_read_struct(&png, &info, nullptr); }
  } guard{png, info};
  if (!info) throw Broken("there is no memory");
  png_set_user_limits(png, 1'000'000, 1'000'000);
  png_set_chunk_malloc_max(png, 64 << 20); // of texts and profiles, packed as they may be
  png_set_read_fn(png, &in, [](png_structp p, png_bytep to, size_t size) {
    auto& from = *static_cast<PngInput*>(png_get_io_ptr(p));
    if (size > from.bytes.size() - from.at) throw Broken("it is cut off");
    std::memcpy(to, from.bytes.data() + from.at, size);
    from.at += size;
  });
  png_read_info(png, info);
  const auto width = png_get_image_width(png, info), height = png_get_image_height(png, info);
  const bool interlaced = png_get_interlace_type(png, info) != PNG_INTERLACE_NONE;
  checkSize(width, height, interlaced ? kMostPixelsAtOnce : kMostPixels);
  png_set_expand(png);
  png_set_scale_16(png);
  png_set_gray_to_rgb(png);
  png_set_add_alpha(png, 255, PNG_FILLER_AFTER);
  if (interlaced) png_set_interlace_handling(png);
  png_read_update_info(png, info);
  const size_t row = png_get_rowbytes(png, info);
  if (row != size_t(width) * 4) throw Broken("its pixels are of an unknown kind");
  Shrinker out(int(width), int(height), most);
  std::vector<unsigned char> all(interlaced ? row * height : row);
  if (interlaced) {
    std::vector<png_bytep> rows(height);
    for (size_t y = 0; y < height; ++y) rows[y] = &all[y * row];
    png_read_image(png, rows.data());
  }
  for (size_t y = 0; y < height; ++y) {
    if (!interlaced) png_read_row(png, all.data(), nullptr);
    out.add(&all[interlaced ? y * row : 0]);
  }
  png_read_end(png, nullptr); // with the sums of what follows
  return out.done();
}

// JPEG (ISO/IEC 10918) -----------------------------------------------------------------------------------------------

Image readJpeg(const std::string& bytes, int most) {
  jpeg_error_mgr errors;
  jpeg_decompress_struct jpeg{};
  jpeg.err = jpeg_std_error(&errors);
  errors.error_exit = [](j_common_ptr j) {
    char why[JMSG_LENGTH_MAX];
    j->err->format_message(j, why);
    throw Broken(why);
  };
  errors.output_message = [](j_common_ptr) {};
  // A warning stands for data that had to be made up.
  errors.emit_message = [](j_common_ptr j, int level) {
    if (level < 0) j->err->error_exit(j);
  };
  struct Guard {
    jpeg_decompress_struct& jpeg;
    ~Guard() { jpeg_destroy_decompress(&jpeg); }
  } guard{jpeg};
  jpeg_create_decompress(&jpeg);
  jpeg.mem->max_memory_to_use = long(600) << 20;
  jpeg_progress_mgr progress{};
  progress.progress_monitor = [](j_common_ptr j) {
    if (reinterpret_cast<j_decompress_ptr>(j)->input_scan_number > kMostPasses) throw Broken("it has too many passes");
  };
  jpeg.progress = &progress;
  jpeg_mem_src(&jpeg, reinterpret_cast<const unsigned char*>(bytes.data()), static_cast<unsigned long>(bytes.size()));
  jpeg_read_header(&jpeg, TRUE);
  // Those in several passes need all coefficients at once, two bytes each.
  checkSize(jpeg.image_width, jpeg.image_height, jpeg.progressive_mode ? kMostPixelsAtOnce : kMostPixels);
  jpeg.out_color_space = JCS_EXT_RGBA;
  if (jpeg.jpeg_color_space == JCS_CMYK || jpeg.jpeg_color_space == JCS_YCCK) throw Broken("its colours are for printing presses");
  jpeg.scale_num = 1, jpeg.scale_denom = 1;
  while (jpeg.scale_denom < 8 && int(std::max(jpeg.image_width, jpeg.image_height) / (jpeg.scale_denom * 2)) >= most) jpeg.scale_denom *= 2;
  jpeg_start_decompress(&jpeg);
  Shrinker out(int(jpeg.output_width), int(jpeg.output_height), most);
  std::vector<unsigned char> row(size_t(jpeg.output_width) * 4);
  while (jpeg.output_scanline < jpeg.output_height) {
    unsigned char* to = row.data();
    jpeg_read_scanlines(&jpeg, &to, 1);
    out.add(row.data());
  }
  jpeg_finish_decompress(&jpeg);
  return out.done();
}

// Others -------------------------------------------------------------------------------------------------------------

/// Gives the bytes out and notices when more are asked for.
struct Counted {
  const std::string& bytes;
  size_t at = 0;
  bool beyond = false;
};
const stbi_io_callbacks kCounted{[](void* user, char* to, int size) {
                                   auto& in = *static_cast<Counted*>(user);
                                   const size_t n = std::min(size_t(std::max(0, size)), in.bytes.size() - in.at);
                                   std::memcpy(to, in.bytes.data() + in.at, n);
                                   in.at += n;
                                   in.beyond = in.beyond || (n == 0 && size > 0);
                                   return int(n);
                                 },
                                 [](void* user, int by) {
                                   auto& in = *static_cast<Counted*>(user);
                                   if (by > 0 && size_t(by) > in.bytes.size() - in.at) in.beyond = true;
                                   in.at = by < 0 ? in.at - std::min(in.at, size_t(-std::int64_t(by))) : std::min(in.bytes.size(), in.at + size_t(by));
                                 },
                                 [](void* user) {
                                   auto& in = *static_cast<Counted*>(user);
                                   return int(in.at >= in.bytes.size());
                                 }};

Image readOther(const std::string& bytes, int most) {
  Counted in{bytes};
  int width = 0, height = 0, channels = 0;
  if (!stbi_info_from_callbacks(&kCounted, &in, &width, &height, &channels)) throw Broken(stbi_failure_reason());
  checkSize(width, height, kMostPixelsAtOnce);
  in.at = 0, in.beyond = false;
  const std::unique_ptr<unsigned char, void (*)(void*)> pixels(stbi_load_from_callbacks(&kCounted, &in, &width, &height, &channels, 4), stbi_image_free);
  if (!pixels) throw Broken(stbi_failure_reason());
  if (in.beyond) throw Broken("it is cut off");
  Shrinker out(width, height, most);
  for (int y = 0; y < height; ++y) out.add(pixels.get() + size_t(y) * size_t(width) * 4);
  return out.done();
}

} // namespace

Expected<Image> readImage(const std::string& bytes, const std::string& name, int most) {
  most = std::clamp(most, 1, kMostSide);
  try {
    if (bytes.rfind("\x89PNG\r\n\x1a\n", 0) == 0) return readPng(bytes, most);
    if (bytes.rfind("\xff\xd8\xff", 0) == 0) return readJpeg(bytes, most);
    return readOther(bytes, most);
  } catch (const TooLarge&) {
    return fail(problem("LM-I011", "'" + name + "' has too many pixels")
                    .tryThis("make it smaller: up to 400 million as PNG or JPEG, else 67 million (8192 x 8192)"));
  } catch (const std::exception& e) {
    return fail(problem("LM-I010", "'" + name + "' cannot be read as a picture (" + e.what() + ")").tryThis("save it as PNG or JPEG"));
  }
}

} // namespace lumsk::recipe
