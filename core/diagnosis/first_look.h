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
#include "core/diagnosis/findings.h"
#include "core/effects/inserts.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/settings.h"

namespace rivlen {

enum class Material { Silence, Voice, VoiceOverMusic, Music, BusyPlace, Wind, EchoingRoom, Telephone, Tape };
inline constexpr std::size_t kMaterials = 9;
[[nodiscard]] const char* label_of(Material material);

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

// Planar channels (one or two are looked at). stems: when the recording has been split.
[[nodiscard]] FirstLook look_at(std::span<const std::vector<float>> channels, int sample_rate,
                                const std::optional<StemLevels>& stems = {});
// The same of a recording. map: null when it has not been split. Errors: Cancelled; those of shaping.
[[nodiscard]] Result<FirstLook> look_at(const Source& source, const MaskMap* map, const JobControl& job = {});
// Levels of a recording's stems as they are set. Errors: Cancelled.
[[nodiscard]] Result<StemLevels> stem_levels(const Source& source, const MaskMap& map,
                                             const ShapeSettings& settings, const JobControl& job = {});

}  // namespace rivlen
