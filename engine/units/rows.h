// SPDX-License-Identifier: GPL-3.0-or-later
// Work on rows of features that is no matrix product, for one instruction set.
#pragma once

#include "engine/units/kernels.h"
#include "engine/units/vectors.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

struct Moments {
    float mean, scale;  // scale = 1 / sqrt(variance + epsilon)
};
RIVLEN_INLINE Moments moments_of(Size width, const float* x) {
    constexpr float kEpsilon = 1e-5F;  // as torch's layer norm
    Vec sum{};
    Vec squares{};
    for (Size j = 0; j < width; j += kLanes) {
        const Vec v = load(x + j);
        sum += v;
        squares += v * v;
    }
    const auto count = static_cast<float>(width);
    const float mean = sum_of(sum) / count;
    const float variance = sum_of(squares) / count - mean * mean;
    return {mean, 1.0F / __builtin_sqrtf((variance > 0.0F ? variance : 0.0F) + kEpsilon)};
}
RIVLEN_INLINE void norm_row(Size width, const float* x, const Norm<const float>& norm, float* y) {
    const Moments m = moments_of(width, x);
    for (Size j = 0; j < width; j += kLanes) {
        const Vec v = (load(x + j) - m.mean) * m.scale;
        store(y + j, v * load(norm.weight + j) + load(norm.bias + j));
    }
}
// dx = base + the slope of x for the slope dy of its norm; gradients of weight and bias are added to. dx may
// be base.
RIVLEN_INLINE void norm_row_gradients(Size width, const float* x, const Norm<const float>& norm,
                                      const float* dy, const float* base, float* dx,
                                      const Norm<float>& gradients) {
    const Moments m = moments_of(width, x);
    Vec sum{};
    Vec along{};
    for (Size j = 0; j < width; j += kLanes) {
        const Vec v = (load(x + j) - m.mean) * m.scale;
        const Vec d = load(dy + j);
        store(gradients.bias + j, load(gradients.bias + j) + d);
        store(gradients.weight + j, load(gradients.weight + j) + d * v);
        const Vec e = d * load(norm.weight + j);
        sum += e;
        along += e * v;
    }
    const auto count = static_cast<float>(width);
    const float mean = sum_of(sum) / count;
    const float mean_along = sum_of(along) / count;
    for (Size j = 0; j < width; j += kLanes) {
        const Vec v = (load(x + j) - m.mean) * m.scale;
        const Vec e = load(dy + j) * load(norm.weight + j);
        store(dx + j, load(base + j) + (e - v * mean_along - mean) * m.scale);
    }
}

RIVLEN_INLINE void add_rows(Size count, const float* a, const float* b, float* out) {
    for (Size j = 0; j < count; j += kLanes) store(out + j, load(a + j) + load(b + j));
}
RIVLEN_INLINE void copy_row(Size count, const float* from, float* to) {
    for (Size j = 0; j < count; j += kLanes) store(to + j, load(from + j));
}
// The bands of a patch, of which there are few: four at a time.
RIVLEN_INLINE void copy_bands(Size count, const float* from, float* to) {
    constexpr Size kFew = 4;
    Size j = 0;
    for (; j + kFew <= count; j += kFew) __builtin_memcpy(to + j, from + j, kFew * sizeof(float));
    for (; j < count; ++j) to[j] = from[j];
}
RIVLEN_INLINE void clear(Size count, float* to) {
    for (Size j = 0; j < count; j += kLanes) store(to + j, Vec{});
}
RIVLEN_INLINE void rectify(Size count, float* x) {
    for (Size j = 0; j < count; j += kLanes) store(x + j, larger(load(x + j), Vec{}));
}
// Slopes pass where the rectified value is above nothing.
RIVLEN_INLINE void rectify_gradients(Size count, const float* rectified, float* gradients) {
    for (Size j = 0; j < count; j += kLanes) {
        const Vec on = load(rectified + j);
        store(gradients + j, on > Vec{} ? load(gradients + j) : Vec{});
    }
}
// sums [columns] += sum of the rows of a.
inline void add_column_sums(Size rows, Size columns, const float* a, Size lda, float* sums) {
    for (Size j = 0; j < columns; j += kLanes) {
        Vec sum = load(sums + j);
        for (Size r = 0; r < rows; ++r) sum += load(a + r * lda + j);
        store(sums + j, sum);
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
