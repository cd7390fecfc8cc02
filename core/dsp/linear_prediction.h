// SPDX-License-Identifier: GPL-3.0-or-later
// Linear prediction, and what it says about missing samples.
#pragma once

#include <span>
#include <vector>

namespace rivlen {

// x[n] = e[n] - a[1] x[n-1] - ... - a[order] x[n-order], by the autocorrelation method and Levinson's
// recursion.
class LinearPredictor {
  public:
    // longest: of the signals that are fitted, in samples. Nothing is allocated later.
    LinearPredictor(std::size_t order, std::size_t longest);
    // Fits a signal; windowed by Hann's window. False when there is nothing to fit (silence).
    bool fit(std::span<const float> signal);
    [[nodiscard]] std::size_t order() const { return order_; }
    // a[0] = 1 and the others.
    [[nodiscard]] std::span<const double> coefficients() const { return a_; }
    // e[n] for signal[order .. end); the first `order` values are 0.
    void residual(std::span<const float> signal, std::span<float> out) const;
    // The same of the reversed signal: the last `order` values are 0.
    void residual_backwards(std::span<const float> signal, std::span<float> out) const;

  private:
    std::size_t order_;
    std::vector<float> windowed_;
    std::vector<double> a_, next_, correlation_;
    std::vector<float> hann_;
};

// Fills missing samples so that the energy of the prediction error is least: A. J. E. M. Janssen, R. N. J.
// Veldhuis, L. B. Vries, "Adaptive interpolation of discrete-time signals that can be modeled as
// autoregressive processes", IEEE Trans. ASSP 34 (1986). The normal equations are banded; they are solved by
// a banded Cholesky factor.
class ArInterpolator {
  public:
    ArInterpolator(std::size_t order, std::size_t most_missing);
    // missing: rising places in signal, at least `order` from either end (others are left out). Up to
    // most_missing of them; false, and nothing changed, when there are more or the equations cannot be
    // solved.
    bool fill(std::span<const double> coefficients, std::span<const std::size_t> missing,
              std::span<float> signal);

  private:
    std::size_t order_, most_;
    std::vector<double> b_, band_, right_;
};

}  // namespace rivlen
