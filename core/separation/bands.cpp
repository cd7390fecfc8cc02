// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/bands.h"

#include <algorithm>
#include <bit>
#include <cmath>
#include <cstdint>

#include "core/base/vector_code.h"

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

// 0.15 is the exponent that the features were first measured with; the small offset keeps digital silence
// finite. x^0.15 = e^(0.15 ln x): the logarithm of x = m 2^e, m between sqrt(1/2) and sqrt(2), by the
// polynomial of Cephes' logf (Moshier 1989), and e^y as in engine/units/vectors.h.
RIVLEN_VECTOR_CODE void compress(std::size_t count, float* __restrict values) {
    for (std::size_t i = 0; i < count; ++i) {
        const float x = values[i] + 1e-12F;
        const auto bits = std::bit_cast<std::int32_t>(x);
        const std::int32_t e = (bits - 0x3F3504F3) >> 23;
        const float f = std::bit_cast<float>(bits - (e << 23)) - 1.0F;
        float p = 7.0376836292E-2F;
        p = p * f - 1.1514610310E-1F;
        p = p * f + 1.1676998740E-1F;
        p = p * f - 1.2420140846E-1F;
        p = p * f + 1.4249322787E-1F;
        p = p * f - 1.6668057665E-1F;
        p = p * f + 2.0000714765E-1F;
        p = p * f - 2.4999993993E-1F;
        p = p * f + 3.3333331174E-1F;
        const float log_m = p * f * f * f - 0.5F * f * f + f;
        const float y = 0.15F * (log_m + static_cast<float>(e) * 0.693147181F);
        const float k = (y * 1.44269504F + 12582912.0F) - 12582912.0F;  // rounded
        const float r = (y - k * 0.693359375F) + k * 2.12194440e-4F;
        float q = 1.0F / 720.0F;
        q = q * r + 1.0F / 120.0F;
        q = q * r + 1.0F / 24.0F;
        q = q * r + 1.0F / 6.0F;
        q = q * r + 0.5F;
        q = q * r + 1.0F;
        q = q * r + 1.0F;
        values[i] = q * std::bit_cast<float>((static_cast<std::int32_t>(k) + 127) << 23);
    }
}

// sum += share x and all += share |x|^2 over bins (real and imaginary parts in turns).
RIVLEN_VECTOR_CODE void add_channel(std::size_t bins, const float* __restrict x, float share,
                                    float* __restrict sum, float* __restrict all) {
    for (std::size_t k = 0; k < bins; ++k) {
        sum[2 * k] += share * x[2 * k];
        sum[2 * k + 1] += share * x[2 * k + 1];
        all[k] += share * (x[2 * k] * x[2 * k] + x[2 * k + 1] * x[2 * k + 1]);
    }
}
RIVLEN_VECTOR_CODE void pair_powers(std::size_t bins, const float* __restrict x, float* __restrict powers) {
    for (std::size_t k = 0; k < bins; ++k) powers[k] = x[2 * k] * x[2 * k] + x[2 * k + 1] * x[2 * k + 1];
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

double band_edge_hz(std::size_t edge) {
    return (band_edges()[edge] - 0.5) * kModelRate / kModelFft;
}

double band_centre_hz(int band) {
    const auto& edges = band_edges();
    const auto b = static_cast<std::size_t>(band);
    return 0.5 * (edges[b] + edges[b + 1] - 1) * kModelRate / kModelFft;
}

void compress_powers(std::span<float> powers) {
    compress(powers.size(), powers.data());
}

void frame_features(std::span<const std::span<const Complex>> channel_spectra, std::span<float> features) {
    const float share = 1.0F / static_cast<float>(channel_spectra.size());
    std::array<float, 2 * kModelBins> sum{};
    std::array<float, kModelBins> all{};
    std::array<float, kModelBins> mid;
    for (const auto& spectrum : channel_spectra)
        add_channel(kModelBins, reinterpret_cast<const float*>(spectrum.data()), share, sum.data(),
                    all.data());
    pair_powers(kModelBins, sum.data(), mid.data());
    const auto& edges = band_edges();
    for (std::size_t b = 0; b < kBands; ++b) {
        float mid_power = 0.0F;
        float all_power = 0.0F;
        for (auto k = static_cast<std::size_t>(edges[b]); k < static_cast<std::size_t>(edges[b + 1]); ++k) {
            mid_power += mid[k];
            all_power += all[k];
        }
        features[b] = mid_power;
        features[kBands + b] = std::max(0.0F, all_power - mid_power);
    }
    compress_powers(features.first(2 * std::size_t{kBands}));
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
