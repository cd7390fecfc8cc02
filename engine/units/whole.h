// SPDX-License-Identifier: GPL-3.0-or-later
// Products of whole numbers of 16 bits, for splitting with instruction sets that sum pairs of them up in one
// go (vectors.h: dot_pairs). Twice as many a cycle as of floats, and exact: only rounding what goes in is
// not.
//
// A row a of A and a column w of B are scaled so that nothing overflows: with |a| and |w| their Euclidean
// lengths, every partial sum is at most |a| |w| (Cauchy and Schwarz). Columns get a length of at most
// kColumnLength and rows one of kRowLength, whose product stays below 2^31 also when both are rounded; at
// that, no value leaves 16 bits. Lengths of rows are known beforehand where a norm or a gate limits them, and
// measured where not. Rounding is then some 80 dB below a row.
#pragma once

#include "engine/units/kernels.h"
#include "engine/units/rows.h"
#include "engine/units/scratch.h"
#include "engine/units/tiles.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

inline constexpr float kRowLength = 32000.0F;
inline constexpr float kColumnLength = 65536.0F;
inline constexpr float kMostWhole = 32767.0F;

RIVLEN_INLINE void round_row(Size count, const float* x, float scale, std::int16_t* out) {
    for (Size j = 0; j < count; j += kLanes) store_rounded(out + j, load(x + j) * scale);
}

// B [depth x columns], rounded: panel after panel as in tiles.h, but two rows (a pair) of a column beside one
// another. scales: what a sum counts, [columns].
struct WholeFactor {
    std::int32_t* pairs;
    float* scales;
};

inline WholeFactor take_whole_factor(Size columns, Size depth, Scratch& s) {
    return {reinterpret_cast<std::int32_t*>(s.take(columns * depth / 2)), s.take(columns)};
}

// b: [columns x depth], a column behind the other, each ldb apart; its values times `weights` [depth] when
// there are any. row_scale: what rows are multiplied with before they are rounded.
inline void pack_whole(Size columns, Size depth, const float* b, Size ldb, const float* weights,
                       float row_scale, const WholeFactor& out, Scratch& s) {
    const Size width = Size{panel_vectors(columns)} * kLanes;
    float* column = s.take(depth);
    auto* rounded = reinterpret_cast<std::int16_t*>(s.take(depth / 2));
    for (Size n = 0; n < columns; ++n) {
        Vec squares{};
        Vec largest = all(1e-20F);
        for (Size k = 0; k < depth; k += kLanes) {
            Vec v = load(b + n * ldb + k);
            if (weights != nullptr) v *= load(weights + k);
            store(column + k, v);
            squares += v * v;
            largest = larger(largest, larger(v, -v));
        }
        const float scale = __builtin_fminf(kMostWhole / largest_of(largest),
                                            kColumnLength / __builtin_sqrtf(sum_of(squares) + 1e-30F));
        out.scales[n] = 1.0F / (scale * row_scale);
        round_row(depth, column, scale, rounded);
        std::int32_t* to = out.pairs + n / width * width * depth / 2 + n % width;
        for (Size k = 0; k < depth / 2; ++k)
            std::memcpy(to + k * width, rounded + 2 * k, sizeof(std::int32_t));
    }
}

// C = A B, times the scales of columns and rows, (+ C, or + bias in every row) for kRows x kVecs vectors.
template <int kRows, int kVecs>
RIVLEN_INLINE void whole_block(Size pairs, const std::int16_t* a, Size lda, const std::int32_t* b,
                               const float* scales, const float* row_scales, float* c, Size ldc, bool add,
                               const float* bias) {
    IntVec sums[kRows][kVecs];
#pragma GCC unroll 32
    for (int r = 0; r < kRows; ++r) {
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) sums[r][v] = IntVec{};
    }
    for (Size k = 0; k < pairs; ++k) {
        IntVec row[kVecs];
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) row[v] = load_whole(b + (k * kVecs + v) * kLanes);
#pragma GCC unroll 32
        for (int r = 0; r < kRows; ++r) {
            std::int32_t pair;
            __builtin_memcpy(&pair, a + r * lda + 2 * k, sizeof pair);
            const IntVec x = IntVec{} + pair;
#pragma GCC unroll 8
            for (int v = 0; v < kVecs; ++v) sums[r][v] = dot_pairs(sums[r][v], x, row[v]);
        }
    }
#pragma GCC unroll 32
    for (int r = 0; r < kRows; ++r) {
        const float row_scale = row_scales != nullptr ? row_scales[r] : 1.0F;
#pragma GCC unroll 8
        for (int v = 0; v < kVecs; ++v) {
            float* to = c + r * ldc + v * kLanes;
            const Vec base = add ? load(to) : bias != nullptr ? load(bias + v * kLanes) : Vec{};
            const Vec sum = __builtin_convertvector(sums[r][v], Vec);
            store(to, fused(sum, load(scales + v * kLanes) * row_scale, base));
        }
    }
}

template <int kVecs, int kRows>
inline void whole_panel(Size rows, Size pairs, const std::int16_t* a, Size lda, const std::int32_t* b,
                        const float* scales, const float* row_scales, float* c, Size ldc, bool add,
                        const float* bias) {
    const auto at = [&](Size r) { return row_scales != nullptr ? row_scales + r : nullptr; };
    Size r = 0;
    for (; r + kRows <= rows; r += kRows)
        whole_block<kRows, kVecs>(pairs, a + r * lda, lda, b, scales, at(r), c + r * ldc, ldc, add, bias);
    for (; r + 2 <= rows; r += 2)
        whole_block<2, kVecs>(pairs, a + r * lda, lda, b, scales, at(r), c + r * ldc, ldc, add, bias);
    if (r < rows)
        whole_block<1, kVecs>(pairs, a + r * lda, lda, b, scales, at(r), c + r * ldc, ldc, add, bias);
}

// C [rows x columns] = A [rows x depth] B (+ C, or + bias [columns]); row_scales [rows], or null.
inline void multiply_whole(Size rows, Size columns, Size depth, const std::int16_t* a, const WholeFactor& b,
                           const float* row_scales, float* c, Size ldc, bool add,
                           const float* bias = nullptr) {
    const int vectors = panel_vectors(columns);
    const Size width = Size{vectors} * kLanes;
    for (Size n = 0; n < columns; n += width) {
        const std::int32_t* from = b.pairs + n * depth / 2;
        const float* scales = b.scales + n;
        const float* offset = bias != nullptr ? bias + n : nullptr;
        if (vectors == 3) {
            whole_panel<3, 8>(rows, depth / 2, a, depth, from, scales, row_scales, c + n, ldc, add, offset);
        } else if (vectors == 4) {
            whole_panel<4, 6>(rows, depth / 2, a, depth, from, scales, row_scales, c + n, ldc, add, offset);
        } else if (vectors == 2) {
            whole_panel<2, 12>(rows, depth / 2, a, depth, from, scales, row_scales, c + n, ldc, add, offset);
        } else {
            whole_panel<1, 16>(rows, depth / 2, a, depth, from, scales, row_scales, c + n, ldc, add, offset);
        }
    }
}

// A row of a layer norm without its weight and bias: its length is at most sqrt(width).
inline float normed_scale(Size width) {
    return kRowLength / __builtin_sqrtf(static_cast<float>(width));
}
RIVLEN_INLINE void norm_row_rounded(Size width, const float* x, float scale, std::int16_t* out) {
    const Moments m = moments_of(width, x);
    const float times = m.scale * scale;
    for (Size j = 0; j < width; j += kLanes) store_rounded(out + j, (load(x + j) - m.mean) * times);
}
// Any row; returns what its values count. An empty one counts nothing.
RIVLEN_INLINE float round_any_row(Size count, const float* x, std::int16_t* out) {
    Vec squares{};
    for (Size j = 0; j < count; j += kLanes) squares += load(x + j) * load(x + j);
    const float length = __builtin_sqrtf(sum_of(squares)) + 1e-20F;
    round_row(count, x, kRowLength / length, out);
    return length / kRowLength;
}

// The bias of a layer behind a norm: its own, and what the norm's adds.
inline void add_norm_bias(Size columns, Size depth, const float* b, Size ldb, const float* norm_bias,
                          float* bias) {
    for (Size n = 0; n < columns; ++n) {
        Vec sum{};
        for (Size k = 0; k < depth; k += kLanes) sum += load(b + n * ldb + k) * load(norm_bias + k);
        bias[n] += sum_of(sum);
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
