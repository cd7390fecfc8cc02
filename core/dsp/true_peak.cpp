// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/true_peak.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

namespace {

constexpr double kKaiserBeta = 7.0;

// Modified Bessel function of the first kind, order 0, by its power series.
double bessel(double x) {
    double sum = 1;
    double term = 1;
    for (int k = 1; k < 30; ++k) {
        term *= (x / 2 / k) * (x / 2 / k);
        sum += term;
    }
    return sum;
}

}  // namespace

PeakInterpolator::PeakInterpolator() {
    for (std::size_t p = 1; p < kPhases; ++p) {
        double sum = 0;
        std::array<double, kTaps> taps{};
        for (std::size_t t = 0; t < kTaps; ++t) {
            const double x = static_cast<double>(t) - (kTaps / 2.0 - 1) - static_cast<double>(p) / kPhases;
            const double edge = x / (kTaps / 2.0);
            const double window =
                bessel(kKaiserBeta * std::sqrt(std::max(0.0, 1 - edge * edge))) / bessel(kKaiserBeta);
            taps[t] = window * (x == 0 ? 1.0 : std::sin(std::numbers::pi * x) / (std::numbers::pi * x));
            sum += taps[t];
        }
        double most = 0;
        for (std::size_t t = 0; t < kTaps; ++t) {
            taps_[p - 1][t] = static_cast<float>(taps[t] / sum);
            most += std::abs(taps[t] / sum);
        }
        rise_ = std::max(rise_, static_cast<float>(most));
    }
}

float PeakInterpolator::peak_at(const float* x) const {
    float peak = std::abs(x[kTaps / 2 - 1]);
    for (const auto& taps : taps_) {
        constexpr std::size_t kLanes = 8;  // sums side by side: vector code without reordering
        std::array<float, kLanes> sums{};
        for (std::size_t t = 0; t < kTaps; t += kLanes) {
            for (std::size_t j = 0; j < kLanes; ++j) sums[j] += taps[t + j] * x[t + j];
        }
        float sum = 0;
        for (const float part : sums) sum += part;
        peak = std::max(peak, std::abs(sum));
    }
    return peak;
}

std::size_t TruePeakMeter::look(std::span<const float> x) {
    constexpr std::size_t kTaps = PeakInterpolator::kTaps;
    constexpr std::size_t kSeen = kPiece + kTaps - 1;
    const std::size_t pieces = x.size() < kSeen ? 0 : (x.size() - kSeen) / kPiece + 1;
    for (std::size_t piece = 0; piece < pieces; ++piece) {
        const std::size_t at = piece * kPiece;
        float loudest = 0;
        for (std::size_t i = at; i < at + kSeen; ++i) loudest = std::max(loudest, std::abs(x[i]));
        if (loudest * interpolator_.rise() <= highest_) continue;
        for (std::size_t i = 0; i < kPiece; ++i)
            highest_ = std::max(highest_, std::abs(x[at + i + kTaps / 2 - 1]));
        // Along the samples, one tap at a time: vector code.
        for (const auto& taps : interpolator_.taps_) {
            std::array<float, kPiece> sums{};
            for (std::size_t t = 0; t < kTaps; ++t) {
                const float* from = x.data() + at + t;
                for (std::size_t i = 0; i < kPiece; ++i) sums[i] += taps[t] * from[i];
            }
            for (const float sum : sums) highest_ = std::max(highest_, std::abs(sum));
        }
    }
    return pieces * kPiece;
}

void TruePeakMeter::add(std::span<const float> x) {
    line_.insert(line_.end(), x.begin(), x.end());
    line_.erase(line_.begin(), line_.begin() + static_cast<std::ptrdiff_t>(look(line_)));
}

float TruePeakMeter::finish() {
    add(std::vector<float>(PeakInterpolator::kTaps + kPiece, 0.0F));
    return highest_;
}

}  // namespace rivlen
