// SPDX-License-Identifier: GPL-3.0-or-later
// Matrix products of tiles that lie in a core's own cache, for one instruction set (vectors.h). Row-major
// everywhere; lda, ldb, ldc are floats from one row to the next. Columns of B and C come in multiples of 16.
//
// Form: a block of C (rows x vectors of columns) stays in registers while it runs over K, as in Goto and van
// de Geijn, "Anatomy of high-performance matrix multiplication", 2008; there is no blocking above that, since
// everything is small. The columns of B that belong to such a block (a panel) lie together when B is packed.
#pragma once

#include "engine/units/vectors.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

using Size = std::int64_t;

// How an element of A is found: A[row * row_stride + k * k_stride]. As it is: {lda, 1}; transposed: {1, lda}.
struct Strides {
    Size row, k;
};

// C = A B (+ C, or + bias in every row) for kRows x kVecs vectors of C.
template <int kRows, int kVecs>
RIVLEN_INLINE void block(Size depth, const float* a, Strides as, const float* b, Size ldb, float* c, Size ldc,
                         bool add, const float* bias) {
    Vec sums[kRows][kVecs];
#pragma GCC unroll 32
    for (int r = 0; r < kRows; ++r) {
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) {
            sums[r][v] = add               ? load(c + r * ldc + v * kLanes)
                         : bias != nullptr ? load(bias + v * kLanes)
                                           : Vec{};
        }
    }
    for (Size k = 0; k < depth; ++k) {
        Vec row[kVecs];
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) row[v] = load(b + k * ldb + v * kLanes);
#pragma GCC unroll 32
        for (int r = 0; r < kRows; ++r) {
            const Vec x = all(a[r * as.row + k * as.k]);
#pragma GCC unroll 8
            for (int v = 0; v < kVecs; ++v) sums[r][v] += x * row[v];
        }
    }
#pragma GCC unroll 32
    for (int r = 0; r < kRows; ++r) {
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) store(c + r * ldc + v * kLanes, sums[r][v]);
    }
}

template <int kVecs, int kRows>
inline void panel(Size rows, Size depth, const float* a, Strides as, const float* b, Size ldb, float* c,
                  Size ldc, bool add, const float* bias) {
    Size r = 0;
    for (; r + kRows <= rows; r += kRows)
        block<kRows, kVecs>(depth, a + r * as.row, as, b, ldb, c + r * ldc, ldc, add, bias);
    if constexpr (kRows > 4) {
        for (; r + 4 <= rows; r += 4)
            block<4, kVecs>(depth, a + r * as.row, as, b, ldb, c + r * ldc, ldc, add, bias);
    }
    for (; r + 2 <= rows; r += 2)
        block<2, kVecs>(depth, a + r * as.row, as, b, ldb, c + r * ldc, ldc, add, bias);
    if (r < rows) block<1, kVecs>(depth, a + r * as.row, as, b, ldb, c + r * ldc, ldc, add, bias);
}

// Vectors of a panel for so many columns.
constexpr int panel_vectors(Size columns) {
    if (columns % (3 * kLanes) == 0) return 3;
    if (kRegisters == 32 && columns % (4 * kLanes) == 0) return 4;
    return columns % (2 * kLanes) == 0 ? 2 : 1;
}

// B: packed, panel after panel (pack()), or as it is.
struct Factor {
    const float* values;
    Size ld;  // 0: packed
};

// C [rows x columns] = A [rows x depth] B [depth x columns] (+ C, or + bias [columns]).
inline void multiply(Size rows, Size columns, Size depth, const float* a, Strides as, Factor b, float* c,
                     Size ldc, bool add, const float* bias = nullptr) {
    constexpr bool kMany = kRegisters == 32;
    const int vectors = panel_vectors(columns);
    const Size width = Size{vectors} * kLanes;
    for (Size n = 0; n < columns; n += width) {
        const float* from = b.values + (b.ld == 0 ? n * depth : n);
        const Size ldb = b.ld == 0 ? width : b.ld;
        const float* offset = bias != nullptr ? bias + n : nullptr;
        float* to = c + n;
        if (vectors == 3) {
            panel<3, kMany ? 8 : 4>(rows, depth, a, as, from, ldb, to, ldc, add, offset);
        } else if (vectors == 4) {
            panel<4, kMany ? 6 : 2>(rows, depth, a, as, from, ldb, to, ldc, add, offset);
        } else if (vectors == 2) {
            panel<2, kMany ? 12 : 4>(rows, depth, a, as, from, ldb, to, ldc, add, offset);
        } else {
            panel<1, kMany ? 16 : 8>(rows, depth, a, as, from, ldb, to, ldc, add, offset);
        }
    }
}

// C [m x n] += A^T B over `rows` rows of A [rows x m] and B [rows x n], in runs of rows that stay in L1.
inline void add_transposed_product(Size m, Size n, Size rows, const float* a, Size lda, const float* b,
                                   Size ldb, float* c, Size ldc) {
    constexpr Size kRun = 64;
    for (Size first = 0; first < rows; first += kRun) {
        const Size run = rows - first < kRun ? rows - first : kRun;
        multiply(m, n, run, a + first * lda, {1, lda}, {b + first * ldb, ldb}, c, ldc, true);
    }
}

// B [depth x columns] to panels in `out`; `transposed` when it is given as [columns x depth].
inline void pack(Size columns, Size depth, const float* b, Size ldb, bool transposed, float* out) {
    const Size width = Size{panel_vectors(columns)} * kLanes;
    for (Size n = 0; n < columns; n += width) {
        for (Size k = 0; k < depth; ++k) {
            for (Size j = 0; j < width; ++j) *out++ = transposed ? b[(n + j) * ldb + k] : b[k * ldb + n + j];
        }
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
