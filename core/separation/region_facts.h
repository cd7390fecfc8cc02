// SPDX-License-Identifier: GPL-3.0-or-later
// What is in a region of a recording, and where sounds like it lie.
#pragma once

#include <array>
#include <optional>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/region.h"

namespace rivlen {

struct RegionFacts {
    RegionBounds bounds;
    // Mean power over its time, weighted by how strongly it holds; a full-scale sine is 0 dB. Nothing:
    // silent.
    std::optional<double> level_dbfs;
    // Of its energy, of stems and, where the music is opened, of its parts; of stems less than 100 in all
    // where something is cut.
    std::array<double, kSounds> share_percent{};
    double cut_percent = 0;
};
// A stretch of a minute at most is looked at, from the region's start. map may be null: shares are then 0.
[[nodiscard]] RegionFacts facts_of(const Region& region, const Source& source, const MaskMap* map);

struct SimilarPlace {
    double by_seconds = 0;  // from the region to the place
    double likeness = 0;    // normalised correlation, up to 1
};
// Places whose band picture is like the region's, in order of time, the region's own left out; places do not
// overlap one another. The band picture is the logarithm of the band powers where the region holds, its mean
// taken out, so that a softer one is found, too; likeness is its normalised correlation (the correlation
// coefficient of Pearson), at least `least`. Errors: Cancelled; BadInput when the region is longer than 10 s.
[[nodiscard]] Result<std::vector<SimilarPlace>> similar_places(const Region& region, const Source& source,
                                                               double least = 0.6,
                                                               const JobControl& job = {});

}  // namespace rivlen
