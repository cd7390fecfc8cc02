// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/alignment.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <vector>

#include "core/dsp/decibels.h"
#include "core/dsp/real_fft.h"
#include "core/dsp/resample.h"

namespace rivlen {

namespace {

// Correlation with phase transform over all lags: [lag mod size].
std::vector<float> phase_correlation(std::span<const float> reference, std::span<const float> other) {
    const std::size_t size = std::bit_ceil(reference.size() + other.size());
    RealFft a(size), b(size);
    a.forward(reference);
    b.forward(other);
    for (std::size_t k = 0; k < a.bins().size(); ++k) {
        const std::complex<float> cross = a.bins()[k] * std::conj(b.bins()[k]);
        const float size_of = std::abs(cross);
        a.bins()[k] = size_of > 1e-20F ? cross / size_of : 0.0F;
    }
    a.inverse();
    return {a.time().begin(), a.time().end()};
}

std::int64_t lag_of(std::size_t place, std::size_t size, std::size_t reference) {
    return place < reference ? static_cast<std::int64_t>(place)
                             : static_cast<std::int64_t>(place) - static_cast<std::int64_t>(size);
}

// The peak of the plain normalised correlation within +-reach of a lag, over the loudest stretch of the
// other.
std::int64_t refined(std::span<const float> reference, std::span<const float> other, std::int64_t lag,
                     std::int64_t reach, std::size_t stretch) {
    // The loudest stretch that lies within the reference for all lags.
    std::size_t best = 0;
    double loudest = -1;
    for (std::size_t at = 0; at == 0 || at + stretch <= other.size();
         at += std::max<std::size_t>(1, stretch / 2)) {
        const std::int64_t first = static_cast<std::int64_t>(at) + lag - reach;
        const std::int64_t last = static_cast<std::int64_t>(at + stretch) + lag + reach;
        const auto piece = other.subspan(at, std::min(stretch, other.size() - at));
        const bool inside = first >= 0 && last <= static_cast<std::int64_t>(reference.size());
        const double energy = energy_of(piece) * (inside ? 1.0 : 1e-6);
        if (energy > loudest) {
            loudest = energy;
            best = at;
        }
    }
    const auto piece = other.subspan(best, std::min(stretch, other.size() - best));
    const auto sample = [&](std::int64_t i) {
        return i >= 0 && i < static_cast<std::int64_t>(reference.size())
                   ? reference[static_cast<std::size_t>(i)]
                   : 0.0F;
    };
    std::int64_t found = lag;
    double highest = -1;
    for (std::int64_t l = lag - reach; l <= lag + reach; ++l) {
        double sum = 0, energy = 1e-20;
        for (std::size_t i = 0; i < piece.size(); ++i) {
            const auto x = static_cast<double>(sample(static_cast<std::int64_t>(best + i) + l));
            sum += x * static_cast<double>(piece[i]);
            energy += x * x;
        }
        const double likeness = std::abs(sum) / std::sqrt(energy);
        if (likeness > highest) {
            highest = likeness;
            found = l;
        }
    }
    return found;
}

}  // namespace

std::optional<Alignment> align(std::span<const float> reference, std::span<const float> other,
                               int sample_rate, const JobControl& job) {
    if (energy_of(reference) <= 0 || energy_of(other) <= 0) return std::nullopt;
    const auto coarse_reference = resample(reference, sample_rate, kAlignmentRate);
    const auto coarse_other = resample(other, sample_rate, kAlignmentRate);
    if (job.cancelled()) return std::nullopt;
    auto correlation = phase_correlation(coarse_reference, coarse_other);
    if (job.cancelled()) return std::nullopt;
    // A microphone with its polarity the other way round gives a trough.
    for (float& x : correlation) x = std::abs(x);
    const auto peak = static_cast<std::size_t>(std::ranges::max_element(correlation) - correlation.begin());
    constexpr auto kBeside = static_cast<std::size_t>(kAlignmentRate / 50);
    float beside = 1e-20F;
    for (std::size_t i = 0; i < correlation.size(); ++i) {
        const std::size_t apart = i > peak ? i - peak : peak - i;
        if (std::min(apart, correlation.size() - apart) > kBeside) beside = std::max(beside, correlation[i]);
    }
    Alignment out;
    out.distinctness = static_cast<double>(correlation[peak] / beside);
    const auto coarse = lag_of(peak, correlation.size(), coarse_reference.size());
    const auto near =
        static_cast<std::int64_t>(std::llround(static_cast<double>(coarse) * sample_rate / kAlignmentRate));
    out.lag_frames =
        refined(reference, other, near, sample_rate / 200, static_cast<std::size_t>(sample_rate) * 2);
    return out;
}

}  // namespace rivlen
