// SPDX-License-Identifier: GPL-3.0-or-later
// Where takes that are recorded go.
#pragma once

#include <filesystem>

namespace rivlen {

// A name that no take has yet: "take N.wav" in "SESSION takes" beside the session, or in the work folder's
// "takes" while the session has no file.
[[nodiscard]] std::filesystem::path next_take(const std::filesystem::path& session,
                                              const std::filesystem::path& work_folder);

}  // namespace rivlen
