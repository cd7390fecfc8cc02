// SPDX-License-Identifier: GPL-3.0-or-later
// What lossy codecs make of a sound: encoded and decoded again by libavcodec, and put back in its place to
// the sample.
#pragma once

#include <string>

#include "core/base/result.h"
#include "core/base/rng.h"
#include "learn/rooms.h"

namespace rivlen::learn {

struct CodecDraw {
    const char* encoder;  // as libavcodec names it
    int sample_rate;
    int channels;
    std::int64_t bit_rate;
};
// MP3, AAC and Opus at the rates of bad copies and of good ones, GSM and G.726 as telephones have them.
[[nodiscard]] CodecDraw random_codec(Rng& rng);

// Whether this machine has all that random_codec() draws. Errors: NotFound, with the name of the first that
// is missing.
[[nodiscard]] Status codecs_are_there();

// The sound as it comes out; kCorpusRate, as long as it was. Errors: NotFound when libavcodec lacks the
// encoder.
[[nodiscard]] Result<Stereo> through_codec(const Stereo& sound, const CodecDraw& codec);

}  // namespace rivlen::learn
