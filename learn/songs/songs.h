// SPDX-License-Identifier: GPL-3.0-or-later
// Songs with known parts, made on the fly: the same seed, corpus and soundfonts give the same song.
#pragma once

#include <vector>

#include "learn/mixer.h"
#include "learn/songs/score.h"
#include "learn/songs/soundfont.h"

namespace rivlen::learn {

// In the order of SongPart; they add up to the mix.
struct Song {
    std::array<Stereo, kSongParts> parts;
    Stereo mix;
};

class SongMaker {
  public:
    // fonts: at least one. Sings with the readers of a pool. One thread's: soundfonts play one line at a
    // time.
    SongMaker(std::vector<Soundfont> fonts, const Material& readers)
        : fonts_(std::move(fonts)), readers_(&readers) {}

    // A score by rule; every player by a soundfont that is drawn for it, with a colour and a room of its own,
    // sung by readers in two of three; the whole through a compressor, whose gain all parts share so that
    // they still add up. Levels of parts lie within 12 dB, the mix between -26 and -14 dBFS of active level.
    [[nodiscard]] Song make(std::size_t frames, Rng& rng);

  private:
    [[nodiscard]] Stereo played(const PlayedLine& line, std::size_t frames, Rng& rng);
    [[nodiscard]] Stereo sung_tune(const Score& score, std::size_t frames, Rng& rng) const;
    std::vector<Soundfont> fonts_;
    const Material* readers_;
};

// The gain of a compressor for both sides of a mix, sample by sample (feed-forward, in dB, as
// core/effects/compressor.h has it): ratio over threshold_dbfs, attack 10 ms, release 150 ms.
[[nodiscard]] std::vector<float> bus_gain(const Stereo& mix, double threshold_dbfs, double ratio);

}  // namespace rivlen::learn
