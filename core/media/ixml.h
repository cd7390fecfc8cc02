// SPDX-License-Identifier: GPL-3.0-or-later
// What a field recorder says in a WAV file's iXML chunk (iXML specification 3.01, from memory): names of
// tracks, timecode.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/media/timecode.h"

namespace rivlen {

struct IxmlFacts {
    std::vector<std::string>
        track_names;  // by interleave index, from the first channel on; empty where it has none
    std::string scene, take, tape;
    std::optional<FrameRate> timecode_rate;
    bool drop_frame = false;
    std::optional<std::uint64_t> samples_since_midnight;
};
// Of RIFF, RF64 and BW64 files; nothing where there is no such chunk or it cannot be read. Chunks of sound
// are passed over, so that long files are read as fast as short ones.
[[nodiscard]] std::optional<IxmlFacts> ixml_facts(const std::filesystem::path& path);
// Of the chunk's text.
[[nodiscard]] std::optional<IxmlFacts> parse_ixml(const std::string& text);

}  // namespace rivlen
