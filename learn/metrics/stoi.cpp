// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/metrics/stoi.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <vector>

#include "core/dsp/real_fft.h"
#include "core/dsp/resample.h"

namespace rivlen {

namespace {

constexpr int kRate = 10000;
constexpr std::size_t kFrame = 256, kHop = 128, kFft = 512, kBandCount = 15, kSegment = 30;
constexpr double kLowestCentreHz = 150.0, kClipDb = -15.0, kRangeDb = 40.0;

const std::array<float, kFrame>& window() {
    static const auto w = [] {  // Hann without its zero ends, as hanning(N + 2)(2 : N + 1)
        std::array<float, kFrame> x{};
        for (std::size_t i = 0; i < kFrame; ++i) {
            x[i] = static_cast<float>(
                0.5 - 0.5 * std::cos(2.0 * std::numbers::pi * static_cast<double>(i + 1) / (kFrame + 1)));
        }
        return x;
    }();
    return w;
}

// Frames of the clean voice more than 40 dB below its loudest are taken out of both signals, which are then
// put together again by overlap-add.
void without_silence(std::vector<float>& x, std::vector<float>& y) {
    std::vector<std::size_t> starts;
    std::vector<double> levels;
    for (std::size_t at = 0; at + kFrame <= x.size(); at += kHop) {
        double sum = 0.0;
        for (std::size_t i = 0; i < kFrame; ++i) {
            const auto v = static_cast<double>(x[at + i] * window()[i]);
            sum += v * v;
        }
        starts.push_back(at);
        levels.push_back(20.0 * std::log10(std::sqrt(sum / kFrame) + 1e-30));
    }
    if (starts.empty()) return;
    const double limit = *std::ranges::max_element(levels) - kRangeDb;
    std::vector<std::size_t> kept;
    for (std::size_t i = 0; i < starts.size(); ++i) {
        if (levels[i] > limit) kept.push_back(starts[i]);
    }
    const auto joined = [&](const std::vector<float>& in) {
        std::vector<float> out(kept.empty() ? 0 : (kept.size() - 1) * kHop + kFrame, 0.0F);
        for (std::size_t j = 0; j < kept.size(); ++j) {
            for (std::size_t i = 0; i < kFrame; ++i) out[j * kHop + i] += in[kept[j] + i] * window()[i];
        }
        return out;
    };
    auto a = joined(x);
    y = joined(y);
    x = std::move(a);
}

using Bands = std::vector<std::array<double, kBandCount>>;  // [frame][band]: magnitude

// First and one past the last bin of each third-octave band.
std::array<std::pair<std::size_t, std::size_t>, kBandCount> third_octaves() {
    std::array<std::pair<std::size_t, std::size_t>, kBandCount> out;
    const auto nearest = [](double hz) {
        return static_cast<std::size_t>(std::lround(hz * static_cast<double>(kFft) / kRate));
    };
    for (std::size_t k = 0; k < kBandCount; ++k) {
        const double third = static_cast<double>(k) / 3.0;
        out[k] = {nearest(kLowestCentreHz * std::exp2(third - 1.0 / 6.0)),
                  nearest(kLowestCentreHz * std::exp2(third + 1.0 / 6.0))};
    }
    return out;
}

Bands bands_of(const std::vector<float>& x) {
    static const auto edges = third_octaves();
    RealFft fft(kFft);
    std::array<float, kFrame> frame{};
    Bands out;
    for (std::size_t at = 0; at + kFrame <= x.size(); at += kHop) {
        for (std::size_t i = 0; i < kFrame; ++i) frame[i] = x[at + i] * window()[i];
        fft.forward(frame);
        std::array<double, kBandCount> row{};
        for (std::size_t b = 0; b < kBandCount; ++b) {
            double sum = 0.0;
            for (std::size_t k = edges[b].first; k < edges[b].second; ++k)
                sum += static_cast<double>(std::norm(fft.bins()[k]));
            row[b] = std::sqrt(sum);
        }
        out.push_back(row);
    }
    return out;
}

using Segment = std::array<std::array<double, kSegment>, kBandCount>;  // [band][frame]

Segment segment_of(const Bands& bands, std::size_t end) {
    Segment s{};
    for (std::size_t b = 0; b < kBandCount; ++b) {
        for (std::size_t n = 0; n < kSegment; ++n) s[b][n] = bands[end - kSegment + n][b];
    }
    return s;
}

double norm(std::span<const double> x) {
    double sum = 0.0;
    for (const double v : x) sum += v * v;
    return std::sqrt(sum);
}

void centre(std::span<double> x) {  // zero mean, unit length
    double mean = 0.0;
    for (const double v : x) mean += v / static_cast<double>(x.size());
    for (double& v : x) v -= mean;
    const double length = norm(x) + 1e-15;
    for (double& v : x) v /= length;
}

double correlation(const Segment& x, const Segment& y) {  // equation 5 and 6 of Taal et al.
    const double limit = 1.0 + std::pow(10.0, -kClipDb / 20.0);
    double sum = 0.0;
    for (std::size_t b = 0; b < kBandCount; ++b) {
        auto clean = x[b];
        auto other = y[b];
        const double scale = norm(clean) / (norm(other) + 1e-15);
        for (std::size_t n = 0; n < kSegment; ++n) other[n] = std::min(other[n] * scale, clean[n] * limit);
        centre(clean);
        centre(other);
        for (std::size_t n = 0; n < kSegment; ++n) sum += clean[n] * other[n];
    }
    return sum / static_cast<double>(kBandCount);
}

double extended(Segment x, Segment y) {  // rows, then columns are centred: equation 6 of Jensen and Taal
    for (Segment* s : {&x, &y}) {
        for (auto& band : *s) centre(band);
        for (std::size_t n = 0; n < kSegment; ++n) {
            std::array<double, kBandCount> column{};
            for (std::size_t b = 0; b < kBandCount; ++b) column[b] = (*s)[b][n];
            centre(column);
            for (std::size_t b = 0; b < kBandCount; ++b) (*s)[b][n] = column[b];
        }
    }
    double sum = 0.0;
    for (std::size_t b = 0; b < kBandCount; ++b) {
        for (std::size_t n = 0; n < kSegment; ++n) sum += x[b][n] * y[b][n];
    }
    return sum / static_cast<double>(kSegment);
}

}  // namespace

Intelligibility intelligibility(std::span<const float> clean, std::span<const float> processed,
                                int sample_rate) {
    auto x = resample(clean, sample_rate, kRate);
    auto y = resample(processed, sample_rate, kRate);
    y.resize(x.size(), 0.0F);
    without_silence(x, y);
    const Bands a = bands_of(x);
    const Bands b = bands_of(y);
    Intelligibility out;
    if (a.size() < kSegment) return out;
    for (std::size_t end = kSegment; end <= a.size(); ++end) {
        const Segment one = segment_of(a, end);
        const Segment two = segment_of(b, end);
        out.stoi += correlation(one, two);
        out.estoi += extended(one, two);
    }
    const auto count = static_cast<double>(a.size() - kSegment + 1);
    out.stoi /= count;
    out.estoi /= count;
    return out;
}

}  // namespace rivlen
