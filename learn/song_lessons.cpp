// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/song_lessons.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "engine/network.h"
#include "learn/songs/midi.h"

namespace rivlen::learn {

namespace {

constexpr auto kVoices = static_cast<std::size_t>(MusicPart::Voices);
constexpr auto kDrums = static_cast<std::size_t>(MusicPart::Drums);
constexpr auto kBass = static_cast<std::size_t>(MusicPart::Bass);
constexpr auto kRest = static_cast<std::size_t>(MusicPart::Rest);

}  // namespace

Mix mix_of_song(Song song) {
    Mix mix;
    mix.kind = "song";
    mix.stem_names = kMusicPartNames;
    mix.stems = std::move(song.parts);
    mix.mix = std::move(song.mix);
    return mix;
}

Result<SongMaker> song_maker(const Corpus& corpus, const Material& readers, Pool pool) {
    std::vector<Soundfont> fonts;
    for (const auto& file : corpus.soundfonts(pool)) {
        auto font = Soundfont::open(file);
        if (!font) return font.error();
        fonts.push_back(std::move(*font));
    }
    if (fonts.empty())
        return make_error(ErrorKind::NotFound,
                          "The corpus has no soundfonts to {} from. Run 'rivlen-learn corpus' once more.",
                          name_of(pool));
    std::vector<Score> scores;
    for (const auto& file : corpus.scores(pool)) {
        auto score = read_midi(file);
        if (!score) return score.error();
        scores.push_back(std::move(*score));
    }
    return SongMaker(std::move(fonts), std::move(scores), readers);
}

SongStock::SongStock(SongMaker maker, const StockOptions& options)
    : maker_(std::move(maker)), rolling_(options, [this, seconds = options.clip_seconds](std::uint64_t seed) {
          Rng rng(seed);
          const Song song = maker_.make(static_cast<std::size_t>(seconds * kCorpusRate), rng);
          Item item;
          std::ranges::transform(song.parts, item.begin(),
                                 [](const Stereo& part) { return rivlen::spectra_of(part); });
          return item;
      }) {}

Example SongStock::draw(Rng& rng) const {
    constexpr double kLeftOut = 0.08, kFromAnother = 0.25, kMostMoveDb = 6;
    const Item& song = rolling_.any(rng);
    Blend blend;
    blend.frames = song[0].frames;
    blend.mono = rng.chance(0.1);
    for (std::size_t part = 0; part < kMusicParts; ++part) {
        // Chords and bass of one song belong together; what is struck or sung may come from anywhere.
        const bool moves = part == kVoices || part == kDrums;
        const Item& from = moves && rng.chance(kFromAnother) ? rolling_.any(rng) : song;
        blend.gains[part] = static_cast<float>(amplitude_of_db(rng.uniform(-kMostMoveDb, kMostMoveDb)));
        if (!from[part].values.empty() && !rng.chance(kLeftOut)) blend.stems[part] = &from[part];
    }
    // Something sounds in every song.
    if (std::ranges::all_of(blend.stems, [](const StemSpectra* stem) { return stem == nullptr; }))
        for (std::size_t part = 0; part < kMusicParts; ++part)
            if (!song[part].values.empty()) blend.stems[part] = &song[part];
    return rivlen::example_of(blend);
}

EvalSet make_song_set(SongMaker& maker, int songs, double seconds) {
    EvalSet set;
    for (int i = 0; i < songs; ++i) {
        Rng rng(static_cast<std::uint64_t>(7000 + i));
        Song song = maker.make(static_cast<std::size_t>(seconds * kCorpusRate), rng);
        if (i % 4 == 3) {
            for (std::size_t side = 0; side < 2; ++side) {
                auto& voice = song.parts[kVoices][side];
                add(song.mix[side], voice, -1.0F);
                std::ranges::fill(voice, 0.0F);
            }
        }
        set.mixes.push_back(mix_of_song(std::move(song)));
    }
    return set;
}

EvalSet make_score_set(SongMaker& maker, int songs, double seconds) {
    EvalSet set;
    const auto frames = static_cast<std::size_t>(seconds * kCorpusRate);
    const auto& scores = maker.scores();
    for (int i = 0; i < songs && !scores.empty(); ++i) {
        Rng rng(static_cast<std::uint64_t>(9000 + i));
        const auto turn = static_cast<std::size_t>(i) / scores.size();
        const Score& score = scores[static_cast<std::size_t>(i) % scores.size()];
        const double start_s = std::fmod(10.0 + static_cast<double>(turn) * 1.5 * seconds,
                                         std::max(1.0, score.seconds - seconds));
        Song song = maker.as_written(score, start_s, frames, rng);
        if (energy_of(std::span<const float>(song.mix[0])) > 0)
            set.mixes.push_back(mix_of_song(std::move(song)));
    }
    return set;
}

EvalSet make_band_set(const Corpus& corpus, Pool pool) {
    EvalSet set;
    constexpr double kSeconds = 20;
    constexpr std::size_t kFrames = static_cast<std::size_t>(kSeconds * kCorpusRate);
    for (const auto& [name, recordings] : corpus.groups("music", pool)) {
        for (const auto& guitar : recordings) {
            if (!guitar.path.ends_with("/guitar.ogg")) continue;
            const std::string folder = guitar.path.substr(0, guitar.path.rfind('/'));
            const auto song = std::ranges::find(recordings, folder + "/song.ogg", &Recording::path);
            if (song == recordings.end()) continue;
            for (const double start_s : {8.0, 35.0, 62.0}) {
                const auto start = static_cast<std::uint64_t>(start_s * kCorpusRate);
                if (start + kFrames > std::min(guitar.frames, song->frames)) continue;
                Song band;
                for (auto& part : band.parts) part = silent_stereo(kFrames);
                for (int side = 0; side < 2; ++side) {
                    const auto s = static_cast<std::size_t>(side);
                    corpus.read(guitar, start, side, band.parts[kRest][s]);
                    corpus.read(*song, start, side, band.parts[kDrums][s]);
                }
                band.mix = silent_stereo(kFrames);
                for (const auto& part : band.parts) add_stereo(band.mix, part);
                set.mixes.push_back(mix_of_song(std::move(band)));
            }
        }
    }
    return set;
}

namespace {

EvalSet set_of(const SongEvalOptions& options, const Corpus& corpus, SongMaker& maker) {
    if (options.bands) return make_band_set(corpus, options.pool);
    return options.scores ? make_score_set(maker, options.songs, options.seconds)
                          : make_song_set(maker, options.songs, options.seconds);
}

// All but the guitar counts as one.
void join_band(std::array<Stereo, kMusicParts>& parts) {
    for (const std::size_t other : {kVoices, kBass}) {
        add_stereo(parts[kDrums], parts[other]);
        for (auto& side : parts[other]) std::ranges::fill(side, 0.0F);
    }
}

}  // namespace

Status evaluate_songs(const SongEvalOptions& options) {
    auto opened = open_to_measure(options.corpus, options.model);
    if (!opened) return opened.error();
    const Material readers(opened->corpus, options.pool);
    auto maker = song_maker(opened->corpus, readers, options.pool);
    if (!maker) return maker.error();
    std::vector<Figures> figures;
    for (const auto& mix : set_of(options, opened->corpus, *maker).mixes) {
        const auto masks = options.oracle ? oracle_masks(mix) : network_masks(opened->network, mix);
        auto parts = apply_masks(masks, mix);
        if (options.bands) join_band(parts);
        figures.push_back(figures_of(mix, parts));
    }
    fmt::print("| part | songs | SI-SDR gain, dB | where it is missing, dB |\n|---|---|---|---|\n");
    for (const char* part : kMusicPartNames) {
        std::vector<double> gains, leaks;
        for (const auto& f : figures) {
            if (const auto it = f.gain_db.find(part); it != f.gain_db.end()) gains.push_back(it->second);
            if (const auto it = f.bleed_db.find(part); it != f.bleed_db.end()) leaks.push_back(it->second);
        }
        const auto mean = [](const std::vector<double>& x) {
            return std::accumulate(x.begin(), x.end(), 0.0) /
                   static_cast<double>(std::max<std::size_t>(1, x.size()));
        };
        double spread = 0;
        for (const double g : gains) spread += (g - mean(gains)) * (g - mean(gains));
        const auto n = static_cast<double>(gains.size());
        const double interval = n > 1 ? 1.96 * std::sqrt(spread / (n - 1) / n) : 0.0;
        fmt::print("| {} | {} | {:.1f} ± {:.1f} | {} |\n", part, gains.size(), mean(gains), interval,
                   leaks.empty() ? "-" : fmt::format("{:.1f}", mean(leaks)));
    }
    return options.json.empty() ? Status{} : write_text_file(options.json, summary_json(figures));
}

}  // namespace rivlen::learn
