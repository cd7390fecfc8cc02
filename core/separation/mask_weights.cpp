// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/mask_weights.h"

#include <algorithm>
#include <span>

#include "core/base/vector_code.h"
#include "core/dsp/decibels.h"

namespace rivlen {

namespace {

// Share of the guard in a band: none below 1.5 kHz, all from 2.5 kHz on.
const std::array<float, kBands>& guard_share() {
    static const auto share = [] {
        std::array<float, kBands> s{};
        for (int b = 0; b < kBands; ++b) {
            s[static_cast<std::size_t>(b)] =
                static_cast<float>(std::clamp((band_centre_hz(b) - 1500.0) / 1000.0, 0.0, 1.0));
        }
        return s;
    }();
    return share;
}

float linear_gain(const StemSettings& settings) {
    const double gain_db = settings.value(Setting::Gain);
    return gain_db == 0 ? 1.0F : static_cast<float>(amplitude_of_db(gain_db));
}

}  // namespace

bool MaskWeights::passes_all() const {
    if (min_gain > 1.0F || guard > 1.0F) return false;
    return std::ranges::all_of(std::span(weight).first(by_parts ? kSounds : kStems), [](const auto& bands) {
        return std::ranges::all_of(bands, [](float w) { return w == 1.0F; });
    });
}

MaskWeights stem_weights(const StemSettings& settings, std::size_t sound) {
    MaskWeights weights;
    const float gain = linear_gain(settings);
    const double isolation = settings.value(Setting::Isolation);
    std::array<float, kSounds> share{};
    if (sound == static_cast<std::size_t>(Stem::Dialogue)) {
        const auto kept = [&](Setting s) {
            // Evenly to the ear, as isolation is, in the other direction.
            return settings.acts(s) ? static_cast<float>(rest_gain(100.0 - settings.value(s))) : 0.0F;
        };
        share = {0.0F, kept(Setting::ReverbKept), kept(Setting::MusicKept), kept(Setting::AmbienceKept)};
        std::fill(share.begin() + kStems, share.end(), share[kMusicSound]);
        if (settings.acts(Setting::Guard))
            weights.guard = static_cast<float>(settings.value(Setting::Guard) / 100.0) * gain;
    }
    for (std::size_t b = 0; b < kBands; ++b) {
        const double here = isolation * weighting_factor(settings, band_centre_hz(static_cast<int>(b)));
        const auto rest = static_cast<float>(rest_gain(here));
        const auto owns = [sound](std::size_t j) {
            return j == sound || (sound == kMusicSound && is_music_part(j));
        };
        for (std::size_t j = 0; j < kSounds; ++j)
            weights.weight[j][b] = gain * (owns(j) ? 1.0F : std::max(rest, share[j]));
    }
    weights.min_gain = settings.acts(Setting::Floor)
                           ? static_cast<float>(amplitude_of_db(settings.value(Setting::Floor))) * gain
                           : 0.0F;
    if (settings.acts(Setting::TemporalSmoothing))
        weights.temporal_smoothing = static_cast<float>(settings.value(Setting::TemporalSmoothing) / 100.0);
    weights.both_channels = settings.both_channels ? 1.0F : 0.0F;
    weights.by_parts = is_music_part(sound);
    return weights;
}

namespace {

// Where two claim the same, the larger claim counts.
void claim(MaskWeights& weights, const MaskWeights& more) {
    for (std::size_t j = 0; j < kSounds; ++j) {
        for (std::size_t b = 0; b < kBands; ++b)
            weights.weight[j][b] = std::max(weights.weight[j][b], more.weight[j][b]);
    }
    weights.min_gain = std::max(weights.min_gain, more.min_gain);
    weights.guard = std::max(weights.guard, more.guard);
    weights.temporal_smoothing = std::max(weights.temporal_smoothing, more.temporal_smoothing);
    weights.both_channels = std::max(weights.both_channels, more.both_channels);
    weights.by_parts = weights.by_parts || more.by_parts;
}

void scale(MaskWeights& weights, float gain) {
    if (gain == 1.0F) return;
    for (auto& bands : weights.weight) {
        for (float& weight : bands) weight *= gain;
    }
    weights.min_gain *= gain;
    weights.guard *= gain;
}

// The music, whose parts sound where heard(part) says so.
template <typename Heard>
MaskWeights music_weights(const ShapeSettings& settings, const Heard& heard) {
    MaskWeights music = stem_weights(settings.stems[kMusicSound], kMusicSound);
    bool by_parts = false;
    for (std::size_t p = kStems; p < kSounds; ++p)
        by_parts = by_parts || !heard(p) || !settings.stems[p].untouched();
    if (!by_parts) return music;
    MaskWeights parts;
    for (std::size_t p = kStems; p < kSounds; ++p) {
        if (!heard(p)) continue;
        MaskWeights part = stem_weights(settings.stems[p], p);
        part.weight[kMusicSound].fill(0.0F);
        scale(part, linear_gain(settings.stems[kMusicSound]));
        claim(parts, part);
    }
    // What the music itself keeps of the rest, and how it moves; of its parts what they say.
    for (std::size_t p = kStems; p < kSounds; ++p) music.weight[p].fill(0.0F);
    claim(music, parts);
    music.by_parts = true;
    return music;
}

}  // namespace

MaskWeights sound_weights(const ShapeSettings& settings, std::size_t sound) {
    if (sound == kMusicSound)
        return music_weights(settings, [&](std::size_t part) { return !settings.stems[part].mute; });
    MaskWeights weights = stem_weights(settings.stems[sound], sound);
    if (is_music_part(sound)) scale(weights, linear_gain(settings.stems[kMusicSound]));
    return weights;
}

MaskWeights kept_weights(const ShapeSettings& settings) {
    MaskWeights weights;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!settings.audible(s)) continue;
        claim(weights, s == kMusicSound
                           ? music_weights(settings, [&](std::size_t part) { return settings.audible(part); })
                           : stem_weights(settings.stems[s], s));
    }
    return weights;
}

MaskWeights whole_weights() {
    MaskWeights weights;
    for (auto& bands : weights.weight) bands.fill(1.0F);
    return weights;
}

MaskWeights blend(const MaskWeights& a, const MaskWeights& b, float part) {
    if (part <= 0.0F) return a;
    if (part >= 1.0F) return b;
    const auto mix = [part](float x, float y) { return x + part * (y - x); };
    MaskWeights out;
    out.by_parts = a.by_parts || b.by_parts;
    const std::size_t rows = out.by_parts ? kSounds : kStems;
    for (std::size_t j = 0; j < rows; ++j) {
        for (std::size_t k = 0; k < kBands; ++k) out.weight[j][k] = mix(a.of(j)[k], b.of(j)[k]);
    }
    out.min_gain = mix(a.min_gain, b.min_gain);
    out.guard = mix(a.guard, b.guard);
    out.temporal_smoothing = mix(a.temporal_smoothing, b.temporal_smoothing);
    out.both_channels = mix(a.both_channels, b.both_channels);
    return out;
}

namespace {

constexpr float kExplained = 0.5F;  // dialogue's share of a band from which on the guard opens all of it

RIVLEN_VECTOR_CODE void mix_masks(const float* __restrict weights, const float* __restrict masks,
                                  const float min_gain, float* __restrict gains) {
    for (int b = 0; b < kBands; ++b) {
        float gain = 0.0F;
        for (int j = 0; j < kStems; ++j) gain += weights[j * kBands + b] * masks[j * kBands + b];
        gains[b] = gain > min_gain ? gain : min_gain;
    }
}

// The same with the parts of the music in its place.
RIVLEN_VECTOR_CODE void mix_opened_masks(const float* __restrict weights, const float* __restrict masks,
                                         const float min_gain, float* __restrict gains) {
    constexpr int kMusic = static_cast<int>(Stem::Music);
    for (int b = 0; b < kBands; ++b) {
        float gain = 0.0F;
        for (int j = 0; j < kSounds; ++j)
            gain += j == kMusic ? 0.0F : weights[j * kBands + b] * masks[j * kBands + b];
        gains[b] = gain > min_gain ? gain : min_gain;
    }
}

}  // namespace

void band_gains(const MaskWeights& weights, std::span<const float> masks, float open,
                std::span<float> gains) {
    const auto mix = weights.by_parts && masks.size() >= kOpenedRow ? mix_opened_masks : mix_masks;
    mix(weights.weight.front().data(), masks.data(), weights.min_gain, gains.data());
    const float held = open * weights.guard;
    if (held <= 0.0F) return;
    const auto& share = guard_share();
    const auto dialogue = masks.subspan(static_cast<std::size_t>(Stem::Dialogue) * kBands, kBands);
    for (std::size_t b = 0; b < kBands; ++b) {
        const float explained = std::min(1.0F, dialogue[b] / kExplained);
        gains[b] = std::max(gains[b], held * share[b] * explained);
    }
}

}  // namespace rivlen
