// SPDX-License-Identifier: GPL-3.0-or-later
// Where takes that are recorded go.
#pragma once

#include <filesystem>
#include <vector>

namespace rivlen {

// "SESSION takes" beside the session, or the work folder's "takes" while the session has no file.
[[nodiscard]] std::filesystem::path takes_folder(const std::filesystem::path& session,
                                                 const std::filesystem::path& work_folder);
// A name there that no take has yet: "take N.wav".
[[nodiscard]] std::filesystem::path next_take(const std::filesystem::path& session,
                                              const std::filesystem::path& work_folder);

// What was being recorded when a process was killed becomes takes of a free name; returns them. To be done
// before another take of the same folder is begun.
std::vector<std::filesystem::path> keep_cut_off_takes(const std::filesystem::path& folder);

}  // namespace rivlen
