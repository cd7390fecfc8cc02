// SPDX-License-Identifier: GPL-3.0-or-later
// Cut lists (CMX 3600) of a session's tracks.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <set>
#include <string>
#include <vector>

#include "core/project/timeline.h"

namespace rivlen {

// Reel names of CMX 3600: eight letters and figures; no two files share one. One for all lists of a session,
// so that a reel means the same in all of them.
class Reels {
  public:
    const std::string& of(const std::filesystem::path& file);

  private:
    std::string free_name(const std::string& wanted);
    std::map<std::filesystem::path, std::string> names_;
    std::set<std::string> taken_;
};

// Timecode of a recording's first frame, in pictures at the session's rate.
using StartTimecode = std::function<std::int64_t(const std::filesystem::path&)>;

// One track's clips, audio channel 1 and 2, cuts only: the format knows no fades of sound. Timecodes of the
// session, and of the recordings on the source side. A table in comments says which file a reel is. A list
// holds 999 events at most: more go into further lists.
[[nodiscard]] std::vector<std::string> edls_of(const Timeline& timeline, const Track& track,
                                               const std::string& title, Reels& reels,
                                               const StartTimecode& start_timecode);

}  // namespace rivlen
