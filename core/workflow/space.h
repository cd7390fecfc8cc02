// SPDX-License-Identifier: GPL-3.0-or-later
// What Rivlen keeps in its work folder, how much of it there is, and taking it away. Working copies and maps
// are made again when they are needed; takes that were recorded into no session are not, and are never
// removed here.
#pragma once

#include <chrono>
#include <cstdint>
#include <filesystem>
#include <set>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

enum class KeptKind { WorkingCopy, MaskMap };

// What is kept of one recording.
struct KeptRecording {
    std::filesystem::path original;  // empty when it is not known any more
    bool original_there = false;
    std::vector<std::filesystem::path> files;  // of either kind
    std::uint64_t bytes = 0;                   // on the disk
    std::chrono::hours unused{0};              // since one of them was last read or written
};
// Largest first. Errors: none; what cannot be looked at is left out.
[[nodiscard]] std::vector<KeptRecording> kept_in(const std::filesystem::path& work_folder);

// Removes what is kept of a recording, except files in `in_use`. Returns the bytes that are free now. Errors:
// Io.
[[nodiscard]] Result<std::uint64_t> remove_kept(const KeptRecording& recording,
                                                const std::set<std::filesystem::path>& in_use);

}  // namespace rivlen
