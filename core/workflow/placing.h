// SPDX-License-Identifier: GPL-3.0-or-later
// A recording onto the timeline: what window and command line do alike. The first one placed decides the
// session's rate and, with a picture, its timecode.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/media/decode.h"
#include "core/media/source.h"
#include "core/project/session.h"

namespace rivlen {

struct PlacedRecording {
    std::filesystem::path path;
    std::int64_t frames = 0;                   // at its own rate
    int sample_rate = 0;                       // its own, Hz
    std::optional<PictureStreamInfo> picture;  // that comes with it
    std::int64_t at = 0;                       // frame of the session's line
    std::int64_t skip = 0;  // frames of its beginning that are left out, at the session's rate
};
[[nodiscard]] PlacedRecording placed_recording(const std::filesystem::path& path, const Source& source,
                                               const MediaInfo& info, std::int64_t at = 0);

// Its four stems on tracks of their own, under its picture when it has one. named: their names begin with
// that of the recording.
void place_recording_stems(Timeline& timeline, const PlacedRecording& recording, bool named = false);
// The whole of it on a track; 0: on a new one, with this chain.
void place_recording(Timeline& timeline, const PlacedRecording& recording, int track,
                     const std::vector<Insert>& chain = {});
// Where a clip lies by its file's own timecode (its picture's, else its time reference); nothing where the
// file has none, or where that is before the line's beginning.
[[nodiscard]] std::optional<std::int64_t> start_by_timecode(const Timeline& timeline, const Clip& clip,
                                                            const MediaInfo& info);
// The track that a file can be put onto when this one is chosen: a track of stems keeps to its stems, and
// other material gets a new one (0).
[[nodiscard]] int track_for_file(const Timeline& timeline, int chosen);
// A session of one recording with its stems placed. hash: of its sound.
[[nodiscard]] Session session_of_recording(const PlacedRecording& recording, const std::string& hash);

}  // namespace rivlen
