#pragma once
#include <cstddef>

namespace lumsk::nurbs {

// The innermost loops of the layer. On x86-64 each is compiled twice, for any machine and for AVX2 with FMA, and the
// loader takes the one that the processor can run.

/// out[c] = sum over i < count of weight[i] * rows[i * stride + c], for c < width. `out` must not overlap the rows.
void combineRows(const double* rows, std::size_t stride, const double* weight, int count, int width, double* out);

/// x[c] += a * y[c] for c < width. No overlap.
void addScaled(double a, const double* y, double* x, std::size_t width);

} // namespace lumsk::nurbs
