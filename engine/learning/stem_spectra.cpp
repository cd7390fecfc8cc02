// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/learning/stem_spectra.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/active_power.h"
#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "engine/learning/spectra_loops.h"

namespace rivlen {

namespace {

constexpr std::size_t kFrameFloats = 2 * kPaddedBins;

// bands[b] += factor * the sum of the band's bins below `top`.
void add_band_sums(const float* bins, std::size_t top, float factor, float* bands) {
    const auto& edges = band_edges();
    const std::size_t single = std::min<std::size_t>(kSingleBands, top);
    for (std::size_t b = 0; b < single; ++b) bands[b] += factor * bins[b];
    for (std::size_t b = kSingleBands; b < kBands; ++b) {
        const auto last = std::min<std::size_t>(static_cast<std::size_t>(edges[b + 1]), top);
        float sum = 0.0F;
        for (auto k = static_cast<std::size_t>(edges[b]); k < last; ++k) sum += bins[k];
        bands[b] += factor * sum;
    }
}

// The stems of one mix with their gains, frame by frame.
class FrameMixer {
  public:
    explicit FrameMixer(const Blend& blend) : stems_(blend.stems), gains_(blend.gains), mono_(blend.mono) {}

    void set_gain(std::size_t s, float gain) { gains_[s] = gain; }
    // Fills stem() of those that sound, and mix().
    void mix(std::size_t frame, std::size_t channel) {
        mix_.fill(0.0F);
        for (std::size_t s = 0; s < kStems; ++s) {
            if (stems_[s] == nullptr) continue;
            auto& y = stem_[s];
            y.fill(0.0F);
            const auto row = [&](std::size_t c) {
                return stems_[s]->values.data() + (c * stems_[s]->frames + frame) * kFrameFloats;
            };
            if (mono_) {
                add_scaled(kFrameFloats, row(0), 0.5F * gains_[s], y.data());
                add_scaled(kFrameFloats, row(1), 0.5F * gains_[s], y.data());
            } else {
                add_scaled(kFrameFloats, row(channel), gains_[s], y.data());
            }
            add_scaled(kFrameFloats, y.data(), 1.0F, mix_.data());
        }
    }
    using Frame = std::array<float, kFrameFloats>;
    [[nodiscard]] const Frame& mix() const { return mix_; }
    [[nodiscard]] const Frame& stem(std::size_t s) const { return stem_[s]; }
    [[nodiscard]] bool sounds(std::size_t s) const { return stems_[s] != nullptr; }

  private:
    std::array<const StemSpectra*, kStems> stems_;
    std::array<float, kStems> gains_;
    bool mono_;
    alignas(64) std::array<Frame, kStems> stem_{};
    alignas(64) Frame mix_{};
};

using Bins = std::array<float, kPaddedBins>;

// One channel's frame into the sums of the loss.
void add_to_sums(const FrameMixer& frame, const Bins& powers, std::size_t top, std::size_t t,
                 std::size_t frames, LossSums& sums, double& total) {
    alignas(64) Bins cross;
    alignas(64) Bins magnitudes;
    bin_roots(kPaddedBins, powers.data(), magnitudes.data());
    total += static_cast<double>(sum_of_bins(top, magnitudes.data()));
    add_band_sums(magnitudes.data(), top, 1.5F, sums.mixture.data_ptr<float>() + t * kBands);
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!frame.sounds(s)) continue;
        bin_cross_terms(kPaddedBins, frame.mix().data(), powers.data(), frame.stem(s).data(), cross.data(),
                        magnitudes.data());
        add_band_sums(cross.data(), top, 1.0F, sums.cross.data_ptr<float>() + (s * frames + t) * kBands);
        sums.constant += 1.5 * static_cast<double>(sum_of_bins(top, magnitudes.data()));
    }
}

// Compressed powers of mid and side of one frame, before they are normalised (core/separation/bands.h).
void features_of_frame(const std::array<FrameMixer::Frame, 2>& channels, const std::array<Bins, 2>& powers,
                       bool mono, float* features) {
    std::array<float, kBands> mid_bands{};
    std::array<float, kBands> all_bands{};
    if (mono) {
        add_band_sums(powers[0].data(), kModelBins, 1.0F, mid_bands.data());
        all_bands = mid_bands;
    } else {
        alignas(64) FrameMixer::Frame mid{};
        alignas(64) Bins mid_powers;
        add_scaled(kFrameFloats, channels[0].data(), 0.5F, mid.data());
        add_scaled(kFrameFloats, channels[1].data(), 0.5F, mid.data());
        bin_powers(kPaddedBins, mid.data(), mid_powers.data());
        add_band_sums(mid_powers.data(), kModelBins, 1.0F, mid_bands.data());
        for (const auto& p : powers) add_band_sums(p.data(), kModelBins, 0.5F, all_bands.data());
    }
    for (std::size_t b = 0; b < kBands; ++b) {
        features[b] = mid_bands[b];
        features[kBands + b] = std::max(0.0F, all_bands[b] - mid_bands[b]);
    }
    compress_powers({features, 2 * std::size_t{kBands}});
}

}  // namespace

StemSpectra spectra_of(std::span<const std::vector<float>, 2> sides) {
    StemSpectra out;
    out.frames = Stft::frame_count(sides[0].size(), kModelHop);
    if (energy_of(sides[0]) == 0.0 && energy_of(sides[1]) == 0.0) return out;
    out.active_power = active_power(sides, kModelRate);
    out.values.assign(2 * out.frames * kFrameFloats, 0.0F);
    Stft stft(kModelFft);
    for (std::size_t c = 0; c < 2; ++c) {
        const auto x = analyse(stft, sides[c]);
        for (std::size_t t = 0; t < out.frames; ++t) {
            float* row = out.values.data() + (c * out.frames + t) * kFrameFloats;
            for (std::size_t k = 0; k < kModelBins; ++k) {
                row[k] = x[t * kModelBins + k].real();
                row[kPaddedBins + k] = x[t * kModelBins + k].imag();
            }
        }
    }
    return out;
}

Example example_of(const Blend& blend) {
    const std::size_t frames = blend.frames;
    Example example;
    example.features = torch::empty({static_cast<std::int64_t>(frames), kFeatureChannels, kBands});
    const std::span rows(example.features.data_ptr<float>(), frames * kFeatures);
    LossSums& sums = example.sums;
    sums.mixture = torch::zeros({static_cast<std::int64_t>(frames), kBands});
    sums.cross = torch::zeros({kStems, static_cast<std::int64_t>(frames), kBands});
    for (std::size_t s = 0; s < kStems; ++s) sums.absent[s] = blend.stems[s] == nullptr;
    double total = 0.0;
    FrameMixer frame(blend);
    alignas(64) std::array<FrameMixer::Frame, 2> channels{};
    alignas(64) std::array<Bins, 2> powers{};
    constexpr std::size_t kMusic = static_cast<std::size_t>(Stem::Music);
    for (std::size_t t = 0; t < frames; ++t) {
        if (!blend.music_gains.empty()) frame.set_gain(kMusic, blend.gains[kMusic] * blend.music_gains[t]);
        for (std::size_t c = 0; c < (blend.mono ? 1U : 2U); ++c) {
            frame.mix(t, c);
            channels[c] = frame.mix();
            bin_powers(kPaddedBins, channels[c].data(), powers[c].data());
            add_to_sums(frame, powers[c], blend.learned_bins, t, frames, sums, total);
        }
        features_of_frame(channels, powers, blend.mono, rows.data() + t * kFeatures);
    }
    normalise_features(rows);
    sums.scale = 1.0 / (total + 1e-3);
    return example;
}

}  // namespace rivlen
