// Splitting: the network is run once over a recording, in overlapping chunks and in parallel, and leaves a
// mask map. Memory does not depend on the recording's length.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/split/mask_map.h"
#include "core/split/separator.h"

namespace rivlen {

struct SplitOptions {
    int workers = 2;
    int chunk_frames = 2048;  // of the map, 21.8 s; a multiple of the model's patch
    // 2.7 s seen beyond either border. Over the nearest quarter of it the masks of both neighbours are
    // cross-faded, so that no border is heard. At most half a chunk.
    int halo_frames = 256;
    // Frame of the map that is wanted first: its chunk and the one before are split at once, then what
    // follows, then the rest.
    std::uint64_t wanted_frame = 0;
    // Called behind every chunk but the last, one call at a time, from any of the workers; with it, what is
    // there can be heard. Not kept by the map's reader: see MaskMapWriter::so_far().
    std::function<void(MaskMapWriter&)> on_part;
};

struct SplitReport {
    double seconds = 0;  // of wall time
    double times_real_time = 0;
};

// Where a recording's map is kept in the work folder.
[[nodiscard]] std::filesystem::path map_path(const Source& source, const ModelFacts& model,
                                             const std::filesystem::path& work_folder);

// Errors: Cancelled, DiskFull, Io, Internal. Nothing is left behind unless it succeeds.
[[nodiscard]] Result<SplitReport> split(const Source& source, const Separator& separator,
                                        const std::filesystem::path& map, const SplitOptions& options,
                                        const JobControl& job);

// Number of map frames of a recording.
[[nodiscard]] std::uint64_t map_frames(const Source& source);

// Unnormalised features of map frames [first, last) of a recording, rows of kFeatures. For split() and for
// tests.
[[nodiscard]] std::vector<float> source_features(const Source& source, std::int64_t first, std::int64_t last);

}  // namespace rivlen
