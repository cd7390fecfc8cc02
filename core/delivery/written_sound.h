// SPDX-License-Identifier: GPL-3.0-or-later
// Sound files for delivery: Broadcast WAV with its descriptions, FLAC, and coded kinds.
#pragma once

#include <array>
#include <optional>
#include <string>

#include "core/delivery/adm.h"
#include "core/delivery/scratch_sound.h"
#include "core/project/delivery_table.h"

namespace rivlen {

// What a file says of itself. Broadcast WAV: EBU Tech 3285 v2 (bext) and iXML (track names). The others:
// title (the description), album (the project), date, comment (loudness and where it starts), as Vorbis
// comments, ID3v2.3 or MP4 items; Opus also R128_TRACK_GAIN (RFC 7845).
struct SoundDescription {
    std::string description, originator_reference, date, time;  // yyyy-mm-dd, hh:mm:ss
    std::uint64_t time_reference_frames = 0;                    // since midnight
    std::string project, timecode_rate;                         // "25/1"
    std::string start_timecode;                                 // "01:00:00:00"
    std::vector<std::string> track_names;                       // of the channels
    bool drop_frame = false;
    std::string umid;  // 32 bytes, or empty
    // What its channels are (core/delivery/adm.h): Broadcast WAVs of more than two channels, and for
    // headphones, carry it.
    std::optional<AdmFacts> adm;
    Level integrated_lufs, range_lu, true_peak_dbtp, momentary_lufs,
        short_term_lufs;  // missing: not measured
};
// A basic UMID (SMPTE ST 330, from memory: universal label, length, instance 0, material number of 16 bytes)
// whose material number is made from a hash of 32 hexadecimal digits, in the form of a UUID of version 8 (RFC
// 9562, 5.8). The same sound of the same session keeps its number.
[[nodiscard]] std::string umid_from(const std::string& hash);
[[nodiscard]] std::string ixml_of(const SoundDescription& description, int sample_rate, Depth depth);

// WAV becomes RF64 (EBU Tech 3306) when over 4 GB; 16 bit is dithered (triangular, one step). FLAC holds 16
// or 24 bit. Opus, MP3 and AAC are coded by libavcodec (core/media/coded_file). Errors: Io (there already and
// replace is off), DiskFull, Unsupported, Cancelled.
[[nodiscard]] Status write_sound(const ScratchSound& sound, Container container, Depth depth,
                                 const SoundDescription& description, const std::filesystem::path& target,
                                 bool replace, const JobControl& job);

}  // namespace rivlen
