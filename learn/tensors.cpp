// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/tensors.h"

#include <cmath>

#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "core/separation/bands.h"

namespace rivlen::learn {

torch::Tensor features_of(const Stereo& mix) {
    Stft stft(kModelFft);
    const auto left = analyse(stft, mix[0]);
    const auto right = analyse(stft, mix[1]);
    const std::size_t frames = left.size() / kModelBins;
    auto out = torch::empty({static_cast<std::int64_t>(frames), kFeatureChannels, kBands});
    const std::span rows(out.data_ptr<float>(), frames * kFeatures);
    for (std::size_t t = 0; t < frames; ++t) {
        const std::array channels = {std::span<const Complex>(left).subspan(t * kModelBins, kModelBins),
                                     std::span<const Complex>(right).subspan(t * kModelBins, kModelBins)};
        frame_features(channels, rows.subspan(t * kFeatures, kFeatures));
    }
    normalise_features(rows);
    return out;
}

LossSums loss_sums(const Mix& mix) {
    Stft stft(kModelFft);
    const std::size_t frames = Stft::frame_count(mix.frames(), kModelHop);
    LossSums sums;
    sums.mixture = torch::zeros({static_cast<std::int64_t>(frames), kBands});
    sums.cross = torch::zeros({kStems, static_cast<std::int64_t>(frames), kBands});
    float* mixture = sums.mixture.data_ptr<float>();
    float* cross = sums.cross.data_ptr<float>();
    const std::size_t top = learned_bins(mix.bandwidth_hz);
    double total = 0.0;
    const bool mono = mix.mix[0] == mix.mix[1];
    for (std::size_t c = 0; c < (mono ? 1U : 2U); ++c) {
        const auto x = analyse(stft, mix.mix[c]);
        std::vector<float> root(x.size());
        for (std::size_t t = 0; t < frames; ++t) {
            for (std::size_t k = 0; k < top; ++k) {
                const std::size_t i = t * kModelBins + k;
                const float magnitude = std::sqrt(std::norm(x[i]));
                root[i] = std::sqrt(magnitude);
                mixture[t * kBands + static_cast<std::size_t>(band_of_bin()[k])] += 1.5F * magnitude;
                total += static_cast<double>(magnitude);
            }
        }
        for (std::size_t s = 0; s < kStems; ++s) {
            sums.absent[s] = (c == 0 || sums.absent[s]) && energy_of(mix.stems[s][c]) == 0.0;
            const auto y = analyse(stft, mix.stems[s][c]);
            for (std::size_t t = 0; t < frames; ++t) {
                for (std::size_t k = 0; k < top; ++k) {
                    const std::size_t i = t * kModelBins + k;
                    const float magnitude = std::sqrt(std::norm(y[i]));
                    if (magnitude <= 0.0F || root[i] <= 0.0F) continue;
                    const float both = root[i] * root[i] * magnitude;
                    const float cosine = (x[i].real() * y[i].real() + x[i].imag() * y[i].imag()) / both;
                    cross[(s * frames + t) * kBands + static_cast<std::size_t>(band_of_bin()[k])] +=
                        root[i] * std::sqrt(magnitude) * (2.0F + cosine);
                    sums.constant += 1.5 * static_cast<double>(magnitude);
                }
            }
        }
    }
    sums.scale = 1.0 / (total + 1e-3);
    return sums;
}

}  // namespace rivlen::learn
