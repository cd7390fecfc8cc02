// SPDX-License-Identifier: GPL-3.0-or-later
// The units for splitting with products of whole numbers (whole.h): the recurrence along its steps is that of
// recurrent.h, with other products.
#pragma once

#include "engine/units/recurrent.h"
#include "engine/units/whole.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

// As FloatProducts. States lie within +-1, so that the length of one is at most sqrt(hidden).
class WholeProducts {
  public:
    WholeProducts(const Recurrent<const float>& unit, int direction, Scratch& s)
        : width_(unit.width),
          hidden_(unit.hidden),
          x_scale_(normed_scale(unit.width)),
          state_scale_(normed_scale(unit.hidden)),
          ih_(take_whole_factor(3 * hidden_, width_, s)),
          hh_rz_(take_whole_factor(2 * hidden_, hidden_, s)),
          hh_n_(take_whole_factor(hidden_, hidden_, s)),
          out_(take_whole_factor(width_, hidden_, s)),
          bias_(s.take(3 * hidden_)),
          x_(take_rows(width_, s)),
          state_(take_rows(hidden_, s)) {
        const Size h = hidden_;
        const auto& gru = unit.gru[direction];
        bias_n_ = gru.bias_hh + 2 * h;
        pack_whole(3 * h, width_, gru.weight_ih, width_, unit.norm.weight, x_scale_, ih_, s);
        pack_whole(2 * h, h, gru.weight_hh, h, nullptr, state_scale_, hh_rz_, s);
        pack_whole(h, h, gru.weight_hh + 2 * h * h, h, nullptr, state_scale_, hh_n_, s);
        pack_whole(width_, h, unit.out_weight + direction * h, 2 * h, nullptr, state_scale_, out_, s);
        add_biases(h, gru, bias_);
        add_norm_bias(3 * h, width_, gru.weight_ih, width_, unit.norm.bias, bias_);
    }

    void take(Size row, const float* x) { norm_row_rounded(width_, x, x_scale_, x_ + row * width_); }
    void input(Size rows, float* g) const {
        multiply_whole(rows, 3 * hidden_, width_, x_, ih_, nullptr, g, 3 * hidden_, false, bias_);
    }
    void state(Size rows, const float* before, float* g, float* u) {
        round_row(rows * hidden_, before, state_scale_, state_);
        multiply_whole(rows, 2 * hidden_, hidden_, state_, hh_rz_, nullptr, g, 3 * hidden_, true);
        multiply_whole(rows, hidden_, hidden_, state_, hh_n_, nullptr, u, hidden_, false, bias_n_);
    }
    [[nodiscard]] const float* bias_n() const { return bias_n_; }
    void output(Size rows, const float* state, const float* bias, float* out) {
        round_row(rows * hidden_, state, state_scale_, state_);
        multiply_whole(rows, width_, hidden_, state_, out_, nullptr, out, width_, false, bias);
    }

  private:
    static std::int16_t* take_rows(Size width, Scratch& s) {
        return reinterpret_cast<std::int16_t*>(s.take(kTile * width / 2));
    }

    Size width_, hidden_;
    float x_scale_, state_scale_;
    WholeFactor ih_, hh_rz_, hh_n_, out_;
    float* bias_;
    const float* bias_n_ = nullptr;
    std::int16_t *x_, *state_;  // rounded, of a tile
};

// As perceptron() in dense.h, when nothing will be learned.
inline void whole_perceptron(Size rows, const Perceptron<const float>& unit, const float* x, float* out) {
    constexpr Size kTileRows = 128;
    const Size w = unit.width;
    const Size m = unit.inner;
    Scratch& s = scratch();
    const WholeFactor up = take_whole_factor(m, w, s);
    const WholeFactor down = take_whole_factor(w, m, s);
    const float scale = normed_scale(w);
    pack_whole(m, w, unit.up_weight, w, unit.norm.weight, scale, up, s);
    pack_whole(w, m, unit.out_weight, m, nullptr, 1.0F, down, s);
    float* up_bias = s.take(m);
    copy_row(m, unit.up_bias, up_bias);
    add_norm_bias(m, w, unit.up_weight, w, unit.norm.bias, up_bias);
    // Of x, then of h.
    auto* rounded = reinterpret_cast<std::int16_t*>(s.take(kTileRows * (w < m ? m : w) / 2));
    float* h = s.take(kTileRows * m);
    float* y = s.take(kTileRows * w);
    float* row_scales = s.take(kTileRows);
    for (Size first = 0; first < rows; first += kTileRows) {
        const Size n = rows - first < kTileRows ? rows - first : kTileRows;
        const float* in = x + first * w;
        for (Size r = 0; r < n; ++r) norm_row_rounded(w, in + r * w, scale, rounded + r * w);
        multiply_whole(n, m, w, rounded, up, nullptr, h, m, false, up_bias);
        rectify(n * m, h);
        for (Size r = 0; r < n; ++r) row_scales[r] = round_any_row(m, h + r * m, rounded + r * m);
        multiply_whole(n, w, m, rounded, down, row_scales, y, w, false, unit.out_bias);
        add_rows(n * w, in, y, out + first * w);
    }
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
