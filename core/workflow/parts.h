// SPDX-License-Identifier: GPL-3.0-or-later
// A file of several streams or of many channels as recordings of their own: a microphone each, pairs, beds.
// The parts are written as Broadcast WAVs, in step with the picture and with the file's timecode; the file
// itself stays as it is.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/media/decode.h"
#include "core/metering/level.h"

namespace rivlen {

struct ChannelOfFile {
    int stream = 0;      // index in the container
    int channel = 0;     // in the stream
    std::string name;    // by iXML, the definition model or the stream's title; empty where nothing says it
    std::string object;  // of the file's audio definition model that it belongs to; empty: none
    Level peak_dbfs;     // over what was listened to; missing: silence
    double peak_seconds = 0;  // where that was, from the stream's start
    [[nodiscard]] bool same_place(const ChannelOfFile& other) const {
        return stream == other.stream && channel == other.channel;
    }
};
struct FileChannels {
    MediaInfo info;
    std::vector<ChannelOfFile> channels;  // stream after stream
};
// Listens to the first `seconds` of every stream. Errors: those of probe() and AudioDecoder; Cancelled.
[[nodiscard]] Result<FileChannels> channels_of_file(const std::filesystem::path& file, double seconds = 60,
                                                    const JobControl& job = {});

// A few seconds of a channel around its peak, to hear. Errors: those of AudioDecoder; Cancelled.
[[nodiscard]] Result<AudioBlock> excerpt_of_channel(const std::filesystem::path& file,
                                                    const ChannelOfFile& channel, double seconds = 4,
                                                    const JobControl& job = {});

// Channels that belong together, of one rate; one to 36.
struct PartOfFile {
    std::string name;
    std::vector<ChannelOfFile> channels;
};
// Silent channels are left out. Of the others: those of one object of the file's definition model stay
// together; names that differ only in a last L and R are a pair; streams
// of two, and of as many channels as a bed has that no name speaks against, stay together; two mono streams
// or channels without names are microphones; every other one is a microphone of its own.
// Names that end in the marks of a bed's channels ("Mix L", "Mix R", "Mix C" …) do not speak against it.
[[nodiscard]] std::vector<PartOfFile> likely_parts(const FileChannels& file, bool silent_too = false);
// Whether a file would come in as several recordings, so that somebody has to be asked. By what it says of
// itself, without listening. False also where it cannot be read.
[[nodiscard]] bool holds_several_parts(const std::filesystem::path& file, const JobControl& job = {});

// What a recording of these channels is called: a pair by what its names share, else by the first name, else
// "part N".
[[nodiscard]] std::string part_name(const std::vector<ChannelOfFile>& channels, std::size_t number);
// Beside the session, or in the work folder while it has no file.
[[nodiscard]] std::filesystem::path parts_folder(const std::filesystem::path& session,
                                                 const std::filesystem::path& work_folder);

// "NAME - PART.wav" in the folder, 32-bit float; where one is there, "NAME - PART 2.wav". Returns the files
// in order of the parts; all of them or none. Errors: those of AudioDecoder, BadInput (channels of different
// rates), DiskFull, Io, Cancelled.
[[nodiscard]] Result<std::vector<std::filesystem::path>> write_parts(const std::filesystem::path& file,
                                                                     const std::vector<PartOfFile>& parts,
                                                                     const std::filesystem::path& folder,
                                                                     const std::filesystem::path& work_folder,
                                                                     const JobControl& job = {});

}  // namespace rivlen
