// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/spectra.h"

#include <algorithm>

namespace rivlen::learn {

PartsSpectra spectra_of(const Parts& parts) {
    return {{rivlen::spectra_of(parts.dialogue), rivlen::spectra_of(parts.reverb),
             rivlen::spectra_of(parts.music), rivlen::spectra_of(parts.ambience)},
            parts.bandwidth_hz,
            parts.activity};
}

Example example_of(const Scene& scene, const PartsSpectra& voice, const PartsSpectra& music,
                   const PartsSpectra& ambience, Rng& rng) {
    Blend blend;
    blend.frames = voice.stems[0].frames;
    blend.gains = mix_gains(scene, music.stems[2].active_power, ambience.stems[3].active_power, rng).stems;
    blend.mono = scene.mono;
    blend.learned_bins = learned_bins(scene.voices > 0 ? voice.bandwidth_hz : 24000.0);
    const auto use = [&](std::size_t s, const StemSpectra& part) {
        if (!part.values.empty()) blend.stems[s] = &part;
    };
    if (scene.voices > 0) {
        use(0, voice.stems[0]);
        use(1, voice.stems[1]);
    }
    if (scene.music) use(2, music.stems[2]);
    if (!scene.ambiences.empty()) use(3, ambience.stems[3]);
    std::vector<float> ducked;
    if (scene.ducked) {
        ducked.resize(blend.frames);
        std::ranges::transform(voice.activity, ducked.begin(), duck_gain);
        blend.music_gains = ducked;
    }
    return rivlen::example_of(blend);
}

}  // namespace rivlen::learn
