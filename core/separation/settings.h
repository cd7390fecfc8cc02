// SPDX-License-Identifier: GPL-3.0-or-later
// What an engineer sets for the stems of a recording. Plain data; saved in sessions and presets.
#pragma once

#include <array>
#include <vector>

#include "core/base/parameter.h"
#include "core/separation/bands.h"
#include "core/separation/music_parts.h"

namespace rivlen {

// A point of the frequency weighting: at 0 % isolation acts as set, at -100 % not at all, at +100 % twice as
// strongly. Between points the curve is straight over log frequency, beyond the outer ones level.
struct WeightPoint {
    double hz = 1000;             // 20 to 20000
    double strength_percent = 0;  // -100 to 100
    bool on = true;
    bool operator==(const WeightPoint&) const = default;
};
inline constexpr double kLowestPointHz = 20;
inline constexpr double kHighestPointHz = 20000;

// Every setting that is one number. Those from Floor to AmbienceKept can be switched off and keep their
// value.
enum class Setting { Isolation, Floor, Guard, TemporalSmoothing, ReverbKept, MusicKept, AmbienceKept, Gain };
inline constexpr std::size_t kSettings = 8;

// One table describes every setting to the window, the command line, the documents and the tests.
[[nodiscard]] const ParameterInfo& info(Setting setting);

struct StemSettings {
    std::array<double, kSettings> values;  // by Setting, in the unit of its ParameterInfo
    std::array<bool, kSettings> on{};      // of those that can be switched
    std::vector<WeightPoint> weighting;
    bool weighting_on = true;
    bool both_channels = false;  // alike in all stems: use_both_channels()
    bool mute = false;
    bool solo = false;

    StemSettings();  // neutral, everything switchable is off
    // As it comes, but for both_channels, which all share.
    [[nodiscard]] bool untouched() const;
    [[nodiscard]] double value(Setting s) const { return values[static_cast<std::size_t>(s)]; }
    void set(Setting s, double value) { values[static_cast<std::size_t>(s)] = value; }
    [[nodiscard]] bool acts(Setting s) const {
        return !info(s).switchable || on[static_cast<std::size_t>(s)];
    }
    void set_on(Setting s, bool is_on) { on[static_cast<std::size_t>(s)] = is_on; }
    bool operator==(const StemSettings&) const = default;
};

struct ShapeSettings {
    std::array<StemSettings, kSounds> stems;  // the stems, then the parts of the music

    // Solo on any sound silences those without it. The music sounds when one of its parts has solo, and then
    // those parts of it alone; muted, it takes its parts with it.
    [[nodiscard]] bool audible(std::size_t sound) const;
    // Whether stems are told apart by direction, too, where a group has two channels (channel_filter.h). One
    // choice for all stems, so that they go on adding up to the source.
    [[nodiscard]] bool both_channels() const { return stems.front().both_channels; }
    void use_both_channels(bool on);
    // Whether a part of the music is set by itself, so that the music has to be opened.
    [[nodiscard]] bool sets_music_part() const;
    // True when every stem and part is neutral: isolation 100 %, nothing switched on, no gain, nothing muted.
    [[nodiscard]] bool neutral() const;
    bool operator==(const ShapeSettings&) const = default;
};

// What of the music sounds, by mute and solo of its parts alone.
enum class MusicHeard { All, Instrumental, VoicesOnly, Other };
[[nodiscard]] MusicHeard music_heard(const ShapeSettings& settings);
// Sets mute of the parts so, and takes their solo away. Not Other.
void hear_music(ShapeSettings& settings, MusicHeard what);

// Gain of what does not belong to a stem at a given isolation: 40 dB over the range, evenly to the ear, bent
// so that it ends in silence at 100 %: g(p) = (10^(-2p) - 10^-2) / (1 - 10^-2) with p = percent / 100. Ours.
[[nodiscard]] double rest_gain(double isolation_percent);

// Factor on isolation at a frequency, 0 to 2; 1 without points or when the weighting is off.
[[nodiscard]] double weighting_factor(const StemSettings& settings, double hz);

}  // namespace rivlen
