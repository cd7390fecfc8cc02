// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/linear_prediction.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/vector_code.h"
#include "core/dsp/hann.h"

namespace rivlen {

namespace {

RIVLEN_VECTOR_CODE RIVLEN_ANY_ORDER float product_sum(const float* a, const float* b, std::size_t count) {
    float sum = 0;
    for (std::size_t i = 0; i < count; ++i) sum += a[i] * b[i];
    return sum;
}

}  // namespace

LinearPredictor::LinearPredictor(std::size_t order, std::size_t longest)
    : order_(order), windowed_(longest), a_(order + 1), next_(order + 1), correlation_(order + 1) {}

bool LinearPredictor::fit(std::span<const float> signal) {
    const std::size_t count = std::min(signal.size(), windowed_.size());
    if (hann_.size() != count) {  // once: the caller's windows are of one size
        hann_.resize(count);
        for (std::size_t i = 0; i < count; ++i) hann_[i] = static_cast<float>(symmetric_hann(i, count));
    }
    for (std::size_t i = 0; i < count; ++i) windowed_[i] = signal[i] * hann_[i];
    for (std::size_t lag = 0; lag <= std::min(order_, count); ++lag)
        correlation_[lag] =
            static_cast<double>(product_sum(windowed_.data() + lag, windowed_.data(), count - lag));
    constexpr double kSilence = 1e-9;
    if (correlation_[0] < kSilence) return false;
    correlation_[0] *= 1 + 1e-7;  // a noise floor 70 dB down keeps the recursion stable
    std::ranges::fill(a_, 0.0);
    a_[0] = 1;
    double error = correlation_[0];
    for (std::size_t m = 1; m <= order_; ++m) {
        double sum = correlation_[m];
        for (std::size_t i = 1; i < m; ++i) sum += a_[i] * correlation_[m - i];
        const double reflection = -sum / error;
        next_ = a_;
        for (std::size_t i = 1; i < m; ++i) next_[i] = a_[i] + reflection * a_[m - i];
        next_[m] = reflection;
        a_.swap(next_);
        error *= 1 - reflection * reflection;
        if (error <= 0) return false;
    }
    return true;
}

namespace {

// out[n] += factor * in[n]
RIVLEN_VECTOR_CODE void add_scaled(float* __restrict out, const float* __restrict in, float factor,
                                   std::size_t count) {
    for (std::size_t n = 0; n < count; ++n) out[n] += factor * in[n];
}

// out[n] += factors[0] * in[n] + factors[1] * in[n + step] + ..., four of them: fewer ways to memory and
// back.
RIVLEN_VECTOR_CODE void add_four(float* __restrict out, const float* __restrict in, std::ptrdiff_t step,
                                 const double* factors, std::size_t count) {
    const auto a = static_cast<float>(factors[0]), b = static_cast<float>(factors[1]),
               c = static_cast<float>(factors[2]), d = static_cast<float>(factors[3]);
    const float* second = in + step;
    const float* third = second + step;
    const float* fourth = third + step;
    for (std::size_t n = 0; n < count; ++n)
        out[n] += a * in[n] + b * second[n] + c * third[n] + d * fourth[n];
}

// out[n] += the sum over i = 1..order of a[i] * in[n + step * (i - 1)]
void add_predicted(float* out, const float* in, std::ptrdiff_t step, std::span<const double> a,
                   std::size_t count) {
    constexpr std::size_t kTogether = 4;
    std::size_t i = 1;
    for (; i + kTogether <= a.size(); i += kTogether, in += step * static_cast<std::ptrdiff_t>(kTogether))
        add_four(out, in, step, a.data() + i, count);
    for (; i < a.size(); ++i, in += step) add_scaled(out, in, static_cast<float>(a[i]), count);
}

}  // namespace

void LinearPredictor::residual(std::span<const float> signal, std::span<float> out) const {
    const std::size_t first = std::min(order_, signal.size());
    const std::size_t count = signal.size() - first;
    std::fill_n(out.begin(), first, 0.0F);
    std::copy_n(signal.begin() + static_cast<std::ptrdiff_t>(first), count,
                out.begin() + static_cast<std::ptrdiff_t>(first));
    if (count > 0) add_predicted(out.data() + first, signal.data() + first - 1, -1, a_, count);
}

void LinearPredictor::residual_backwards(std::span<const float> signal, std::span<float> out) const {
    const std::size_t count = signal.size() - std::min(order_, signal.size());
    std::copy_n(signal.begin(), count, out.begin());
    if (count > 0) add_predicted(out.data(), signal.data() + 1, 1, a_, count);
    std::fill(out.begin() + static_cast<std::ptrdiff_t>(count), out.end(), 0.0F);
}

ArInterpolator::ArInterpolator(std::size_t order, std::size_t most_missing)
    : order_(order),
      most_(most_missing),
      b_(order + 1),
      band_(most_missing * (order + 1)),
      right_(most_missing) {}

bool ArInterpolator::fill(std::span<const double> a, std::span<const std::size_t> missing,
                          std::span<float> signal) {
    const std::size_t count = missing.size();
    if (count == 0) return true;
    if (count > most_ || missing.front() < order_ || missing.back() + order_ >= signal.size()) return false;
    for (std::size_t lag = 0; lag <= order_; ++lag) {
        double sum = 0;
        for (std::size_t i = 0; i + lag <= order_; ++i) sum += a[i] * a[i + lag];
        b_[lag] = sum;
    }
    // Row u holds L[u][u - d] for d = 0..order, places counted among the missing.
    const std::size_t width = order_ + 1;
    for (std::size_t u = 0; u < count; ++u) {
        double known = 0;
        std::size_t next = u;  // the missing ones around are left out of the sum
        while (next > 0 && missing[next - 1] + order_ >= missing[u]) --next;
        for (std::size_t n = missing[u] - order_; n <= missing[u] + order_; ++n) {
            if (next < count && missing[next] == n) {
                ++next;
                continue;
            }
            const std::size_t lag = n > missing[u] ? n - missing[u] : missing[u] - n;
            known += b_[lag] * static_cast<double>(signal[n]);
        }
        right_[u] = -known;
        // Cholesky, row by row: the entries left of the diagonal first.
        const std::size_t farthest = std::min(width - 1, u);
        for (std::size_t d = farthest + 1; d-- > 0;) {
            const std::size_t v = u - d;
            const std::size_t lag = missing[u] - missing[v];
            double sum = lag <= order_ ? b_[lag] : 0.0;
            for (std::size_t e = d + 1; e <= farthest && e - d < width; ++e)
                sum -= band_[u * width + e] * band_[v * width + (e - d)];
            if (d > 0) {
                band_[u * width + d] = sum / band_[v * width];
                continue;
            }
            if (sum <= 1e-12 * b_[0]) return false;
            band_[u * width] = std::sqrt(sum);
        }
    }
    // L y = right, then L' x = y, in place.
    for (std::size_t u = 0; u < count; ++u) {
        for (std::size_t d = 1; d < width && d <= u; ++d) right_[u] -= band_[u * width + d] * right_[u - d];
        right_[u] /= band_[u * width];
    }
    for (std::size_t u = count; u-- > 0;) {
        for (std::size_t d = 1; d < width && u + d < count; ++d)
            right_[u] -= band_[(u + d) * width + d] * right_[u + d];
        right_[u] /= band_[u * width];
    }
    for (std::size_t u = 0; u < count; ++u) signal[missing[u]] = static_cast<float>(right_[u]);
    return true;
}

}  // namespace rivlen
