// SPDX-License-Identifier: GPL-3.0-or-later
// A sound as a coded file of its own.
#pragma once

#include <cstdint>
#include <filesystem>
#include <functional>
#include <string>
#include <utility>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/base/result.h"

namespace rivlen {

enum class CodedKind {
    Opus,  // 160 kbit/s in Ogg (RFC 7845)
    Mp3,   // 256 kbit/s, tags as ID3v2.3
    Aac    // 256 kbit/s in MP4, as .m4a
};

// Bits a second.
// More channels take as much more as their pairs.
[[nodiscard]] int bit_rate_of(CodedKind kind, int channels = 2);

struct CodedSound {
    int sample_rate = 0;  // Hz; one of coded_rate()
    int channels = 0;
    std::int64_t frames = 0;
    // Frames [at, at + count) into a block, which it shapes. Errors: Io.
    std::function<Status(std::int64_t at, std::int64_t count, AudioBlock& out)> read;
};
using Tags = std::vector<std::pair<std::string, std::string>>;

// The rate that a kind is written with for a sound of this rate: the same where the codec takes it, else the
// next higher one, else its highest.
[[nodiscard]] int coded_rate(CodedKind kind, int sample_rate);

// Writes into an open file from its start on. target: for sentences. Errors: Unsupported (no such encoder, or
// it does not take the sound), DiskFull, Io, Cancelled, those of reading. Any thread.
[[nodiscard]] Status write_coded(const CodedSound& sound, CodedKind kind, const Tags& tags, int fd,
                                 const std::filesystem::path& target, const JobControl& job = {});

}  // namespace rivlen
