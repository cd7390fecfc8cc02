// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/mixer.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "learn/world/ambience.h"
#include "learn/world/codecs.h"

namespace rivlen::learn {

namespace {

constexpr double kVoiceLevelDb = -26.0;

float gain_of(double db) {
    return static_cast<float>(amplitude_of_db(db));
}

void scale(Stereo& x, float gain) {
    for (auto& channel : x) {
        for (float& v : channel) v *= gain;
    }
}

double mean_power(const Stereo& x) {
    return x[0].empty() ? 0.0 : 0.5 * (energy_of(x[0]) + energy_of(x[1])) / static_cast<double>(x[0].size());
}

void set_mean_level(Stereo& x, double level_db) {
    const double now = mean_power(x);
    if (now > 1e-14) scale(x, static_cast<float>(std::sqrt(power_of_db(level_db) / now)));
}

// A name from families, each as often as its weight says.
std::string draw_family(std::span<const AmbienceFamily> families, Rng& rng) {
    double total = 0.0;
    for (const auto& f : families) total += f.weight;
    double at = rng.uniform() * total;
    for (const auto& f : families) {
        at -= f.weight;
        if (at <= 0.0) return f.name;
    }
    return families.back().name;
}
std::string draw_synthetic(Rng& rng) {
    return rng.chance(0.58) ? draw_family(bed_families(), rng) : draw_family(event_families(), rng);
}

// A lone voice, lone music, or lone surroundings.
void make_lone(Scene& scene, Rng& rng) {
    const double what = rng.uniform();
    scene.ducked = false;
    scene.music = what >= 0.35 && what < 0.75;
    if (what < 0.35) {
        scene.voices = 1;
        scene.ambiences.clear();
    } else {
        scene.voices = 0;
        if (what < 0.75) scene.ambiences.clear();
        if (what >= 0.75 && scene.ambiences.empty()) scene.ambiences = {draw_synthetic(rng)};
    }
}

void add(Stereo& to, const Stereo& from, float gain = 1.0F) {
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < to[c].size(); ++i) to[c][i] += gain * from[c][i];
    }
}

Stereo silence(std::size_t frames) {
    return {std::vector<float>(frames, 0.0F), std::vector<float>(frames, 0.0F)};
}

void filter(Stereo& x, const Biquad& coefficients) {
    for (auto& channel : x) BiquadFilter(coefficients).process(channel);
}

// The gain of a frame holds at its middle, where the grid's window is highest.
void duck(Stereo& x, std::span<const float> activity) {
    for (auto& channel : x) {
        for (std::size_t i = 0; i < channel.size(); ++i) {
            const float place = static_cast<float>(i) / kModelHop;
            const auto t = std::min(static_cast<std::size_t>(place), activity.size() - 1);
            const std::size_t next = std::min(t + 1, activity.size() - 1);
            const float part = place - static_cast<float>(t);
            channel[i] *= duck_gain(activity[t] + part * (activity[next] - activity[t]));
        }
    }
}

}  // namespace

MixGains mix_gains(const Scene& scene, double music_power, double ambience_power, Rng& rng) {
    const auto to_level = [](double power, double level_db) {
        return power > 1e-14 ? std::sqrt(power_of_db(level_db) / power) : 1.0;
    };
    const float level = gain_of(rng.uniform(-14, 6));
    const double music = to_level(music_power, kVoiceLevelDb - scene.voice_over_music_db);
    const double ambience = to_level(ambience_power, kVoiceLevelDb - scene.voice_over_ambience_db);
    return {{level, level, level * static_cast<float>(music), level * static_cast<float>(ambience)}, level};
}

std::vector<float> voice_activity(const Stereo& voice) {
    // Of the frames of the model's grid, smoothed over a quarter of a second, as somebody at a fader would.
    constexpr float kSpeed = 0.05F;
    const std::size_t frames = Stft::frame_count(voice[0].size(), kModelHop);
    const double threshold = 0.02 * active_power(voice);
    std::vector<float> activity(frames);
    float now = 0.0F;
    for (std::size_t t = 0; t < frames; ++t) {
        double power = 0.0;
        const std::size_t from = t * kModelHop;
        const std::size_t to = std::min(from + kModelHop, voice[0].size());
        for (const auto& channel : voice) {
            if (from < to) power += energy_of(std::span(channel).subspan(from, to - from)) / kModelHop;
        }
        now += kSpeed * ((threshold > 0.0 && power > threshold ? 1.0F : 0.0F) - now);
        activity[t] = now;
    }
    return activity;
}

float duck_gain(float activity) {
    constexpr float kDepthDb = 12.0F;
    return static_cast<float>(
        amplitude_of_db(-static_cast<double>(kDepthDb * std::min(1.0F, 1.5F * activity))));
}

std::size_t learned_bins(double bandwidth_hz) {
    if (bandwidth_hz >= 20000) return kModelBins;
    return std::min<std::size_t>(kModelBins, static_cast<std::size_t>(bandwidth_hz * kModelFft / kModelRate));
}

Scene Mixer::random_scene(Rng& rng) {
    Scene scene;
    scene.kind = "random";
    const double who = rng.uniform();
    scene.voices = who < 0.42 ? 0 : who < 0.96 ? 1 : 2;
    const double where = rng.uniform();
    scene.room = where < 0.3 ? 0 : where < 0.62 ? 1 : 2;
    scene.music = rng.chance(0.74);
    scene.voice_over_music_db = rng.chance(0.7) ? rng.uniform(-5, 10) : rng.uniform(-10, 18);
    // Music and what is around it are the hardest to part: half of the scenes have both, and in half of those
    // nobody talks.
    const bool surroundings = rng.chance(!scene.music ? 0.88 : scene.voices == 0 ? 0.9 : 0.7);
    if (surroundings) {
        const int layers = rng.chance(0.35) ? 2 : 1;
        for (int i = 0; i < layers; ++i) {
            const double what = rng.uniform();
            scene.ambiences.push_back(what < 0.32   ? "recorded"
                                      : what < 0.52 ? "crowd"
                                      : what < 0.56 ? "talkers behind"
                                                    : draw_synthetic(rng));
        }
        if (rng.chance(0.2)) scene.ambiences.push_back(draw_synthetic(rng));
    }
    scene.voice_over_ambience_db = rng.chance(0.7) ? rng.uniform(-4, 13) : rng.uniform(-8, 24);
    // Where one of the two is far below the other there is little to learn.
    if (scene.voices == 0 && scene.music && surroundings && rng.chance(0.8))
        scene.voice_over_ambience_db = scene.voice_over_music_db + rng.uniform(-8, 8);
    scene.mono = rng.chance(0.4);
    scene.telephone = rng.chance(0.04);
    scene.clipped = rng.chance(0.05);
    scene.coded = rng.chance(0.05);
    scene.ducked = scene.voices > 0 && scene.music && rng.chance(0.15);
    if (rng.chance(0.12)) make_lone(scene, rng);
    return scene;
}

Scene Mixer::random_parts(Rng& rng) {
    Scene scene = random_scene(rng);
    while (scene.ambiences.empty() || scene.voices == 0) scene = random_scene(rng);
    scene.music = true;
    return scene;
}

const std::vector<std::string>& Mixer::kinds() {
    static const std::vector<std::string> all = {
        "voice over music", "voice in traffic",   "voice in a crowd",
        "voice in a room",  "voice in wind",      "voice, music, ambience",
        "voice and hum",    "music and ambience", "voice alone",
        "music only",       "ambience only"};
    return all;
}

Scene Mixer::scene_of_kind(const std::string& kind, Rng& rng) {
    Scene scene;
    scene.kind = kind;
    scene.mono = rng.chance(0.5);
    scene.room = rng.chance(0.5) ? 0 : 1;
    scene.voice_over_music_db = rng.uniform(-4, 8);
    scene.voice_over_ambience_db = rng.uniform(-2, 10);
    if (kind == "voice over music") {
        scene.music = true;
    } else if (kind == "voice in traffic") {
        scene.ambiences = {"traffic", "recorded"};
    } else if (kind == "voice in a crowd") {
        scene.ambiences = {"crowd"};
    } else if (kind == "voice in a room") {
        scene.room = 2;
        scene.ambiences = {"ventilation"};
        scene.voice_over_ambience_db = rng.uniform(10, 20);
    } else if (kind == "voice in wind") {
        scene.ambiences = {"wind"};
    } else if (kind == "voice, music, ambience") {
        scene.music = true;
        scene.ambiences = {"recorded"};
    } else if (kind == "voice and hum") {
        scene.ambiences = {"hum", "ventilation"};
    } else if (kind == "music and ambience") {
        scene.voices = 0;
        scene.music = true;
        scene.ambiences = {"recorded"};
        scene.voice_over_music_db = 0;
        scene.voice_over_ambience_db = rng.uniform(-6, 6);
    } else if (kind == "voice alone") {
        scene.room = 0;
        scene.coloured = false;
    } else if (kind == "music only") {
        scene.voices = 0;
        scene.music = true;
    } else if (kind == "ambience only") {
        scene.voices = 0;
        scene.ambiences = {"recorded", "traffic"};
    }
    return scene;
}

Mix Mixer::make(const Scene& scene, std::size_t frames, Rng& rng) const {
    const Parts parts = make_parts(scene, frames, rng);
    return combine(scene, parts, parts, parts, rng);
}

Parts Mixer::make_parts(const Scene& scene, std::size_t frames, Rng& rng) const {
    Parts parts;
    for (auto* part : {&parts.dialogue, &parts.reverb, &parts.music, &parts.ambience})
        *part = silence(frames);
    parts.dry_voice.assign(frames, 0.0F);
    for (int v = 0; v < scene.voices; ++v) {
        auto dry = material_.talk(frames, Material::Pitch::Moved, parts.bandwidth_hz, rng);
        if (scene.coloured && rng.chance(0.7)) {
            for (const auto& f : random_colour(rng, 7.0)) BiquadFilter(f).process(dry);
        }
        const double p = active_power(dry);
        const double level = kVoiceLevelDb + (v == 0 ? 0.0 : rng.uniform(-10, 0));
        const float gain = p > 1e-12 ? static_cast<float>(std::sqrt(std::pow(10.0, level / 10.0) / p)) : 0.0F;
        for (float& x : dry) x *= gain;
        double pan = rng.chance(0.75) ? 0.0 : rng.uniform(-0.7, 0.7);
        if (rng.chance(0.02)) pan = rng.chance(0.5) ? -1.0 : 1.0;
        if (scene.room > 0) {
            const auto room = random_room(rng, scene.room == 2 ? Strength::Strong : Strength::Light,
                                          material_.varied() ? Microphones::Any : Microphones::Together);
            const auto sound = put_in_room(dry, room, pan, rng);
            add(parts.dialogue, sound.direct);
            add(parts.reverb, sound.reverb);
        } else {
            const double angle = (pan + 1.0) * 0.7853981633974483;
            const std::array<double, 2> place = {std::cos(angle) * 1.4142135623730951,
                                                 std::sin(angle) * 1.4142135623730951};
            const float flip = !scene.mono && rng.chance(0.015) ? -1.0F : 1.0F;
            for (std::size_t i = 0; i < frames; ++i) {
                parts.dialogue[0][i] += static_cast<float>(place[0]) * dry[i];
                parts.dialogue[1][i] += static_cast<float>(place[1]) * flip * dry[i];
            }
        }
        for (std::size_t i = 0; i < frames; ++i) parts.dry_voice[i] += dry[i];
    }
    if (scene.music) {
        parts.music = material_.music(frames, rng);
        if (rng.chance(0.4)) {
            for (const auto& f : random_colour(rng, 6.0)) filter(parts.music, f);
        }
    }
    if (!scene.ambiences.empty()) {
        for (const auto& kind : scene.ambiences) {
            Stereo layer = kind == "crowd"            ? material_.crowd(frames, rng)
                           : kind == "recorded"       ? material_.recorded_ambience(frames, rng)
                           : kind == "talkers behind" ? material_.talkers_behind(frames, rng)
                                                      : synthesise_ambience(kind, frames, rng);
            parts.talkers_behind = parts.talkers_behind || kind == "talkers behind";
            const double level_db = rng.uniform(-8, 0);
            if (kind == "recorded" || ambience_family(kind).events) {
                set_active_level(layer, level_db);
            } else {
                set_mean_level(layer, level_db);
            }
            add(parts.ambience, layer);
        }
        if (rng.chance(0.5)) {
            for (const auto& f : random_colour(rng, 8.0)) filter(parts.ambience, f);
        }
    }
    parts.activity = voice_activity(parts.dialogue);
    return parts;
}

bool Mixer::goes_with(const Parts& ambience, Scene& scene) {
    if (!ambience.talkers_behind || scene.ambiences.empty()) return true;
    // Distant talkers alone could be anybody's dialogue.
    if (scene.voices == 0) return false;
    scene.voice_over_ambience_db = std::max(scene.voice_over_ambience_db, kBehindDb);
    return true;
}

Mix Mixer::combine(const Scene& scene, const Parts& voice, const Parts& music, const Parts& ambience,
                   Rng& rng) {
    Mix mix;
    mix.kind = scene.kind;
    const std::size_t frames = voice.dry_voice.size();
    for (auto& stem : mix.stems) stem = silence(frames);
    mix.dry_voice.assign(frames, 0.0F);
    if (scene.voices > 0) {
        mix.stems[0] = voice.dialogue;
        mix.stems[1] = voice.reverb;
        mix.dry_voice = voice.dry_voice;
        mix.bandwidth_hz = voice.bandwidth_hz;
    }
    if (scene.music) mix.stems[2] = music.music;
    if (!scene.ambiences.empty()) mix.stems[3] = ambience.ambience;
    const MixGains gains = mix_gains(scene, active_power(mix.stems[2]), active_power(mix.stems[3]), rng);
    if (scene.ducked) duck(mix.stems[2], voice.activity);  // from the level that was asked for
    for (std::size_t s = 0; s < kStems; ++s) scale(mix.stems[s], gains.stems[s]);
    for (float& x : mix.dry_voice) x *= gains.level;
    if (scene.mono) {
        for (auto& stem : mix.stems) {
            for (std::size_t i = 0; i < frames; ++i)
                stem[0][i] = stem[1][i] = 0.5F * (stem[0][i] + stem[1][i]);
        }
    }
    if (scene.telephone) {
        const auto low = Biquad::high_pass(kCorpusRate, rng.log_uniform(150, 400), 0.7);
        const auto high = Biquad::low_pass(kCorpusRate, rng.log_uniform(3000, 5000), 0.7);
        for (auto& stem : mix.stems) {
            for (int pass = 0; pass < 2; ++pass) {
                filter(stem, low);
                filter(stem, high);
            }
        }
    }
    mix.mix = silence(frames);
    for (const auto& stem : mix.stems) add(mix.mix, stem);
    if (scene.coded) {
        if (auto coded = through_codec(mix.mix, random_codec(rng))) mix.mix = std::move(*coded);
    }
    if (scene.clipped) {
        float peak = 1e-9F;
        for (const auto& channel : mix.mix) {
            for (const float x : channel) peak = std::max(peak, std::abs(x));
        }
        const float limit = peak * gain_of(-rng.uniform(2, 9));
        for (auto& channel : mix.mix) {
            for (float& x : channel) x = std::clamp(x, -limit, limit);
        }
    }
    return mix;
}

}  // namespace rivlen::learn
