// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/evidence.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/diagnosis/line_fit.h"
#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"

namespace rivlen {

namespace {

std::vector<double> frame_powers(std::span<const float> x, std::size_t size) {
    std::vector<double> out;
    for (std::size_t at = 0; at + size <= x.size(); at += size)
        out.push_back(energy_of(x.subspan(at, size)) / static_cast<double>(size));
    return out;
}

}  // namespace

SpeechLevel measure_speech(std::span<const float> mono, int sample_rate) {
    SpeechLevel out;
    const auto powers = frame_powers(mono, static_cast<std::size_t>(sample_rate / 20));
    float peak = 0;
    for (const float x : mono) peak = std::max(peak, std::abs(x));
    out.peak_dbfs = db_of_amplitude(static_cast<double>(peak));
    if (powers.empty()) return out;
    auto sorted = powers;
    const double loud = quantile(sorted, 0.95);
    double sum = 0;
    std::size_t active = 0;
    for (const double p : powers) {
        if (p < loud * power_of_db(-25) || p <= 0) continue;
        sum += p;
        ++active;
    }
    if (active == 0) return out;
    out.active_dbfs = db_of_power(sum / static_cast<double>(active)) + kSineDb;
    return out;
}

ClipEvidence find_clipping(std::span<const float> mono) {
    ClipEvidence out;
    float top = 0;
    for (const float x : mono) top = std::max(top, std::abs(x));
    // How often which height occurs, from a quarter of the peak on: a level at which sound was cut off is a
    // spike.
    constexpr std::size_t kBins = 300;
    constexpr float kLowest = 0.25F, kLeastTop = 0.01F;
    if (top < kLeastTop) return out;
    const float width = (1 - kLowest) * top / kBins;
    std::array<std::size_t, kBins + 1> counts{};
    for (const float x : mono) {
        const float over = std::abs(x) - kLowest * top;
        if (over >= 0) ++counts[std::min(kBins - 1, static_cast<std::size_t>(over / width))];
    }
    constexpr std::size_t kLeastCount = 30, kOutOf = 4, kAside = 2, kReach = 8;
    std::size_t spike = kBins;  // none; its count is 0
    for (std::size_t b = 0; b < kBins; ++b) {
        if (counts[b] < kLeastCount || counts[b] <= counts[spike]) continue;
        std::size_t highest = 0;  // beside it; a level on the border of two bins fills both
        for (std::size_t d = kAside; d <= kReach; ++d) {
            if (b >= d) highest = std::max(highest, counts[b - d]);
            if (b + d < kBins) highest = std::max(highest, counts[b + d]);
        }
        if (counts[b] >= kOutOf * highest) spike = b;
    }
    if (spike == kBins) return out;
    const float low = (kLowest * top + static_cast<float>(spike) * width) * 0.9995F - 0.5F * width;
    const float high = low + 3 * width;
    std::size_t run = 0;
    float least = high;
    for (std::size_t i = 0; i <= mono.size(); ++i) {
        const float a = i < mono.size() ? std::abs(mono[i]) : 0.0F;
        if (a >= low && a <= high) {
            ++run;
            continue;
        }
        if (run >= 3) {
            ++out.runs;
            for (std::size_t k = 1; k <= run; ++k) least = std::min(least, std::abs(mono[i - k]));
        }
        run = 0;
    }
    out.level_dbfs = db_of_amplitude(static_cast<double>(least));
    constexpr std::size_t kLeastRuns = 8;
    out.clipped = out.runs >= kLeastRuns;
    return out;
}

DecayEvidence measure_decay(std::span<const float> mono, int sample_rate) {
    DecayEvidence out;
    std::vector<float> band(mono.begin(), mono.end());
    BiquadFilter low(Biquad::high_pass(sample_rate, 500, 0.7071));
    BiquadFilter high(Biquad::low_pass(sample_rate, 4000, 0.7071));
    low.process(band);
    high.process(band);
    const auto powers = frame_powers(band, static_cast<std::size_t>(sample_rate / 100));
    if (powers.size() < 50) return out;
    std::vector<double> level(powers.size());
    for (std::size_t i = 0; i < powers.size(); ++i) {
        // Mean of three, so that single frames do not break a fall.
        const double sum =
            powers[i == 0 ? 0 : i - 1] + powers[i] + powers[std::min(i + 1, powers.size() - 1)];
        level[i] = db_of_power(sum / 3);
    }
    auto sorted = level;
    const double floor = quantile(sorted, 0.05);
    constexpr double kLeastRangeDb = 18;  // else something else sounds between the words
    if (quantile(sorted, 0.95) - floor < kLeastRangeDb) return out;
    std::vector<double> times;
    for (std::size_t i = 1; i + 1 < level.size();) {
        std::size_t last = i;
        while (last + 1 < level.size() && level[last + 1] < level[last] + 0.3 && level[last + 1] > floor + 3)
            ++last;
        const double drop = level[i] - level[last];
        if (drop >= 9 && last - i >= 6) {
            // Straight line through the lower half of the fall: above it the direct sound breaks off.
            LineFit line;
            for (std::size_t k = i; k <= last; ++k) {
                if (level[k] <= level[i] - 0.5 * drop) line.add(static_cast<double>(k - i) * 0.01, level[k]);
            }
            const double slope = line.fits(4) ? line.slope() : 0;
            if (slope < -10) times.push_back(-60 / slope);
        }
        i = std::max(last, i + 1);
    }
    out.falls = times.size();
    constexpr std::size_t kLeastFalls = 3;
    if (times.size() >= kLeastFalls) out.seconds = quantile(times, 0.5);
    return out;
}

}  // namespace rivlen
