// SPDX-License-Identifier: GPL-3.0-or-later
#include <algorithm>
#include <array>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/separation/music_parts.h"
#include "core/separation/other_sound.h"
#include "learn/corpus.h"
#include "learn/packages.h"
#include "learn/songs/songs.h"
#include "learn/stock.h"
#include "learn/teaching_set.h"
#include "learn/world/material.h"

namespace rivlen::learn {

namespace {

constexpr double kLevelDb = -20.0;      // of a song
constexpr double kHighestHz = 20000.0;  // that Opus keeps
// Both under the MIT licence, which lets sound made with them go anywhere.
constexpr std::array<const char*, 2> kFreeFonts = {"FluidR3_GM.sf2", "MuseScore_General_Lite.sf3"};

// Singers of one clip come from several readers, so that their licences must be one.
bool may_sing(const std::string& licence) {
    return licence.starts_with("GPL-2+") || licence.starts_with("GPL-3+");
}

Result<std::vector<Soundfont>> free_fonts(const Corpus& corpus) {
    std::vector<Soundfont> fonts;
    for (const auto& file : corpus.soundfonts(Pool::Learn)) {
        if (std::ranges::find(kFreeFonts, file.filename().string()) == kFreeFonts.end()) continue;
        auto font = Soundfont::open(file);
        if (!font) return font.error();
        fonts.push_back(std::move(*font));
    }
    if (fonts.empty())
        return make_error(ErrorKind::NotFound,
                          "The corpus has no soundfonts that may be given on. Run 'rivlen-learn corpus' once "
                          "more.");
    return fonts;
}

}  // namespace

Status make_song_teaching_set(const TeachingSetOptions& options) {
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    const auto packages = read_packages(options.package_list);
    if (!packages) return packages.error();
    std::set<std::string> singers, sung_by;  // packages
    for (const auto& package : *packages) {
        if (may_sing(package.licence)) singers.insert(package.name);
    }
    corpus->keep([&](const Recording& r) { return r.kind == "speech" && singers.contains(r.package); });
    for (const auto& [name, recordings] : corpus->groups("speech", Pool::Learn))
        sung_by.insert(recordings.front().package);
    auto fonts = free_fonts(*corpus);
    if (!fonts) return fonts.error();
    const Material readers(*corpus, Pool::Learn);
    SongMaker maker(std::move(*fonts), {}, readers);
    const auto frames = static_cast<std::size_t>(options.clip_seconds * kCorpusRate);
    std::array<Stereo, kMusicParts> parts;
    nlohmann::json clips = nlohmann::json::array();
    for (int n = 0; n < options.clips; ++n) {
        Rng rng(seed_of(options.seed, n, 5));
        Song song = maker.make(frames, rng);
        const double power = active_power(song.mix);
        const auto gain = static_cast<float>(power > 0 ? std::sqrt(power_of_db(kLevelDb) / power) : 0.0);
        for (std::size_t p = 0; p < kMusicParts; ++p) {
            for (std::size_t c = 0; c < 2; ++c) {
                for (float& x : song.parts[p][c]) x *= gain;
                parts[p][c].insert(parts[p][c].end(), song.parts[p][c].begin(), song.parts[p][c].end());
            }
        }
        clips.push_back({{"bandwidth_hz", kHighestHz}});
    }
    std::error_code error;
    std::filesystem::create_directories(options.folder, error);  // where that fails, writing says so
    for (std::size_t p = 0; p < kMusicParts; ++p) {
        const auto file = options.folder / (std::string(kMusicPartNames[p]) + ".opus");
        if (auto status = write_teaching_sound(parts[p], file); !status) return status;
    }
    const nlohmann::json list = {{"clip_seconds", options.clip_seconds},
                                 {"soundfonts", kFreeFonts},
                                 {"sung_by_readers_of", sung_by},
                                 {"clips", clips}};
    return write_text_file(options.folder / kOtherSongsList, list.dump(1) + "\n");
}

}  // namespace rivlen::learn
