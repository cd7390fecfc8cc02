// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/known_powers.h"

#include "core/dsp/stft.h"
#include "core/separation/bands.h"

namespace rivlen::learn {

std::vector<float> known_powers(const Stereo& sound) {
    Stft stft(kModelFft);
    const std::size_t frames = Stft::frame_count(sound[0].size(), kModelHop);
    std::vector<float> out(frames * kBands), padded;
    std::vector<Complex> spectrum(kModelBins);
    for (const auto& channel : sound) {
        padded.assign(kModelFft / 2, 0.0F);
        padded.insert(padded.end(), channel.begin(), channel.end());
        padded.resize(frames * kModelHop + kModelFft, 0.0F);
        for (std::size_t t = 0; t < frames; ++t) {
            stft.forward(std::span<const float>(padded).subspan(t * kModelHop, kModelFft), spectrum);
            for (std::size_t k = 0; k < spectrum.size(); ++k)
                out[t * kBands + static_cast<std::size_t>(band_of_bin()[k])] += std::norm(spectrum[k]);
        }
    }
    return out;
}

}  // namespace rivlen::learn
