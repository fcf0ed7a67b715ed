#include "nurbs/kernels.h"

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__)
#define LUMSK_BY_PROCESSOR __attribute__((target_clones("arch=haswell", "default")))
#else
#define LUMSK_BY_PROCESSOR
#endif

namespace lumsk::nurbs {

LUMSK_BY_PROCESSOR
void combineRows(const double* __restrict rows, std::size_t stride, const double* __restrict weight, int count,
                 int width, double* __restrict out) {
  for (int c = 0; c < width; ++c) out[c] = weight[0] * rows[c];
  for (int i = 1; i < count; ++i) {
    const double w = weight[i];
    const double* row = rows + std::size_t(i) * stride;
    for (int c = 0; c < width; ++c) out[c] += w * row[c];
  }
}

LUMSK_BY_PROCESSOR
void addScaled(double a, const double* __restrict y, double* __restrict x, std::size_t width) {
  for (std::size_t c = 0; c < width; ++c) x[c] += a * y[c];
}

} // namespace lumsk::nurbs
