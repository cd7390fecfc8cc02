// SPDX-License-Identifier: GPL-3.0-or-later
// Sounds back under their picture: the picture's packets are copied untouched, and so is all else that the
// file has (further sounds, subtitles, chapters, attachments, tags); each new sound is coded (or copied as
// PCM), and the result is decoded and compared before it is called done. Memory does not depend on the
// length, but for 8 bytes a picture.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"

namespace rivlen {

enum class SoundCoding { OfContainer, Ac3 };

struct LaybackSound {
    std::filesystem::path audio;  // sample 0 lies under the picture's first frame
    std::string title = "Rivlen kept";
    std::string language = "und";  // ISO 639-2
    SoundCoding coding = SoundCoding::OfContainer;
    std::optional<double> loudness_lufs{};  // known: AC-3 says it as its dialogue level
};

struct LaybackPlan {
    std::filesystem::path picture;     // the original file with the picture
    std::vector<LaybackSound> sounds;  // at least one; players take the first
    std::filesystem::path out;         // .mov, .mp4 or .mkv
    // The sound that was taken off the picture (the container's best one) stays, as the last track; other
    // sounds stay anyway.
    bool keep_original_sound = false;
    bool overwrite = false;
};

struct LaybackReport {
    std::string codec;  // of the new sounds
    bool picture_identical =
        false;  // all picture packets are equal to the original's, and shown when they were
    std::uint64_t picture_packets = 0;
    std::int64_t offset_samples = 0;  // of a decoded sound against what was given; 0 when all is well
    std::vector<std::string>
        warnings;                 // about the sounds that were given, and what the container cannot hold
    double difference_db = -200;  // level of (decoded - given) against given, of the sound that comes
                                  // out worst; -200 when equal to the bit
};

// Whether files of this ending (".mov") can be written.
[[nodiscard]] bool can_lay_back_into(const std::string& ending);
// Whether sounds in such files are coded with loss.
[[nodiscard]] bool layback_codes_with_loss(const std::string& ending);
// The ending of a file that goes with a picture: the picture's own where such files can be written, else
// ".mov".
[[nodiscard]] std::string layback_ending(const std::filesystem::path& picture);

// MOV gets 24-bit PCM, MKV FLAC (16/24-bit), MP4 AAC at 320 kbit/s; all of them AC-3 where it is asked for
// (32, 44.1 and 48 kHz; 192, 320 or 640 kbit/s for 1, 2 and more channels). Delays of encoders are declared.
// Errors: NotFound, BadInput (no picture, no sound, same file, unknown container), Io (exists), DiskFull,
// Cancelled, Internal when the check of the written file fails (nothing is then left behind).
[[nodiscard]] Result<LaybackReport> lay_back(const LaybackPlan& plan, const JobControl& job = {});

}  // namespace rivlen
