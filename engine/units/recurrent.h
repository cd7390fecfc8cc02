// SPDX-License-Identifier: GPL-3.0-or-later
// The recurrent unit, for one instruction set. A tile of sequences runs through all steps at once, window
// after window; its states and what is computed for one step stay in the cache, and x is read and written
// once a direction.
//
// In windows (recurrent() in operations.h) two states run side by side over the last steps of each: the one
// that gives the output, and the one that begins there, into which the output is faded, and which takes over
// at the end of the window.
#pragma once

#include "engine/units/kernels.h"
#include "engine/units/rows.h"
#include "engine/units/scratch.h"
#include "engine/units/tiles.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

inline constexpr Size kTile = 24;  // sequences
inline constexpr Size kBackSteps =
    8;  // steps of a backward pass whose gradients of weights are summed up together

// One window of one direction.
struct Window {
    Size begin, end;  // steps
    bool first;       // in the order of this direction: the state is empty
    Size warm_up;     // turn (in the order of this direction) at which a second state begins; turns(): none
    [[nodiscard]] Size turns() const { return end - begin; }
};

class Windows {
  public:
    Windows(const Sequences& sequences, const Reach& reach)
        : steps_(sequences.steps),
          length_(reach.window > 0 && reach.window < sequences.steps ? reach.window : sequences.steps),
          overlap_(reach.overlap > 0 && reach.overlap < length_ ? reach.overlap : length_) {}
    [[nodiscard]] bool several() const { return length_ < steps_; }
    [[nodiscard]] Size count() const { return (steps_ + length_ - 1) / length_; }
    // The n-th in the order of the direction.
    [[nodiscard]] Window at(Size n, bool backwards) const {
        const Size index = backwards ? count() - 1 - n : n;
        const Size begin = index * length_;
        const Size end = begin + length_ < steps_ ? begin + length_ : steps_;
        const Size turns = end - begin;
        if (n + 1 == count()) return {begin, end, n == 0, turns};
        return {begin, end, n == 0, turns > overlap_ ? turns - overlap_ : 0};
    }
    // How far the output has gone over at a turn of a window in which a state warms up.
    [[nodiscard]] float fade(const Window& window, Size turn) const {
        const auto in = static_cast<float>(turn - window.turns() + overlap_);
        const float u = (in + 0.5F) / static_cast<float>(overlap_);
        return u * u * (3.0F - 2.0F * u);
    }

  private:
    Size steps_, length_, overlap_;
};

// Rows of a tile of sequences.
class Tile {
  public:
    Tile(const Sequences& sequences, Size first, Size width) : step_(sequences.step_stride * width) {
        rows = sequences.count() - first < kTile ? sequences.count() - first : kTile;
        for (Size r = 0; r < rows; ++r) {
            const Size at = first + r;
            starts_[r] = (at / sequences.inner * sequences.outer_stride + at % sequences.inner) * width;
        }
    }
    [[nodiscard]] Size at(Size row, Size step) const { return starts_[row] + step * step_; }
    Size rows;

  private:
    Size starts_[kTile];
    Size step_;
};

// Weights of a direction as the products take them.
struct PackedGru {
    float *ih, *hh_rz, *hh_n, *bias, *out;
    const float* bias_n;  // of the product with h that the reset gate scales
};

// Of the products with x: both biases, but for the candidate, whose other one the reset gate scales.
inline void add_biases(Size hidden, const Gru<const float>& gru, float* bias) {
    for (Size j = 0; j < 3 * hidden; ++j) bias[j] = gru.bias_ih[j] + (j < 2 * hidden ? gru.bias_hh[j] : 0.0F);
}

inline PackedGru pack_forward(const Recurrent<const float>& unit, int direction, Scratch& s) {
    const Size w = unit.width;
    const Size h = unit.hidden;
    const auto& gru = unit.gru[direction];
    const PackedGru packed{s.take(3 * h * w), s.take(2 * h * h), s.take(h * h),
                           s.take(3 * h),     s.take(h * w),     gru.bias_hh + 2 * h};
    pack(3 * h, w, gru.weight_ih, w, true, packed.ih);
    pack(2 * h, h, gru.weight_hh, h, true, packed.hh_rz);
    pack(h, h, gru.weight_hh + 2 * h * h, h, true, packed.hh_n);
    pack(w, h, unit.out_weight + direction * h, 2 * h, true, packed.out);
    add_biases(h, gru, packed.bias);
    return packed;
}

// g: products with x [rows, 3 hidden] that take in those with h; u: Un h + cn; before: null for an empty
// state. memory: r, z, n, u of every row behind one another; null when nothing will be learned.
inline void gates(Size rows, Size hidden, const float* g, const float* u, const float* before, Saved* memory,
                  float* now) {
    for (Size i = 0; i < rows; ++i) {
        const float* a = g + i * 3 * hidden;
        for (Size j = 0; j < hidden; j += kLanes) {
            const Vec r = sigmoid_of(load(a + j));
            const Vec z = sigmoid_of(load(a + hidden + j));
            const Vec un = load(u + i * hidden + j);
            const Vec n = tanh_of(load(a + 2 * hidden + j) + r * un);
            const Vec old = before != nullptr ? load(before + i * hidden + j) : Vec{};
            if (memory != nullptr) {
                Saved* k = memory + i * 4 * hidden + j;
                save_activation(k, r);
                save_activation(k + hidden, z);
                save_activation(k + 2 * hidden, n);
                save_activation(k + 3 * hidden, un);
            }
            store(now + i * hidden + j, n + z * (old - n));
        }
    }
}

// The products of one direction, with floats; splitting may have others (whole_recurrent.h).
class FloatProducts {
  public:
    FloatProducts(const Recurrent<const float>& unit, int direction, Scratch& s)
        : unit_(unit), weights_(pack_forward(unit, direction, s)), y_(s.take(kTile * unit.width)) {}

    // A row of x, which input() takes in.
    void take(Size row, const float* x) { norm_row(unit_.width, x, unit_.norm, y_ + row * unit_.width); }
    // g [rows, 3 hidden]: with x.
    void input(Size rows, float* g) const {
        const Size h = unit_.hidden;
        multiply(rows, 3 * h, unit_.width, y_, {unit_.width, 1}, {weights_.ih, 0}, g, 3 * h, false,
                 weights_.bias);
    }
    // With a state: added to r and z of g, and u = Un h + cn.
    void state(Size rows, const float* before, float* g, float* u) const {
        const Size h = unit_.hidden;
        multiply(rows, 2 * h, h, before, {h, 1}, {weights_.hh_rz, 0}, g, 3 * h, true);
        multiply(rows, h, h, before, {h, 1}, {weights_.hh_n, 0}, u, h, false, weights_.bias_n);
    }
    [[nodiscard]] const float* bias_n() const { return weights_.bias_n; }
    // out [rows, width]: what a state gives; bias: null or [width].
    void output(Size rows, const float* state, const float* bias, float* out) const {
        const Size h = unit_.hidden;
        multiply(rows, unit_.width, h, state, {h, 1}, {weights_.out, 0}, out, unit_.width, false, bias);
    }

  private:
    const Recurrent<const float>& unit_;
    PackedGru weights_;
    float* y_;
};

// One step of a state. g [rows, 3 hidden] holds the products with x and is overwritten.
template <typename Products>
inline void step(Size rows, Size hidden, Products& products, float* g, float* u, const float* before,
                 Saved* memory, float* now) {
    if (before != nullptr) {
        products.state(rows, before, g, u);
    } else {
        for (Size r = 0; r < rows; ++r) copy_row(hidden, products.bias_n(), u + r * hidden);
    }
    gates(rows, hidden, g, u, before, memory, now);
}

// Where a tile's part of the memory lies: [direction][stream][sequence][step][row].
class TileMemory {
  public:
    TileMemory(const RecurrentMemory& memory, const Sequences& sequences, const Reach& reach, Size hidden,
               int direction, Size first, Size rows)
        : hidden_(hidden), rows_(rows) {
        const bool several = Windows(sequences, reach).several();
        stream_ = sequences.count() * sequences.steps * hidden;
        const Size start = direction * (several ? 2 : 1) * stream_ + first * sequences.steps * hidden;
        states_ = memory.states + start;
        kept_ = static_cast<Saved*>(memory.saved) + 4 * start;
    }
    // stream 0: the state that gives the output; 1: the one that warms up.
    [[nodiscard]] float* state(int stream, Size step) const {
        return states_ + stream * stream_ + step * rows_ * hidden_;
    }
    [[nodiscard]] Saved* saved(int stream, Size step) const {
        return kept_ + 4 * (stream * stream_ + step * rows_ * hidden_);
    }

  private:
    Size hidden_, rows_, stream_ = 0;
    float* states_ = nullptr;
    Saved* kept_ = nullptr;
};

struct ForwardScratch {
    float *g, *g2, *u, *faded, *out;
    float* states[2][2];  // of a stream, in turns, when nothing is kept
};

// h = lerp(own, warm_up, fade).
inline void fade_over(Size count, float fade, const float* own, const float* warm_up, float* h) {
    for (Size j = 0; j < count; j += kLanes) {
        const Vec a = load(own + j);
        store(h + j, a + (load(warm_up + j) - a) * fade);
    }
}

// Of windows before the wanted steps only the last one is run, and only the state that warms up in it.
template <typename Products>
inline void run_direction(const Tile& tile, const Windows& windows, const Steps& wanted,
                          const Recurrent<const float>& unit, Products& products, bool backwards,
                          const float* x, float* out, const TileMemory* memory, const ForwardScratch& s) {
    const Size w = unit.width;
    const Size h = unit.hidden;
    const Size rows = tile.rows;
    const float* own = nullptr;  // states after the step before
    const float* warm_up = nullptr;
    Size time_step = 0;
    for (Size n = 0; n < windows.count(); ++n) {
        const Window window = windows.at(n, backwards);
        const auto before = [&](const Window& w) {
            return backwards ? w.begin >= wanted.end : w.end <= wanted.begin;
        };
        if (backwards ? window.end <= wanted.begin : window.begin >= wanted.end) break;
        const bool warms_up_only = before(window);
        if (warms_up_only && before(windows.at(n + 1, backwards))) continue;
        own = window.first || warms_up_only ? nullptr : warm_up;
        warm_up = nullptr;
        for (Size k = warms_up_only ? window.warm_up : 0; k < window.turns(); ++k, ++time_step) {
            const bool warms_up = k >= window.warm_up;
            const Size t = backwards ? window.end - 1 - k : window.begin + k;
            for (Size r = 0; r < rows; ++r) products.take(r, x + tile.at(r, t));
            products.input(rows, s.g);
            if (warms_up) {
                if (!warms_up_only) copy_row(rows * 3 * h, s.g, s.g2);
                float* now = memory != nullptr ? memory->state(1, t) : s.states[1][time_step % 2];
                step(rows, h, products, warms_up_only ? s.g : s.g2, s.u, warm_up,
                     memory != nullptr ? memory->saved(1, t) : nullptr, now);
                warm_up = now;
            }
            if (warms_up_only) continue;
            float* now = memory != nullptr ? memory->state(0, t) : s.states[0][time_step % 2];
            step(rows, h, products, s.g, s.u, own, memory != nullptr ? memory->saved(0, t) : nullptr, now);
            own = now;
            const float* result = own;
            if (warms_up) {
                fade_over(rows * h, windows.fade(window, k), own, warm_up, s.faded);
                result = s.faded;
            }
            products.output(rows, result, backwards ? nullptr : unit.out_bias, s.out);
            for (Size r = 0; r < rows; ++r) {
                const Size at = tile.at(r, t);
                add_rows(w, backwards ? out + at : x + at, s.out + r * w, out + at);
            }
        }
    }
}

template <typename Products>
inline void run_recurrent(const Sequences& sequences, const Reach& reach, const Steps& wanted,
                          const Recurrent<const float>& unit, const float* x, float* out,
                          const RecurrentMemory* memory) {
    const Size w = unit.width;
    const Size h = unit.hidden;
    Scratch& s = scratch();
    Products products[2] = {Products(unit, 0, s), Products(unit, 1, s)};
    ForwardScratch work{s.take(kTile * 3 * h), s.take(kTile * 3 * h), s.take(kTile * h),
                        s.take(kTile * h),     s.take(kTile * w),     {}};
    for (auto& stream : work.states) {
        for (auto& state : stream) state = s.take(kTile * h);
    }
    const Windows windows(sequences, reach);
    for (Size first = 0; first < sequences.count(); first += kTile) {
        const Tile tile(sequences, first, w);
        for (int d = 0; d < 2; ++d) {
            if (memory != nullptr) {
                const TileMemory own(*memory, sequences, reach, h, d, first, tile.rows);
                run_direction(tile, windows, wanted, unit, products[d], d == 1, x, out, &own, work);
            } else {
                run_direction(tile, windows, wanted, unit, products[d], d == 1, x, out, nullptr, work);
            }
        }
    }
}

inline void recurrent(const Sequences& sequences, const Reach& reach, const Steps& wanted,
                      const Recurrent<const float>& unit, const float* x, float* out,
                      const RecurrentMemory* memory) {
    run_recurrent<FloatProducts>(sequences, reach, wanted, unit, x, out, memory);
}

// Slopes of one step of a state; carry is that of h after the step on entry, and of h before it, as far as it
// does not go through the gates, on exit. dg [rows, 3 hidden]: of the products with x; dn: of Un h + cn.
inline void gate_gradients(Size rows, Size hidden, const float* dh_out, float share, const float* before,
                           const Saved* memory, float* carry, float* dg, float* dn) {
    for (Size i = 0; i < rows; ++i) {
        const Saved* k = memory + i * 4 * hidden;
        float* a = dg + i * 3 * hidden;
        for (Size j = 0; j < hidden; j += kLanes) {
            const Size at = i * hidden + j;
            const Vec r = saved(k + j);
            const Vec z = saved(k + hidden + j);
            const Vec n = saved(k + 2 * hidden + j);
            const Vec u = saved(k + 3 * hidden + j);
            const Vec dh = load(dh_out + at) * share + load(carry + at);
            const Vec dnew = dh * (1.0F - z) * (1.0F - n * n);
            store(a + j, dnew * u * r * (1.0F - r));
            store(a + hidden + j, dh * (load(before + at) - n) * z * (1.0F - z));
            store(a + 2 * hidden + j, dnew);
            store(dn + at, dnew * r);
            store(carry + at, dh * z);
        }
    }
}

struct BackwardScratch {
    float *y, *dout, *dy, *dh, *faded;  // rows of kBackSteps steps
    float* dg[2];                       // of a stream
    float* dn[2];
    float* before[2];
    float* carry[2];
};
struct PackedGruSlopes {
    float *ih, *hh_rz, *hh_n, *out;  // the same weights, as products with gradients take them
};

inline PackedGruSlopes pack_backward(const Recurrent<const float>& unit, int direction, Scratch& s) {
    const Size w = unit.width;
    const Size h = unit.hidden;
    const auto& gru = unit.gru[direction];
    const PackedGruSlopes packed{s.take(3 * h * w), s.take(2 * h * h), s.take(h * h), s.take(h * w)};
    pack(w, 3 * h, gru.weight_ih, w, false, packed.ih);
    pack(h, 2 * h, gru.weight_hh, h, false, packed.hh_rz);
    pack(h, h, gru.weight_hh + 2 * h * h, h, false, packed.hh_n);
    pack(h, w, unit.out_weight + direction * h, 2 * h, false, packed.out);
    return packed;
}

// The backward pass of one direction through a tile.
class DirectionSlopes {
  public:
    DirectionSlopes(const Tile& tile, const Windows& windows, const Recurrent<const float>& unit,
                    const PackedGruSlopes& packed, bool backwards, const TileMemory& memory,
                    const BackwardScratch& s, const Recurrent<float>& gradients)
        : tile_(tile),
          windows_(windows),
          unit_(unit),
          packed_(packed),
          backwards_(backwards),
          memory_(memory),
          s_(s),
          gradients_(gradients) {}

    void run(const float* x, const float* dout, float* dx) {
        const Size state = tile_.rows * unit_.hidden;
        clear(state, s_.carry[0]);
        clear(state, s_.carry[1]);
        for (Size n = windows_.count() - 1; n >= 0; --n) {
            const Window window = windows_.at(n, backwards_);
            // The state that warmed up here is the one that gave the output of the window after this one;
            // that which gave the output here ends here.
            copy_row(state, s_.carry[0], s_.carry[1]);
            clear(state, s_.carry[0]);
            for (Size last = window.turns(); last > 0;) {
                // All turns of a piece have a second state, or none has.
                const Size begin = last > window.warm_up ? window.warm_up : 0;
                const Size first = last - begin > kBackSteps ? last - kBackSteps : begin;
                run_steps(window, first, last, x, dout, dx);
                last = first;
            }
        }
    }

  private:
    [[nodiscard]] Size step_of(const Window& window, Size time_step) const {
        return backwards_ ? window.end - 1 - time_step : window.begin + time_step;
    }
    // The state of a stream before a turn of a window; null when it is empty.
    [[nodiscard]] const float* state_before(const Window& window, Size time_step, int stream) const {
        if (time_step > (stream == 1 ? window.warm_up : 0))
            return memory_.state(stream, step_of(window, time_step - 1));
        if (stream == 1 || window.first) return nullptr;
        return memory_.state(1, backwards_ ? window.end : window.begin - 1);
    }
    void gather(const Window& window, Size first, Size last, const float* x, const float* dout) {
        const Size w = unit_.width;
        const Size state = tile_.rows * unit_.hidden;
        const bool two = first >= window.warm_up;
        for (Size time_step = first; time_step < last; ++time_step) {
            const Size t = step_of(window, time_step);
            const Size row = (time_step - first) * tile_.rows;
            for (Size r = 0; r < tile_.rows; ++r) {
                norm_row(w, x + tile_.at(r, t), unit_.norm, s_.y + (row + r) * w);
                copy_row(w, dout + tile_.at(r, t), s_.dout + (row + r) * w);
            }
            for (int stream = 0; stream < (two ? 2 : 1); ++stream) {
                float* to = s_.before[stream] + (time_step - first) * state;
                const float* before = state_before(window, time_step, stream);
                if (before != nullptr) {
                    copy_row(state, before, to);
                } else {
                    clear(state, to);
                }
            }
            if (two) {
                fade_over(state, windows_.fade(window, time_step), memory_.state(0, t), memory_.state(1, t),
                          s_.faded + (time_step - first) * state);
            } else {
                copy_row(state, memory_.state(0, t), s_.faded + (time_step - first) * state);
            }
        }
    }
    void step_back(const Window& window, Size time_step, Size first, int stream) {
        const Size h = unit_.hidden;
        const Size rows = tile_.rows;
        const Size at = (time_step - first) * rows;
        const Size t = step_of(window, time_step);
        const float fade = time_step >= window.warm_up ? windows_.fade(window, time_step) : 0.0F;
        float* dg = s_.dg[stream] + at * 3 * h;
        float* dn = s_.dn[stream] + at * h;
        float* carry = s_.carry[stream];
        gate_gradients(rows, h, s_.dh + at * h, stream == 0 ? 1.0F - fade : fade, s_.before[stream] + at * h,
                       memory_.saved(stream, t), carry, dg, dn);
        multiply(rows, h, 2 * h, dg, {3 * h, 1}, {packed_.hh_rz, 0}, carry, h, true);
        multiply(rows, h, h, dn, {h, 1}, {packed_.hh_n, 0}, carry, h, true);
    }
    void add_weight_gradients(Size count, bool two) {
        const Size w = unit_.width;
        const Size h = unit_.hidden;
        const auto& gru = gradients_.gru[backwards_ ? 1 : 0];
        for (int stream = 0; stream < (two ? 2 : 1); ++stream) {
            const float* dg = s_.dg[stream];
            const float* dn = s_.dn[stream];
            add_transposed_product(2 * h, h, count, dg, 3 * h, s_.before[stream], h, gru.weight_hh, h);
            add_transposed_product(h, h, count, dn, h, s_.before[stream], h, gru.weight_hh + 2 * h * h, h);
            add_column_sums(count, 2 * h, dg, 3 * h, gru.bias_hh);
            add_column_sums(count, h, dn, h, gru.bias_hh + 2 * h);
        }
        // Both states see the same x.
        if (two) add_rows(count * 3 * h, s_.dg[0], s_.dg[1], s_.dg[0]);
        add_transposed_product(3 * h, w, count, s_.dg[0], 3 * h, s_.y, w, gru.weight_ih, w);
        add_column_sums(count, 3 * h, s_.dg[0], 3 * h, gru.bias_ih);
        add_transposed_product(w, h, count, s_.dout, w, s_.faded, h,
                               gradients_.out_weight + (backwards_ ? h : 0), 2 * h);
        if (!backwards_) add_column_sums(count, w, s_.dout, w, gradients_.out_bias);
    }
    void run_steps(const Window& window, Size first, Size last, const float* x, const float* dout,
                   float* dx) {
        const Size w = unit_.width;
        const Size h = unit_.hidden;
        const Size count = (last - first) * tile_.rows;
        const bool two = first >= window.warm_up;
        gather(window, first, last, x, dout);
        multiply(count, h, w, s_.dout, {w, 1}, {packed_.out, 0}, s_.dh, h, false);
        for (Size time_step = last - 1; time_step >= first; --time_step) {
            step_back(window, time_step, first, 0);
            if (two) step_back(window, time_step, first, 1);
        }
        add_weight_gradients(count, two);
        multiply(count, w, 3 * h, s_.dg[0], {3 * h, 1}, {packed_.ih, 0}, s_.dy, w, false);
        for (Size time_step = first; time_step < last; ++time_step) {
            const Size t = step_of(window, time_step);
            for (Size r = 0; r < tile_.rows; ++r) {
                const Size at = tile_.at(r, t);
                norm_row_gradients(w, x + at, unit_.norm, s_.dy + ((time_step - first) * tile_.rows + r) * w,
                                   backwards_ ? dx + at : dout + at, dx + at, gradients_.norm);
            }
        }
    }

    const Tile& tile_;
    const Windows& windows_;
    const Recurrent<const float>& unit_;
    const PackedGruSlopes& packed_;
    bool backwards_;
    const TileMemory& memory_;
    const BackwardScratch& s_;
    const Recurrent<float>& gradients_;
};

inline void recurrent_gradients(const Sequences& sequences, const Reach& reach,
                                const Recurrent<const float>& unit, const float* x,
                                const RecurrentMemory& memory, const float* dout, float* dx,
                                const Recurrent<float>& gradients) {
    const Size w = unit.width;
    const Size h = unit.hidden;
    Scratch& s = scratch();
    const PackedGruSlopes packed[2] = {pack_backward(unit, 0, s), pack_backward(unit, 1, s)};
    constexpr Size kRows = kBackSteps * kTile;
    BackwardScratch work{};
    for (float** rows : {&work.y, &work.dout, &work.dy}) *rows = s.take(kRows * w);
    for (float** rows : {&work.dh, &work.faded}) *rows = s.take(kRows * h);
    for (int stream = 0; stream < 2; ++stream) {
        work.dg[stream] = s.take(kRows * 3 * h);
        work.dn[stream] = s.take(kRows * h);
        work.before[stream] = s.take(kRows * h);
        work.carry[stream] = s.take(kTile * h);
    }
    const Windows windows(sequences, reach);
    for (Size first = 0; first < sequences.count(); first += kTile) {
        const Tile tile(sequences, first, w);
        for (int d = 0; d < 2; ++d) {
            const TileMemory own(memory, sequences, reach, h, d, first, tile.rows);
            DirectionSlopes(tile, windows, unit, packed[d], d == 1, own, work, gradients).run(x, dout, dx);
        }
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
