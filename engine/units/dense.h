// SPDX-License-Identifier: GPL-3.0-or-later
// The units that take every position by itself (perceptron, embedding, head), and the products of the
// optimiser, for one instruction set.
#pragma once

#include "engine/units/kernels.h"
#include "engine/units/rows.h"
#include "engine/units/scratch.h"
#include "engine/units/tiles.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

inline constexpr Size kRows = 384;  // of a tile of rows that do not depend on each other
inline constexpr Size kStemCount = 4;

inline Size tile_rows(Size first, Size rows) {
    return rows - first < kRows ? rows - first : kRows;
}

inline void perceptron(Size rows, const Perceptron<const float>& unit, const float* x, float* out,
                       float* hidden) {
    const Size w = unit.width;
    const Size m = unit.inner;
    Scratch& s = scratch();
    float* up = s.take(w * m);
    float* down = s.take(w * m);
    pack(m, w, unit.up_weight, w, true, up);
    pack(w, m, unit.out_weight, m, true, down);
    float* y = s.take(kRows * w);
    float* h = s.take(kRows * m);
    for (Size first = 0; first < rows; first += kRows) {
        const Size n = tile_rows(first, rows);
        const float* in = x + first * w;
        if (hidden != nullptr) h = hidden + first * m;
        for (Size r = 0; r < n; ++r) norm_row(w, in + r * w, unit.norm, y + r * w);
        multiply(n, m, w, y, {w, 1}, {up, 0}, h, m, false, unit.up_bias);
        rectify(n * m, h);
        multiply(n, w, m, h, {m, 1}, {down, 0}, y, w, false, unit.out_bias);
        add_rows(n * w, in, y, out + first * w);
    }
}

inline void perceptron_gradients(Size rows, const Perceptron<const float>& unit, const float* x,
                                 const float* hidden, const float* dout, float* dx,
                                 const Perceptron<float>& gradients) {
    const Size w = unit.width;
    const Size m = unit.inner;
    Scratch& s = scratch();
    float* up = s.take(w * m);
    float* down = s.take(w * m);
    pack(w, m, unit.up_weight, w, false, up);
    pack(m, w, unit.out_weight, m, false, down);
    float* y = s.take(kRows * w);
    float* dy = s.take(kRows * w);
    float* dh = s.take(kRows * m);
    for (Size first = 0; first < rows; first += kRows) {
        const Size n = tile_rows(first, rows);
        const float* in = x + first * w;
        const float* d = dout + first * w;
        const float* h = hidden + first * m;
        for (Size r = 0; r < n; ++r) norm_row(w, in + r * w, unit.norm, y + r * w);
        multiply(n, m, w, d, {w, 1}, {down, 0}, dh, m, false);
        rectify_gradients(n * m, h, dh);
        add_transposed_product(w, m, n, d, w, h, m, gradients.out_weight, m);
        add_transposed_product(m, w, n, dh, m, y, w, gradients.up_weight, w);
        add_column_sums(n, w, d, w, gradients.out_bias);
        add_column_sums(n, m, dh, m, gradients.up_bias);
        multiply(n, w, m, dh, {m, 1}, {up, 0}, dy, w, false);
        for (Size r = 0; r < n; ++r)
            norm_row_gradients(w, in + r * w, unit.norm, dy + r * w, d + r * w, dx + (first + r) * w,
                               gradients.norm);
    }
}

// The patch at a band position of one step of a clip: frames x channels x bands.
inline void take_patch(const Patches& p, const float* features, Size clip, Size step, Size position,
                       float* out) {
    for (Size f = 0; f < p.patch_frames; ++f) {
        const Size frame = step * p.patch_frames + f;
        for (Size channel = 0; channel < p.channels; ++channel, out += p.patch_bands) {
            const float* from = features + ((clip * p.frames + frame) * p.kinds + channel) * p.bands +
                                position * p.patch_bands;
            if (frame < p.frames) {
                copy_bands(p.patch_bands, from, out);
            } else {
                for (Size b = 0; b < p.patch_bands; ++b) out[b] = 0.0F;
            }
        }
    }
}

inline void embed(const Patches& p, const Embedding<const float>& unit, const float* features, float* out) {
    const Size steps = p.steps();
    const Size k = p.inputs();
    const Size w = unit.width;
    Scratch& s = scratch();
    float* in = s.take(kRows * k);
    float* o = s.take(kRows * w);
    for (Size position = 0; position < p.positions(); ++position) {
        for (Size first = 0; first < steps * p.clips; first += kRows) {
            const Size n = tile_rows(first, steps * p.clips);
            for (Size r = 0; r < n; ++r)
                take_patch(p, features, (first + r) % p.clips, (first + r) / p.clips, position, in + r * k);
            multiply(n, w, k, in, {k, 1}, {unit.weight + position * k * w, w}, o, w, false,
                     unit.bias + position * w);
            for (Size r = 0; r < n; ++r) {
                const Size at =
                    ((first + r) / p.clips * p.positions() + position) * p.clips + (first + r) % p.clips;
                copy_row(w, o + r * w, out + at * w);
            }
        }
    }
}

inline void embed_gradients(const Patches& p, const Embedding<const float>& unit, const float* features,
                            const float* dout, const Embedding<float>& gradients) {
    const Size steps = p.steps();
    const Size k = p.inputs();
    const Size w = unit.width;
    Scratch& s = scratch();
    float* in = s.take(kRows * k);
    float* o = s.take(kRows * w);
    for (Size position = 0; position < p.positions(); ++position) {
        for (Size first = 0; first < steps * p.clips; first += kRows) {
            const Size n = tile_rows(first, steps * p.clips);
            for (Size r = 0; r < n; ++r) {
                const Size clip = (first + r) % p.clips;
                const Size step = (first + r) / p.clips;
                take_patch(p, features, clip, step, position, in + r * k);
                copy_row(w, dout + ((step * p.positions() + position) * p.clips + clip) * w, o + r * w);
            }
            add_transposed_product(k, w, n, in, k, o, w, gradients.weight + position * k * w, w);
            add_column_sums(n, w, o, w, gradients.bias + position * w);
        }
    }
}

// Rows of a tile at a band position: normed features, and the patch behind them when the head sees it.
inline void head_rows(const Patches& p, const Head<const float>& unit, Size position, Size first, Size n,
                      const float* x, const float* features, float* in) {
    for (Size r = 0; r < n; ++r) {
        const Size step = (first + r) / p.clips;
        const Size clip = (first + r) % p.clips;
        norm_row(unit.width, x + ((step * p.positions() + position) * p.clips + clip) * unit.width, unit.norm,
                 in + r * unit.inputs);
        if (unit.inputs > unit.width)
            take_patch(p, features, clip, step, position, in + r * unit.inputs + unit.width);
    }
}

// Logits of one patch [stems, size] to masks, in place.
inline void softmax_over_stems(Size size, float* logits) {
    for (Size j = 0; j < size; j += kLanes) {
        Vec top = load(logits + j);
        for (Size stem = 1; stem < kStemCount; ++stem) top = larger(top, load(logits + stem * size + j));
        Vec mask[kStemCount];
        Vec total{};
        for (Size stem = 0; stem < kStemCount; ++stem) {
            mask[stem] = exp_of(load(logits + stem * size + j) - top);
            total += mask[stem];
        }
        for (Size stem = 0; stem < kStemCount; ++stem) store(logits + stem * size + j, mask[stem] / total);
    }
}

inline void head(const Patches& p, Size frames, const Head<const float>& unit, const float* x,
                 const float* features, float* masks) {
    const Size k = unit.inputs;
    const Size h = unit.hidden;
    const Size o = unit.outputs;
    const Size rows = (frames + p.patch_frames - 1) / p.patch_frames * p.clips;
    Scratch& s = scratch();
    float* in = s.take(kRows * k);
    float* hidden = s.take(kRows * h);
    float* z = s.take(kRows * o);
    for (Size position = 0; position < p.positions(); ++position) {
        for (Size first = 0; first < rows; first += kRows) {
            const Size n = tile_rows(first, rows);
            head_rows(p, unit, position, first, n, x, features, in);
            multiply(n, h, k, in, {k, 1}, {unit.weight1 + position * k * h, h}, hidden, h, false,
                     unit.bias1 + position * h);
            rectify(n * h, hidden);
            multiply(n, o, h, hidden, {h, 1}, {unit.weight2 + position * h * o, o}, z, o, false,
                     unit.bias2 + position * o);
            for (Size r = 0; r < n; ++r) {
                softmax_over_stems(p.patch_frames * p.patch_bands, z + r * o);
                const float* from = z + r * o;
                const Size start = (first + r) / p.clips * p.patch_frames;
                for (Size stem = 0; stem < kStemCount; ++stem) {
                    for (Size f = 0; f < p.patch_frames; ++f, from += p.patch_bands) {
                        if (start + f >= frames) continue;
                        float* to =
                            masks +
                            (((first + r) % p.clips * frames + start + f) * kStemCount + stem) * p.bands +
                            position * p.patch_bands;
                        copy_bands(p.patch_bands, from, to);
                    }
                }
            }
        }
    }
}

// What a patch is measured against: mixture [patch], cross and absent [stems, patch].
struct PatchTargets {
    float *mixture, *cross;
};
inline void take_targets(const Patches& p, const LossTargets& targets, Size clip, Size step, Size position,
                         const PatchTargets& to) {
    const Size size = p.patch_frames * p.patch_bands;
    for (Size f = 0; f < p.patch_frames; ++f) {
        const Size frame = step * p.patch_frames + f;
        const bool there = frame < p.frames;
        const Size band = position * p.patch_bands;
        for (Size b = 0; b < p.patch_bands; ++b) {
            to.mixture[f * p.patch_bands + b] =
                there ? targets.mixture[(clip * p.frames + frame) * p.bands + band + b] : 0.0F;
        }
        for (Size stem = 0; stem < kStemCount; ++stem) {
            for (Size b = 0; b < p.patch_bands; ++b) {
                to.cross[stem * size + f * p.patch_bands + b] =
                    there
                        ? targets.cross[((clip * kStemCount + stem) * p.frames + frame) * p.bands + band + b]
                        : 0.0F;
            }
        }
    }
}

// Loss of one patch, and logits turned into their gradients. Per value: softmax M over the stems; M mix (1 +
// absent) - sqrt(M) cross, and its slope with the logits.
inline Vec patch_loss(Size size, const PatchTargets& targets, const float* absent, float weight,
                      float* logits) {
    Vec sum{};
    for (Size j = 0; j < size; j += kLanes) {
        Vec mask[kStemCount];
        Vec top = load(logits + j);
        for (Size stem = 1; stem < kStemCount; ++stem) top = larger(top, load(logits + stem * size + j));
        Vec total{};
        for (Size stem = 0; stem < kStemCount; ++stem) {
            mask[stem] = exp_of(load(logits + stem * size + j) - top);
            total += mask[stem];
        }
        const Vec scale = inverse_of(total);
        const Vec mixture = load(targets.mixture + j) * weight;
        Vec slope[kStemCount];
        Vec gradients{};
        for (Size stem = 0; stem < kStemCount; ++stem) {
            mask[stem] *= scale;
            const Vec cost = mask[stem] * mixture * (1.0F + absent[stem]);
            const Vec gain = root_of(mask[stem]) * load(targets.cross + stem * size + j) * weight;
            sum += cost - gain;
            slope[stem] = cost - 0.5F * gain;
            gradients += slope[stem];
        }
        for (Size stem = 0; stem < kStemCount; ++stem)
            store(logits + stem * size + j, slope[stem] - mask[stem] * gradients);
    }
    return sum;
}

inline double head_loss(const Patches& p, const Head<const float>& unit, const float* x,
                        const float* features, const LossTargets& targets, float* dx,
                        const Head<float>& gradients) {
    const Size w = unit.width;
    const Size k = unit.inputs;
    const Size h = unit.hidden;
    const Size o = unit.outputs;
    const Size size = p.patch_frames * p.patch_bands;
    const Size rows = p.steps() * p.clips;
    Scratch& s = scratch();
    float* in = s.take(kRows * k);
    float* hidden = s.take(kRows * h);
    float* z = s.take(kRows * o);
    float* dh = s.take(kRows * h);
    float* din = s.take(kRows * w);
    float* turned1 = s.take(w * h);
    float* turned2 = s.take(h * o);
    float* nothing = s.take(w);
    clear(w, nothing);
    const PatchTargets patch{s.take(size), s.take(kStemCount * size)};
    double loss = 0.0;
    for (Size position = 0; position < p.positions(); ++position) {
        const float* weight1 = unit.weight1 + position * k * h;
        const float* weight2 = unit.weight2 + position * h * o;
        pack(w, h, weight1, h, true, turned1);  // only what leads back to x
        pack(h, o, weight2, o, true, turned2);
        for (Size first = 0; first < rows; first += kRows) {
            const Size n = tile_rows(first, rows);
            head_rows(p, unit, position, first, n, x, features, in);
            multiply(n, h, k, in, {k, 1}, {weight1, h}, hidden, h, false, unit.bias1 + position * h);
            rectify(n * h, hidden);
            multiply(n, o, h, hidden, {h, 1}, {weight2, o}, z, o, false, unit.bias2 + position * o);
            Vec sum{};
            for (Size r = 0; r < n; ++r) {
                const Size clip = (first + r) % p.clips;
                take_targets(p, targets, clip, (first + r) / p.clips, position, patch);
                sum += patch_loss(size, patch, targets.absent + clip * kStemCount, targets.weights[clip],
                                  z + r * o);
            }
            loss += static_cast<double>(sum_of(sum));
            add_transposed_product(h, o, n, hidden, h, z, o, gradients.weight2 + position * h * o, o);
            add_column_sums(n, o, z, o, gradients.bias2 + position * o);
            multiply(n, h, o, z, {o, 1}, {turned2, 0}, dh, h, false);
            rectify_gradients(n * h, hidden, dh);
            add_transposed_product(k, h, n, in, k, dh, h, gradients.weight1 + position * k * h, h);
            add_column_sums(n, h, dh, h, gradients.bias1 + position * h);
            multiply(n, w, h, dh, {h, 1}, {turned1, 0}, din, w, false);
            for (Size r = 0; r < n; ++r) {
                const Size at =
                    (((first + r) / p.clips * p.positions() + position) * p.clips + (first + r) % p.clips) *
                    w;
                norm_row_gradients(w, x + at, unit.norm, din + r * w, nothing, dx + at, gradients.norm);
            }
        }
    }
    return loss;
}

// Five steps of the quintic Newton-Schulz iteration (engine/learning/optimizer.h); the matrix stays in the
// cache.
inline void orthogonalise(Size rows, Size columns, float* values) {
    // Coefficients of the paper: steep at zero, so that five steps are enough.
    constexpr float kA = 3.4445F;
    constexpr float kB = -4.7750F;
    constexpr float kC = 2.0315F;
    const Size count = rows * columns;
    Scratch& s = scratch();
    float* turned = s.take(count);
    float* gram = s.take(rows * rows);
    float* poly = s.take(rows * rows);
    float* next = s.take(count);
    Vec squares{};
    for (Size i = 0; i < count; i += kLanes) squares += load(values + i) * load(values + i);
    const float scale = 1.0F / (__builtin_sqrtf(sum_of(squares)) + 1e-7F);
    for (Size i = 0; i < count; i += kLanes) store(values + i, load(values + i) * scale);
    for (int time_step = 0; time_step < 5; ++time_step) {
        for (Size r0 = 0; r0 < rows; r0 += kLanes) {
            for (Size c = 0; c < columns; ++c) {
                for (Size r = r0; r < r0 + kLanes; ++r) turned[c * rows + r] = values[r * columns + c];
            }
        }
        multiply(rows, rows, columns, values, {columns, 1}, {turned, rows}, gram, rows, false);
        multiply(rows, rows, rows, gram, {rows, 1}, {gram, rows}, poly, rows, false);
        for (Size i = 0; i < rows * rows; i += kLanes)
            store(poly + i, load(poly + i) * kC + load(gram + i) * kB);
        multiply(rows, columns, rows, poly, {rows, 1}, {values, columns}, next, columns, false);
        for (Size i = 0; i < count; i += kLanes) store(values + i, load(values + i) * kA + load(next + i));
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
