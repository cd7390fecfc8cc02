// SPDX-License-Identifier: GPL-3.0-or-later
// The measures that need spectra.
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/diagnosis/evidence.h"
#include "core/diagnosis/line_fit.h"
#include "core/diagnosis/spectra.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"
#include "core/effects/hiss.h"

namespace rivlen {

namespace {

double mean_of(std::span<const double> x) {
    double sum = 0;
    for (const double v : x) sum += v;
    return x.empty() ? 0 : sum / static_cast<double>(x.size());
}

}  // namespace

HumEvidence find_hum(std::span<const float> mono, int sample_rate) {
    HumEvidence out;
    const std::size_t size = std::size_t{1}
                             << static_cast<std::size_t>(std::lround(std::log2(2.7 * sample_rate)));
    constexpr double kHighest = 1600;
    Spectra spectra(size, sample_rate);
    const double hz = spectra.hz_a_bin();
    const std::size_t bins = std::min(size / 2, spectra.bin(kHighest) + 40);
    std::vector<std::vector<float>> over_time(bins);
    for (std::size_t at = 0; at == 0 || at + size <= mono.size(); at += size / 2) {
        const auto power = spectra.of(mono, at, bins);
        for (std::size_t b = 0; b < bins; ++b) over_time[b].push_back(power[b]);
    }
    std::vector<double> level(bins);
    for (std::size_t b = 0; b < bins; ++b)
        level[b] = db_of_power(static_cast<double>(quantile(over_time[b], 0.25)));
    // How far a line at a frequency stands out, and where exactly it is.
    struct Line {
        double over_db = -100, hz = 0, level_db = -120;
    };
    const auto line_at = [&](double frequency, double reach) {
        Line line;
        const auto first = static_cast<std::size_t>(std::max(1.0, std::floor((frequency - reach) / hz)));
        const auto last = static_cast<std::size_t>(std::ceil((frequency + reach) / hz));
        if (last + 2 >= bins) return line;
        std::size_t top = first;
        for (std::size_t b = first; b <= last; ++b) {
            if (level[b] > level[top]) top = b;
        }
        if (level[top] < level[top - 1] || level[top] < level[top + 1])
            return line;  // the slope of something else
        std::vector<float> around;
        for (const int side : {-1, 1}) {
            for (int d = 4; d <= 16; ++d) {
                const auto b = static_cast<std::ptrdiff_t>(top) + side * d;
                if (b > 0 && b < static_cast<std::ptrdiff_t>(bins))
                    around.push_back(static_cast<float>(level[static_cast<std::size_t>(b)]));
            }
        }
        line.level_db = level[top];
        line.over_db = level[top] - static_cast<double>(quantile(around, 0.5));
        const double a = level[top - 1];
        const double c = level[top + 1];
        const double bend = a - 2 * level[top] + c;
        line.hz = hz * (static_cast<double>(top) + (bend < 0 ? 0.5 * (a - c) / bend : 0.0));
        return line;
    };
    constexpr int kTones = 24;
    constexpr double kStandsOut = 10;
    double best = 0;
    for (double f = 45; f <= 65; f += 0.05) {
        double score = 0;
        for (int k = 1; k <= kTones && k * f < kHighest; ++k) {
            const Line line = line_at(k * f, hz);
            if (std::abs(line.hz - k * f) > hz) continue;
            score += std::clamp(line.over_db - 6, 0.0, 20.0) * (1 - std::abs(line.hz - k * f) / (2 * hz));
        }
        if (score > best) {
            best = score;
            out.frequency_hz = f;
        }
    }
    if (best <= 0) return out;
    double power = 0;
    double weight = 0;
    double frequency = 0;
    for (int k = 1; k <= kTones && k * out.frequency_hz < kHighest; ++k) {
        const Line line = line_at(k * out.frequency_hz, hz);
        if (line.over_db < kStandsOut || std::abs(line.hz - k * out.frequency_hz) > hz) continue;
        ++out.tones;
        if (k <= 3) out.clearest_db = std::max(out.clearest_db, line.over_db);
        out.highest = k;
        power += power_of_db(line.level_db);
        const double trust = k * std::min(line.over_db, 30.0);
        frequency += trust * line.hz / k;
        weight += trust;
    }
    if (out.tones == 0) return out;
    out.frequency_hz = frequency / weight;
    out.level_dbfs = db_of_power(power);
    return out;
}

HissEvidence find_hiss(std::span<const float> mono, int sample_rate) {
    HissEvidence out;
    constexpr std::size_t kSize = 2048;
    Spectra spectra(kSize, sample_rate);
    const double top = std::min(16000.0, 0.45 * sample_rate);
    struct Band {
        std::size_t first, last;
        double octaves;  // from 4 kHz
        std::vector<float> density;
    };
    std::vector<Band> bands;
    for (double low = 1000; low * std::exp2(1.0 / 3) <= top; low *= std::exp2(1.0 / 3)) {
        const double high = low * std::exp2(1.0 / 3);
        bands.push_back({spectra.bin(low), spectra.bin(high), std::log2(low / 4000) + 1.0 / 6, {}});
    }
    if (bands.size() < 3 || mono.size() < kSize) return out;
    for (std::size_t at = 0; at + kSize <= mono.size(); at += kSize / 2) {
        const auto power = spectra.of(mono, at, kSize / 2);
        for (auto& band : bands) {
            double sum = 0;
            for (std::size_t b = band.first; b < band.last; ++b) sum += static_cast<double>(power[b]);
            band.density.push_back(static_cast<float>(sum / static_cast<double>(band.last - band.first) /
                                                      spectra.power_of_density()));
        }
    }
    std::vector<double> level;
    std::vector<double> octaves;
    double unsteady = 0;
    for (auto& band : bands) {
        const double quiet = db_of_power(static_cast<double>(quantile(band.density, 0.1)) * 1e6) - 60;
        const double third = db_of_power(static_cast<double>(quantile(band.density, 0.33)) * 1e6) - 60;
        unsteady += (third - quiet) / static_cast<double>(bands.size());
        level.push_back(quiet + 1);  // the lowest tenth lies under the mean
        octaves.push_back(band.octaves);
    }
    // A line that the bands that stick out do not bend: fitted, then again without those 6 dB and more off.
    double at4 = mean_of(level);
    double tilt = 0;
    for (int round = 0; round < 3; ++round) {
        LineFit line;
        for (std::size_t b = 0; b < level.size(); ++b) {
            if (round == 0 || std::abs(level[b] - at4 - tilt * octaves[b]) <= 6)
                line.add(octaves[b], level[b]);
        }
        if (!line.fits(3)) break;
        tilt = line.slope();
        at4 = line.at_zero();
    }
    double rough = 0;
    double power = 0;
    for (std::size_t b = 0; b < level.size(); ++b) {
        const double d = level[b] - at4 - tilt * octaves[b];
        rough += d * d;
        power += power_of_db(at4 + tilt * octaves[b]) * static_cast<double>(bands[b].last - bands[b].first) *
                 spectra.hz_a_bin();
    }
    out.tilt_db = tilt;
    out.third_octave_dbfs = HissRemover::third_octave_db(power_of_db(at4));
    out.level_dbfs = db_of_power(power) + kSineDb;
    out.rough_db = std::sqrt(rough / static_cast<double>(level.size()));
    out.unsteady_db = unsteady;
    return out;
}

SpectrumEvidence measure_spectrum(std::span<const float> mono, int sample_rate) {
    SpectrumEvidence out;
    const std::size_t size = sample_rate > 30000 ? 1024 : 512;
    if (mono.size() < size) return out;
    Spectra spectra(size, sample_rate);
    const std::size_t bins = size / 2;
    std::vector<float> hissing;
    std::vector<double> mean(bins);
    const auto sum_between = [&](std::span<const float> p, double low, double high) {
        double sum = 0;
        for (std::size_t b = spectra.bin(low); b <= std::min(bins - 1, spectra.bin(high)); ++b)
            sum += static_cast<double>(p[b]);
        return sum;
    };
    // Two passes: the first finds how loud an active frame is.
    std::vector<float> totals;
    for (std::size_t at = 0; at + size <= mono.size(); at += size)
        totals.push_back(static_cast<float>(energy_of(mono.subspan(at, size))));
    auto sorted = totals;
    const float active = quantile(sorted, 0.95) * static_cast<float>(power_of_db(-25));
    double power = 0;
    std::size_t count = 0;
    std::size_t frame = 0;
    for (std::size_t at = 0; at + size <= mono.size(); at += size) {
        if (totals[frame++] < active) continue;
        const auto p = spectra.of(mono, at, bins);
        for (std::size_t b = 0; b < bins; ++b) mean[b] += static_cast<double>(p[b]);
        hissing.push_back(static_cast<float>(sum_between(p, 6000, 10000)));
        power += sum_between(p, 80, 20000);
        ++count;
    }
    if (count == 0 || power <= 0) return out;
    out.sibilance_db =
        db_of_power(static_cast<double>(quantile(hissing, 0.98)) / (power / static_cast<double>(count)));
    const auto density = [&](double low, double high) {
        double sum = 0;
        std::size_t n = 0;
        for (std::size_t b = spectra.bin(low); b <= spectra.bin(high) && b < bins; ++b, ++n) sum += mean[b];
        return n == 0 ? -120.0 : db_of_power(sum / static_cast<double>(n) / static_cast<double>(count));
    };
    out.low_edge_db = density(300, 1000) - density(80, 200);
    out.high_edge_db = density(1000, 3000) - density(5000, 7000);
    // Third octaves of speech at 400, 1250 and 2500 Hz: 62.1, 53.0 and 48.1 dB of 70 (D. Byrne et al., "An
    // international comparison of long-term average speech spectra", JASA 96, 1994; from memory); as
    // densities.
    constexpr std::array<double, 3> kMiddle = {450, 1200, 2700};
    constexpr std::array<double, 3> kSpeech = {62.1, 53.0, 48.1};
    for (std::size_t i = 0; i < 3; ++i)
        out.colour_db[i] =
            density(kMiddle[i] / 1.3, kMiddle[i] * 1.3) - (kSpeech[i] - 10 * std::log10(kMiddle[i]));
    const double middle = mean_of(out.colour_db);
    for (double& c : out.colour_db) c -= middle;
    return out;
}

}  // namespace rivlen
