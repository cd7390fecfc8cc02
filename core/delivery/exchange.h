// SPDX-License-Identifier: GPL-3.0-or-later
// The tracks of a session for other tools: cut list (CMX 3600), table of clips (CSV), OpenTimelineIO JSON.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/project/timeline.h"

namespace rivlen {

// One track's clips, audio channel 1 and 2, cuts only: the format knows no fades of sound. Timecodes of the
// session; recordings start at 00:00:00:00. Names stand in comments, as reels have eight characters; no two
// files share a reel. A list holds 999 events at most: more go into further lists.
[[nodiscard]] std::vector<std::string> edls_of(const Timeline& timeline, const Track& track,
                                               const std::string& title);
// All clips and picture cuts with timecodes, samples and gains.
[[nodiscard]] std::string clips_to_csv(const Timeline& timeline);
// Schema "Timeline.1" with one stack of tracks, gaps and clips; times in samples at the session rate.
[[nodiscard]] std::string otio_of(const Timeline& timeline, const std::string& name);

// All three beside one another, a list of cuts for each track; earlier ones stay. Errors: Io, DiskFull.
[[nodiscard]] Status write_exchange(const Timeline& timeline, const std::string& name,
                                    const std::filesystem::path& folder);

}  // namespace rivlen
