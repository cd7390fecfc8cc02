// SPDX-License-Identifier: GPL-3.0-or-later
// Chunks of RIFF, RF64 (EBU Tech 3306) and BW64 (ITU-R BS.2088) files.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>

namespace rivlen {

// Bytes of the first chunk of this name of four letters; nothing where there is none, where it is longer than
// most_bytes, or where the file is none of these. Sound is passed over, so that long files are read as fast
// as short ones.
[[nodiscard]] std::optional<std::string> wave_chunk(const std::filesystem::path& path, const char* id,
                                                    std::uint64_t most_bytes);

}  // namespace rivlen
