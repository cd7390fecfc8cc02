// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/settings.h"

#include <algorithm>
#include <cmath>
#include <functional>

namespace rivlen {

namespace {

constexpr std::array<ParameterInfo, kSettings> kInfos = {{
    {"isolation", "Isolation", "%", 0, 100, 100, 1, false, false,
     "How far everything else comes down while this stem stays.",
     "Too much takes consonants with it and leaves the place dead."},
    {"floor", "Floor", "dB", -60, 0, -12, 1, true, false, "The most that anything may be turned down.",
     "Too high a floor lets the rest be heard again."},
    {"guard", "Consonant guard", "%", 0, 100, 60, 1, true, true,
     "Holds the highs open where a t, k, s or x begins next to voiced sound.",
     "Too much lets the rest hiss through with every consonant."},
    {"steadiness", "Steadiness", "%", 0, 100, 40, 1, true, false,
     "Calms what flickers: residue opens fast and closes slowly.",
     "Too much smears: the rest breathes along behind every word."},
    {"reverb-kept", "Reverb kept", "%", 0, 100, 40, 1, true, true,
     "How much of the voice's own reverberation rides along.", "Too much brings the echo back."},
    {"music-kept", "Music kept", "%", 0, 100, 20, 1, true, true, "How much of the music rides along.",
     "Too much and the voice no longer stands in front."},
    {"ambience-kept", "Ambience kept", "%", 0, 100, 20, 1, true, true,
     "How much of the place and its noises rides along.", "Too much brings the noise back."},
    {"gain", "Gain", "dB", -60, 12, 0, 0.5, false, false, "Level of this stem in what is kept.",
     "Too much brings up the residue of the other stems with it."},
}};

}  // namespace

const ParameterInfo& info(Setting setting) {
    return kInfos[static_cast<std::size_t>(setting)];
}

StemSettings::StemSettings() {
    for (std::size_t i = 0; i < kSettings; ++i) values[i] = kInfos[i].standard;
}

bool StemSettings::untouched() const {
    StemSettings as_it_comes;
    as_it_comes.both_channels = both_channels;
    return *this == as_it_comes;
}

bool ShapeSettings::sets_music_part() const {
    return !std::all_of(stems.begin() + kStems, stems.end(), std::mem_fn(&StemSettings::untouched));
}

bool ShapeSettings::audible(std::size_t sound) const {
    const auto solo = [](const StemSettings& s) { return s.solo; };
    const bool any_part = std::any_of(stems.begin() + kStems, stems.end(), solo);
    const bool any = any_part || std::any_of(stems.begin(), stems.begin() + kStems, solo);
    const StemSettings& music = stems[kMusicSound];
    if (stems[sound].mute || (is_music_part(sound) && music.mute)) return false;
    if (!any || stems[sound].solo) return true;
    if (sound == kMusicSound) return any_part;
    return is_music_part(sound) && music.solo && !any_part;
}

void ShapeSettings::use_both_channels(bool on) {
    for (auto& stem : stems) stem.both_channels = on;
}

bool ShapeSettings::neutral() const {
    for (std::size_t s = 0; s < kSounds; ++s) {
        const auto& stem = stems[s];
        const bool any_on = std::ranges::any_of(stem.on, [](bool on) { return on; });
        const bool weighted = stem.weighting_on && !stem.weighting.empty();
        if (!audible(s) || stem.value(Setting::Isolation) != 100 || any_on || weighted ||
            stem.value(Setting::Gain) != 0)
            return false;
    }
    return true;
}

MusicHeard music_heard(const ShapeSettings& settings) {
    ShapeSettings parts;  // as if the music were all there is
    for (std::size_t p = kStems; p < kSounds; ++p) {
        parts.stems[p].mute = settings.stems[p].mute;
        parts.stems[p].solo = settings.stems[p].solo;
    }
    const bool voices = parts.audible(sound_of(MusicPart::Voices));
    const auto others =
        std::count_if(settings.stems.begin() + kStems, settings.stems.end(),
                      [&](const StemSettings& s) {
                          return parts.audible(static_cast<std::size_t>(&s - settings.stems.data()));
                      }) -
        (voices ? 1 : 0);
    if (others == kMusicParts - 1) return voices ? MusicHeard::All : MusicHeard::Instrumental;
    return voices && others == 0 ? MusicHeard::VoicesOnly : MusicHeard::Other;
}

void hear_music(ShapeSettings& settings, MusicHeard what) {
    for (std::size_t p = kStems; p < kSounds; ++p) {
        const bool voices = p == sound_of(MusicPart::Voices);
        settings.stems[p].solo = false;
        settings.stems[p].mute = voices ? what == MusicHeard::Instrumental : what == MusicHeard::VoicesOnly;
    }
}

double rest_gain(double isolation_percent) {
    const double p = std::clamp(isolation_percent, 0.0, 100.0) / 100.0;
    if (p <= 0.0) return 1.0;  // exactly, so that the source passes bit for bit
    if (p >= 1.0) return 0.0;
    return (std::pow(10.0, -2.0 * p) - 0.01) / 0.99;
}

double weighting_factor(const StemSettings& settings, double hz) {
    if (!settings.weighting_on) return 1.0;
    const WeightPoint* below = nullptr;
    const WeightPoint* above = nullptr;
    for (const auto& point : settings.weighting) {
        if (!point.on) continue;
        if (point.hz <= hz && (below == nullptr || point.hz > below->hz)) below = &point;
        if (point.hz >= hz && (above == nullptr || point.hz < above->hz)) above = &point;
    }
    if (below == nullptr && above == nullptr) return 1.0;
    if (below == nullptr) return 1.0 + above->strength_percent / 100.0;
    if (above == nullptr || above->hz <= below->hz) return 1.0 + below->strength_percent / 100.0;
    const double part = std::log(hz / below->hz) / std::log(above->hz / below->hz);
    return 1.0 +
           (below->strength_percent + part * (above->strength_percent - below->strength_percent)) / 100.0;
}

}  // namespace rivlen
