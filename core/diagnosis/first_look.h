// SPDX-License-Identifier: GPL-3.0-or-later
// One look at a recording: what kind of material it is, what is wrong with it, and what is proposed.
#pragma once

#include <array>
#include <functional>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/effects/inserts.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/settings.h"

namespace rivlen {

enum class Fault { Level, Clipping, Clicks, Plosives, Hum, Wind, Hiss, Telephone, Sibilance, Reverberation };
inline constexpr std::size_t kFaults = 10;
[[nodiscard]] const char* key_of(Fault fault);    // in files and on the command line
[[nodiscard]] const char* label_of(Fault fault);  // for people

// True when a kind of part is what a fault is mended with.
[[nodiscard]] bool repairs(Fault fault, EffectType kind);

struct Finding {
    Fault fault = Fault::Level;
    bool found = false;
    std::string sentence;            // with the figure that led to it
    std::optional<Insert> proposal;  // echo has none: the reverb stem is turned down instead
};

enum class Material { Silence, Voice, VoiceOverMusic, Music, BusyPlace, Wind, EchoingRoom, Telephone, Tape };
[[nodiscard]] const char* label_of(Material material);

struct Reverberation {
    double rt60_s = 0;             // 0: not measurable
    std::optional<double> drr_db;  // direct to reverberant, from the stems
};

struct FirstLook {
    Material material = Material::Voice;
    std::string sentence;  // what it is, and why
    double voice_dbfs = -120, peak_dbfs = -200;
    Reverberation echo;
    std::vector<Finding> findings;  // one of each fault, in the order of Fault
    // The proposals as a chain, in a sensible order; ids from first_id on.
    [[nodiscard]] std::vector<Insert> chain(int first_id) const;
    // The proposals in front of what is in a chain; those not among `taken` are switched off and keep their
    // values. A repair that the chain has already gets the proposed values where it stands; other kinds that
    // it has stay as they are.
    void put_into(std::vector<Insert>& chain, std::span<const Fault> taken,
                  const std::function<int()>& new_id) const;
};

// Mean levels of the stems in dBFS.
using StemLevels = std::array<double, kStems>;

// What of so many frames is looked at: all up to four minutes, else eight stretches of half a minute.
struct Stretch {
    std::int64_t first, last;
};
[[nodiscard]] std::vector<Stretch> stretches_to_look_at(std::int64_t frames, int sample_rate);
// Fades of 20 ms at both ends, so that no joint of stretches is taken for a click.
void fade_ends(std::span<float> stretch, int sample_rate);

// Planar channels (one or two are looked at). stems: when the recording has been split.
[[nodiscard]] FirstLook look_at(std::span<const std::vector<float>> channels, int sample_rate,
                                const std::optional<StemLevels>& stems = {});
// The same of a recording. map: null when it has not been split. Errors: Cancelled; those of shaping.
[[nodiscard]] Result<FirstLook> look_at(const Source& source, const MaskMap* map, const JobControl& job = {});
// Levels of a recording's stems as they are set. Errors: Cancelled.
[[nodiscard]] Result<StemLevels> stem_levels(const Source& source, const MaskMap& map,
                                             const ShapeSettings& settings, const JobControl& job = {});

}  // namespace rivlen
