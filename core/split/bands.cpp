#include "core/split/bands.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

namespace {

std::array<int, kBands + 1> make_edges() {
    std::array<int, kBands + 1> edges{};
    for (int b = 0; b <= kSingleBands; ++b) edges[static_cast<std::size_t>(b)] = b;
    const int groups = kBands - kSingleBands;
    const double ratio = static_cast<double>(kModelBins) / kSingleBands;
    for (int g = 1; g <= groups; ++g) {
        const double edge = kSingleBands * std::pow(ratio, static_cast<double>(g) / groups);
        edges[std::size_t{kSingleBands} + static_cast<std::size_t>(g)] = static_cast<int>(std::lround(edge));
    }
    return edges;
}

}  // namespace

const std::array<int, kBands + 1>& band_edges() {
    static const auto edges = make_edges();
    return edges;
}

const std::array<int, kModelBins>& band_of_bin() {
    static const auto table = [] {
        std::array<int, kModelBins> bands{};
        const auto& edges = band_edges();
        for (std::size_t b = 0; b < kBands; ++b) {
            for (int k = edges[b]; k < edges[b + 1]; ++k)
                bands[static_cast<std::size_t>(k)] = static_cast<int>(b);
        }
        return bands;
    }();
    return table;
}

double band_centre_hz(int band) {
    const auto& edges = band_edges();
    const auto b = static_cast<std::size_t>(band);
    return 0.5 * (edges[b] + edges[b + 1] - 1) * kModelRate / kModelFft;
}

// 0.15 is the exponent that the features were first measured with; the small offset keeps digital silence
// finite.
float compressed_power(float power) {
    return std::pow(power + 1e-12F, 0.15F);
}

void frame_features(std::span<const std::span<const Complex>> channel_spectra, std::span<float> features) {
    const auto& edges = band_edges();
    const float share = 1.0F / static_cast<float>(channel_spectra.size());
    for (std::size_t b = 0; b < kBands; ++b) {
        float mid = 0.0F;
        float all = 0.0F;
        for (auto k = static_cast<std::size_t>(edges[b]); k < static_cast<std::size_t>(edges[b + 1]); ++k) {
            Complex sum{};
            for (const auto& spectrum : channel_spectra) {
                sum += spectrum[k];
                all += std::norm(spectrum[k]) * share;
            }
            mid += std::norm(sum * share);
        }
        features[b] = compressed_power(mid);
        features[kBands + b] = compressed_power(std::max(0.0F, all - mid));
    }
}

void normalise_features(std::span<float> rows) {
    constexpr std::size_t kMeasured = 2 * std::size_t{kBands};  // mid and side
    const std::size_t frames = rows.size() / kFeatures;
    std::vector<double> running(frames + 1, 0.0);  // sums over frames 0..t-1
    for (std::size_t t = 0; t < frames; ++t) {
        double sum = 0.0;
        for (const float value : rows.subspan(t * kFeatures, kMeasured)) sum += static_cast<double>(value);
        running[t + 1] = running[t] + sum;
    }
    const auto mid = [&](std::size_t t) { return rows.subspan(t * kFeatures, kBands); };
    std::array<double, kBands> window{};  // sum of mid over frames from..to-1
    std::size_t from = 0;
    std::size_t to = 0;
    for (std::size_t t = 0; t < frames; ++t) {
        for (; to < std::min(frames, t + kLevelFrames + 1); ++to) {
            for (std::size_t b = 0; b < kBands; ++b) window[b] += static_cast<double>(mid(to)[b]);
        }
        for (; from + kLevelFrames < t; ++from) {
            for (std::size_t b = 0; b < kBands; ++b) window[b] -= static_cast<double>(mid(from)[b]);
        }
        const auto steady = rows.subspan(t * kFeatures + kMeasured, kBands);
        const auto count = static_cast<double>(to - from);
        for (std::size_t b = 0; b < kBands; ++b) steady[b] = static_cast<float>(window[b] / count);
    }
    for (std::size_t t = 0; t < frames; ++t) {
        from = t > kLevelFrames ? t - kLevelFrames : 0;
        to = std::min(frames, t + kLevelFrames + 1);
        const double mean = (running[to] - running[from]) / (static_cast<double>(to - from) * kMeasured);
        const auto scale = static_cast<float>(1.0 / (mean + 1e-3));
        for (float& value : rows.subspan(t * kFeatures, kFeatures)) value *= scale;
    }
}

std::vector<BandRead> band_reads(int sample_rate, int fft_size) {
    const auto bins = static_cast<std::size_t>(fft_size) / 2 + 1;
    std::vector<BandRead> reads(bins);
    for (std::size_t k = 0; k < bins; ++k) {
        const double position =
            static_cast<double>(k) * sample_rate / fft_size * kModelFft / kModelRate;  // in bins of the model
        BandRead& read = reads[k];
        if (position < kSingleBands - 1) {
            read.low = static_cast<int>(position);
            read.high = std::min(read.low + 1, kBands - 1);
            read.part = static_cast<float>(position - read.low);
        } else {
            const auto bin =
                std::min<std::size_t>(static_cast<std::size_t>(std::lround(position)), kModelBins - 1);
            read.low = read.high = band_of_bin()[bin];
        }
    }
    return reads;
}

}  // namespace rivlen
