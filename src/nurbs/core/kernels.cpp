#include "nurbs/core/kernels.h"

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(__SANITIZE_ADDRESS__)
#define LUMSK_BY_PROCESSOR __attribute__((target_clones("arch=x86-64-v3", "default")))
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

namespace {

/// R x C values of a product at once: they stay in registers.
template <int R, int C>
[[gnu::always_inline]] inline void productTile(double sign, const double* __restrict A, std::size_t strideA,
                                               const double* __restrict B, std::size_t strideB, double* __restrict out,
                                               std::size_t strideC, int depth) {
  double sum[C][R] = {};
  for (int k = 0; k < depth; ++k) {
    const double* a = A + std::size_t(k) * strideA;
    const double* b = B + std::size_t(k) * strideB;
    for (int c = 0; c < C; ++c)
      for (int r = 0; r < R; ++r) sum[c][r] += a[r] * b[c];
  }
  for (int c = 0; c < C; ++c)
    for (int r = 0; r < R; ++r) out[std::size_t(c) * strideC + std::size_t(r)] += sign * sum[c][r];
}

/// C columns, all rows.
template <int C>
[[gnu::always_inline]] inline void productColumns(double sign, const double* A, std::size_t strideA, const double* B,
                                                  std::size_t strideB, double* out, std::size_t strideC, int rows,
                                                  int depth) {
  int r = 0;
  for (; r + 8 <= rows; r += 8) productTile<8, C>(sign, A + r, strideA, B, strideB, out + r, strideC, depth);
  if (r + 4 <= rows) productTile<4, C>(sign, A + r, strideA, B, strideB, out + r, strideC, depth), r += 4;
  if (r + 2 <= rows) productTile<2, C>(sign, A + r, strideA, B, strideB, out + r, strideC, depth), r += 2;
  if (r < rows) productTile<1, C>(sign, A + r, strideA, B, strideB, out + r, strideC, depth);
}

} // namespace

LUMSK_BY_PROCESSOR
void addProduct(double sign, const double* A, std::size_t strideA, const double* B, std::size_t strideB, double* C,
                std::size_t strideC, int rows, int columns, int depth) {
  int c = 0;
  for (; c + 4 <= columns; c += 4)
    productColumns<4>(sign, A, strideA, B + c, strideB, C + std::size_t(c) * strideC, strideC, rows, depth);
  if (c + 2 <= columns)
    productColumns<2>(sign, A, strideA, B + c, strideB, C + std::size_t(c) * strideC, strideC, rows, depth), c += 2;
  if (c < columns)
    productColumns<1>(sign, A, strideA, B + c, strideB, C + std::size_t(c) * strideC, strideC, rows, depth);
}

} // namespace lumsk::nurbs
