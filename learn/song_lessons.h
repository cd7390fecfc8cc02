// SPDX-License-Identifier: GPL-3.0-or-later
// Learning and measuring the parts of music: songs in place of scenes.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "learn/evaluate.h"
#include "learn/songs/songs.h"
#include "learn/stock.h"

namespace rivlen::learn {

// A song as a mix whose four stems are its parts, in the order of MusicPart.
[[nodiscard]] Mix mix_of_song(Song song);

// Stretches of `seconds` of all scores of the pool, evenly over each.
[[nodiscard]] EvalSet make_score_set(SongMaker& maker, int songs, double seconds);

// Recordings of bands of a pool: where a package has "guitar.ogg" beside "song.ogg", which add up to the
// song. Of the mix's stems the rest is the guitar, and everything else stands in place of the drums. 20 s
// from three places of each.
[[nodiscard]] EvalSet make_band_set(const Corpus& corpus, Pool pool);

// Errors: NotFound when the corpus has no soundfonts of the pool; those of reading them.
[[nodiscard]] Result<SongMaker> song_maker(const Corpus& corpus, const Material& readers, Pool pool);

// The parts that a worker learns from: those of songs, and now and then drums or a voice of another song,
// each at another level, some left out.
class SongStock : public ExampleStock {
  public:
    SongStock(SongMaker maker, const StockOptions& options);
    double follow(std::int64_t step, int clips) override { return rolling_.follow(step, clips); }
    [[nodiscard]] Example draw(Rng& rng) const override;

  private:
    using Item = std::array<StemSpectra, kMusicParts>;
    SongMaker maker_;  // of the thread that makes items
    RollingItems<Item> rolling_;
};

// Songs of a pool, always the same for the same corpus. A quarter of them are without a voice.
[[nodiscard]] EvalSet make_song_set(SongMaker& maker, int songs, double seconds);

struct SongEvalOptions {
    std::filesystem::path corpus, model, json;
    int songs = 60;
    double seconds = 20.0;
    Pool pool = Pool::Choose;
    bool oracle = false;
    bool scores = false;  // those of people, as they are written, in place of songs by rule
    bool bands = false;   // recordings of bands, of which the guitar is known
};
// Says gains by part with 95 % intervals, and what leaks into the voices where nobody sings.
[[nodiscard]] Status evaluate_songs(const SongEvalOptions& options);

}  // namespace rivlen::learn
