// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/songs.h"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/dsp/decibels.h"
#include "core/dsp/envelope.h"
#include "learn/songs/held_singing.h"
#include "learn/songs/midi.h"
#include "learn/world/voices.h"

namespace rivlen::learn {

namespace {

void multiply_both(Stereo& x, const std::vector<float>& gains) {
    for (auto& side : x) multiply(side, gains);
}

// A player's room: what is direct comes from where the line stands, the rest from all around.
Stereo in_room(const Stereo& dry, double pan, Rng& rng) {
    std::vector<float> mono(dry[0].size());
    for (std::size_t i = 0; i < mono.size(); ++i) mono[i] = 0.5F * (dry[0][i] + dry[1][i]);
    const auto sound = put_in_room(
        mono, random_room(rng, rng.chance(0.25) ? Strength::Strong : Strength::Light, Microphones::Together),
        pan, rng);
    Stereo out = dry;
    add_stereo(out, sound.reverb, static_cast<float>(rng.uniform(0.2, 1.0)));
    return out;
}

}  // namespace

std::vector<float> bus_gain(const Stereo& mix, double threshold_dbfs, double ratio) {
    constexpr double kAttackMs = 10, kReleaseMs = 150;
    AttackRelease reduction_db;
    reduction_db.set(kAttackMs, kReleaseMs, kCorpusRate);
    std::vector<float> gains(mix[0].size());
    for (std::size_t i = 0; i < gains.size(); ++i) {
        const double level = std::max(
            {1e-6, static_cast<double>(std::abs(mix[0][i])), static_cast<double>(std::abs(mix[1][i]))});
        const double over_db = std::max(0.0, 20 * std::log10(level) - threshold_dbfs);
        gains[i] = static_cast<float>(amplitude_of_db(-reduction_db.step(over_db * (1 - 1 / ratio))));
    }
    return gains;
}

Stereo SongMaker::played(const PlayedLine& line, std::size_t frames, Rng& rng) {
    Stereo out = fonts_[rng.below(fonts_.size())].play(line, frames);
    for (const auto& colour : random_colour(rng, 6.0))
        for (auto& side : out) filter(side, colour);
    return rng.chance(0.5) ? in_room(out, line.pan, rng) : out;
}

Stereo SongMaker::sung_tune(const Score& score, std::size_t frames, Rng& rng) const {
    Stereo out = silent_stereo(frames);
    const int singers = rng.chance(0.7) ? 1 : rng.between(2, 4);
    for (int singer = 0; singer < singers; ++singer) {
        double bandwidth = 24000;
        const auto talk = readers_->talk(frames, Material::Pitch::AsRead, bandwidth, rng);
        auto voice = rng.chance(0.5) ? held_singing(talk, score.tune, rng) : sung(talk, score.tune, rng);
        voice.resize(frames, 0.0F);
        const auto sound = put_in_room(
            voice,
            random_room(rng, rng.chance(0.3) ? Strength::Strong : Strength::Light, Microphones::Together),
            singers == 1 ? rng.uniform(-0.2, 0.2) : rng.uniform(-0.8, 0.8), rng);
        add_stereo(out, sound.direct);
        add_stereo(out, sound.reverb, static_cast<float>(rng.uniform(0.3, 1.0)));
    }
    return out;
}

Score SongMaker::stretch_of_one(double seconds, Rng& rng) const {
    const Score& whole = scores_[rng.below(scores_.size())];
    Score out = excerpt(whole, rng.uniform(0, std::max(0.0, whole.seconds - seconds)), seconds);
    const int transpose = rng.between(-4, 4);
    for (auto& line : out.lines) {
        for (auto& note : line.notes) {
            if (line.part != MusicPart::Drums) note.key = std::clamp(note.key + transpose, 0, 127);
        }
    }
    if (rng.chance(0.6)) sing_the_tune(out);
    return out.lines.empty() ? make_score(seconds, rng) : out;
}

Song SongMaker::as_written(const Score& score, double start_s, std::size_t frames, Rng& rng) {
    Song song;
    for (auto& part : song.parts) part = silent_stereo(frames);
    song.mix = silent_stereo(frames);
    Soundfont& font = fonts_[rng.below(fonts_.size())];
    for (const auto& line : excerpt(score, start_s, static_cast<double>(frames) / kCorpusRate).lines)
        add_stereo(song.parts[static_cast<std::size_t>(line.part)], font.play(line, frames));
    for (const auto& part : song.parts) add_stereo(song.mix, part);
    return song;
}

Song SongMaker::make(std::size_t frames, Rng& rng) {
    const double seconds = static_cast<double>(frames) / kCorpusRate;
    const bool by_people = !scores_.empty() && rng.chance(1.0 / 3);
    const Score score = by_people ? stretch_of_one(seconds, rng) : make_score(seconds, rng);
    Song song;
    for (auto& part : song.parts) part = silent_stereo(frames);
    const auto part = [&](MusicPart which) -> Stereo& { return song.parts[static_cast<std::size_t>(which)]; };
    for (const auto& line : score.lines) add_stereo(part(line.part), played(line, frames, rng));
    // A tune that was taken from its player is always sung.
    if (!score.tune.empty() && (by_people || rng.chance(2.0 / 3)))
        add_stereo(part(MusicPart::Voices), sung_tune(score, frames, rng));
    song.mix = silent_stereo(frames);
    for (auto& stereo : song.parts) {
        set_active_level(stereo, rng.uniform(-32, -20));
        add_stereo(song.mix, stereo);
    }
    // Both what a mix engineer does to all of it: one gain over time, and a level.
    std::vector<float> gains(frames, 1.0F);
    if (rng.chance(0.6)) gains = bus_gain(song.mix, rng.uniform(-24, -10), rng.log_uniform(1.3, 6));
    const double power = active_power(song.mix);
    const double level_db = rng.uniform(-26, -14) - 10 * std::log10(std::max(power, 1e-9));
    for (float& gain : gains) gain *= static_cast<float>(amplitude_of_db(level_db));
    for (auto& stereo : song.parts) multiply_both(stereo, gains);
    multiply_both(song.mix, gains);
    return song;
}

}  // namespace rivlen::learn
