// SPDX-License-Identifier: GPL-3.0-or-later
// Songs with known parts, made on the fly: the same seed, corpus and soundfonts give the same song.
#pragma once

#include <vector>

#include "learn/mixer.h"
#include "learn/songs/score.h"
#include "learn/songs/soundfont.h"

namespace rivlen::learn {

// In the order of MusicPart; they add up to the mix.
struct Song {
    std::array<Stereo, kMusicParts> parts;
    Stereo mix;
};

class SongMaker {
  public:
    // fonts: at least one. Sings with the readers of a pool. One thread's: soundfonts play one line at a
    // time.
    // scores: by people; may be empty.
    SongMaker(std::vector<Soundfont> fonts, std::vector<Score> scores, const Material& readers)
        : fonts_(std::move(fonts)), scores_(std::move(scores)), readers_(&readers) {}

    // A score by rule, in one of three a stretch of one by people; every player by a soundfont that is drawn
    // for it, with a colour and a room of its own, sung by readers in two of three; the whole through a
    // compressor, whose gain all parts share so that they still add up. Levels of parts lie within 12 dB, the
    // mix between -26 and -14 dBFS of active level.
    [[nodiscard]] Song make(std::size_t frames, Rng& rng);
    [[nodiscard]] const std::vector<Score>& scores() const { return scores_; }
    // A stretch of a score by people as its writer has it: by one soundfont, with the levels and places of
    // the score, and nothing done to it. No parts are sung but those of choirs.
    [[nodiscard]] Song as_written(const Score& score, double start_s, std::size_t frames, Rng& rng);

  private:
    [[nodiscard]] Stereo played(const PlayedLine& line, std::size_t frames, Rng& rng);
    [[nodiscard]] Stereo sung_tune(const Score& score, std::size_t frames, Rng& rng) const;
    [[nodiscard]] Score stretch_of_one(double seconds, Rng& rng) const;
    std::vector<Soundfont> fonts_;
    std::vector<Score> scores_;
    const Material* readers_;
};

// The gain of a compressor for both sides of a mix, sample by sample (feed-forward, in dB, as
// core/effects/compressor.h has it): ratio over threshold_dbfs, attack 10 ms, release 150 ms.
[[nodiscard]] std::vector<float> bus_gain(const Stereo& mix, double threshold_dbfs, double ratio);

}  // namespace rivlen::learn
