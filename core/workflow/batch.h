// SPDX-License-Identifier: GPL-3.0-or-later
// Many recordings in one go: which they are, and under which names each is delivered.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

// Whether a name ends like a sound or picture file, and is not hidden.
[[nodiscard]] bool is_recording_name(const std::filesystem::path& path);

struct BatchEntry {
    std::filesystem::path file;
    std::string
        name;  // of the programme and of its folder: no two entries share one, and it is one folder's name
};
// The files of a folder that are recordings, or the lines of a text file (empty ones and those that begin
// with # left out; relative ones from its folder), in order of their paths, so that every shard counts alike.
// What cannot be looked at (a loop of links) is left out. Errors: NotFound, Io.
[[nodiscard]] Result<std::vector<BatchEntry>> batch_of(const std::filesystem::path& folder_or_list);

// The same of files that are named one by one.
[[nodiscard]] std::vector<BatchEntry> batch_of(std::vector<std::filesystem::path> files);

// I/N: only every Nth entry, from the Ith on. Errors: BadInput.
struct Shard {
    std::size_t number = 1, of = 1;
    [[nodiscard]] bool has(std::size_t index) const { return index % of == number - 1; }
};
[[nodiscard]] Result<Shard> shard_of(const std::string& text);

}  // namespace rivlen
