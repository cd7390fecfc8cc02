// SPDX-License-Identifier: GPL-3.0-or-later
// Names for new files beside those that are there.
#pragma once

#include <filesystem>
#include <string>

namespace rivlen {

// "NAME.wav" in a folder; where there is one, "NAME 2.wav" and so on, the first that is free.
[[nodiscard]] std::filesystem::path free_name(const std::filesystem::path& folder, const std::string& name);
// "NAME N.wav" from 1 on.
[[nodiscard]] std::filesystem::path free_numbered_name(const std::filesystem::path& folder,
                                                       const std::string& name);

}  // namespace rivlen
