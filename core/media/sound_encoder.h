// SPDX-License-Identifier: GPL-3.0-or-later
// Coded packets of a sound that is read block by block: the one way into a coded file, whether it goes under
// a picture or stands by itself. Included by files of core/media only.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/result.h"
#include "core/media/libav.h"

namespace rivlen::libav {

// The next frames as a block, which it shapes: `count` of them, or fewer at the end, then none.
// Errors: Io.
using NextFrames = std::function<Status(std::int64_t count, AudioBlock& out)>;

// An opened encoder for 24-bit PCM, 24-bit FLAC, AAC, AC-3, MP3 or Opus; bit_rate 0: as the codec has it.
// global_header: as the container asks for. dialnorm_db: the level that AC-3 says its sound has, -31 to -1
// (ETSI TS 102 366, 4.4.2.8, from memory). Errors: Unsupported.
[[nodiscard]] Result<Codec> open_sound_encoder(AVCodecID id, int sample_rate, int channels,
                                               std::int64_t bit_rate, bool global_header,
                                               int dialnorm_db = -31);

class SoundEncoder {
  public:
    // The sound has the rate and the channels of the codec.
    SoundEncoder(Codec codec, NextFrames sound);
    [[nodiscard]] AVCodecContext& codec() { return *codec_; }
    // The next packet, timed in frames of the sound (less than 0 where the codec starts earlier). False at
    // the end. Errors: Internal, those of reading.
    [[nodiscard]] Result<bool> next(AVPacket& packet);

  private:
    [[nodiscard]] Status send();
    void fill(AVFrame& frame) const;
    Codec codec_;
    NextFrames sound_;
    AudioBlock block_;
    std::int64_t at_ = 0;
    std::int64_t tail_ = 0;  // silence that has to go in behind the sound, so that all of it comes out
};

}  // namespace rivlen::libav
