#pragma once
#include <cstddef>

namespace lumsk::nurbs {

// The innermost loops of the layer. On x86-64 each is compiled twice, for any machine and for AVX2 with FMA, and the
// loader takes the one that the processor can run.

/// out[c] = sum over i < count of weight[i] * rows[i * stride + c], for c < width. `out` must not overlap the rows.
void combineRows(const double* rows, std::size_t stride, const double* weight, int count, int width, double* out);

/// x[c] += a * y[c] for c < width. No overlap.
void addScaled(double a, const double* y, double* x, std::size_t width);

/// C += sign A B^T, by columns: A is rows x depth, B columns x depth, C rows x columns; `strideX` from one column of X
/// to the next. C must not overlap A or B. 8 x 4 values stay in registers (Goto & van de Geijn 2008).
void addProduct(double sign, const double* A, std::size_t strideA, const double* B, std::size_t strideB, double* C,
                std::size_t strideC, int rows, int columns, int depth);

} // namespace lumsk::nurbs
