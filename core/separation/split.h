// SPDX-License-Identifier: GPL-3.0-or-later
// Splitting: the network is run once over a recording, in stretches and in parallel, and leaves a mask map.
// Every stretch sees as much on either side as the model looks (ModelFacts), so that stretches leave no
// trace: wherever they begin and end, the masks are the same. Memory does not depend on the recording's
// length.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/channel_groups.h"
#include "core/separation/mask_map.h"
#include "core/separation/separator.h"

namespace rivlen {

struct SplitOptions {
    int workers = 2;
    ChannelGrouping channels = ChannelGrouping::Bed;
    // Longest stretch that a worker takes (stretches.h), in frames of the map, rounded up to the model's
    // grid; 0: as long as can be.
    std::int64_t longest_frames = 0;
    // Frame of the map that is wanted first: from there on it is split at once (a short stretch first, when
    // somebody waits: on_part), then what follows, then the rest.
    std::uint64_t wanted_frame = 0;
    // Called behind every piece but the last, one call at a time, from any of the workers; with it, what is
    // there can be heard. Not kept by the map's reader: see MaskMapWriter::so_far().
    std::function<void(MaskMapWriter&)> on_part;
    // The music of this map is split instead of the whole recording, into its parts (music_parts.h): the
    // features are those of the source times the masks of the music. Channels share masks as they do there;
    // must outlive the split.
    const MaskMap* music_of = nullptr;
};

struct SplitReport {
    double seconds = 0;  // of wall time
    double times_real_time = 0;
};

// Where a recording's map is kept in the work folder. The parts of its music, of a map, stand beside it.
[[nodiscard]] std::filesystem::path map_path(const Source& source, const ModelFacts& model,
                                             ChannelGrouping channels,
                                             const std::filesystem::path& work_folder);
[[nodiscard]] std::filesystem::path parts_path(const Source& source, const MaskMap& map,
                                               const ModelFacts& model,
                                               const std::filesystem::path& work_folder);

// Errors: Cancelled, DiskFull, Io, Internal. Nothing is left behind unless it succeeds.
[[nodiscard]] Result<SplitReport> split(const Source& source, const Separator& separator,
                                        const std::filesystem::path& map, const SplitOptions& options,
                                        const JobControl& job);

// What a map says of the model it was made with (MaskMapFacts::model).
[[nodiscard]] std::string named_in_map(const ModelFacts& model);

// Number of map frames of a recording.
[[nodiscard]] std::uint64_t map_frames(const Source& source);

// Unnormalised features of map frames [first, last) of some channels of a recording, rows of kFeatures. For
// split() and for tests.
[[nodiscard]] std::vector<float> source_features(const Source& source, ChannelGroup channels,
                                                 std::int64_t first, std::int64_t last);

}  // namespace rivlen
