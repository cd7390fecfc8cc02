// SPDX-License-Identifier: GPL-3.0-or-later
// The sound of a file from its picture's first frame on, block by block: silence where the sound begins
// later, and without what precedes the picture. Memory does not depend on its length.
#pragma once

#include <cstdint>
#include <filesystem>
#include <span>
#include <string>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/result.h"
#include "core/media/decode.h"

namespace rivlen {

// +80 dBFS: louder than any sound.
inline constexpr float kLargestSourceSample = 1e4F;

class SoundUnderPicture {
  public:
    // stop and errors: those of AudioDecoder::open().
    [[nodiscard]] static Result<SoundUnderPicture> open(const std::filesystem::path& path,
                                                        int stream_index = -1,
                                                        const std::atomic<bool>* stop = nullptr);
    [[nodiscard]] const AudioStreamInfo& info() const { return decoder_.info(); }
    // The next frames as planar channels: `frames`, or fewer at the end, none behind it. Samples that are no
    // numbers are silence, and none is louder than kLargestSourceSample. Errors: those of
    // AudioDecoder::read(); BadInput when the sound would begin days later.
    [[nodiscard]] Status next(std::int64_t frames, AudioBlock& out);
    // Sentences about what was worked around so far.
    [[nodiscard]] std::vector<std::string> warnings() const;
    [[nodiscard]] const DecodingNotes& notes() const { return decoder_.notes(); }

  private:
    SoundUnderPicture(AudioDecoder decoder, std::filesystem::path path);
    Status fill();
    void put(std::span<const float> interleaved);
    AudioDecoder decoder_;
    std::filesystem::path path_;
    AudioBlock waiting_;  // decoded, from at_ on
    std::vector<float> bounded_;
    std::size_t at_ = 0;
    std::int64_t silent_ = 0, to_drop_ = 0;
    std::uint64_t not_finite_ = 0, too_loud_ = 0;
    bool begun_ = false, ended_ = false;
};

}  // namespace rivlen
