// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes with known parts, made on the fly: the same seed and corpus give the same mix.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/separation/bands.h"
#include "learn/corpus.h"
#include "learn/rooms.h"
#include "learn/world/material.h"

namespace rivlen::learn {

struct Mix {
    std::string kind;
    std::array<const char*, kStems> stem_names = kStemNames;
    std::array<Stereo, kStems> stems;  // in the order of these; they add up to `mix` unless it was clipped
    Stereo mix;
    std::vector<float> dry_voice;  // mid of the voice without any room, placed in time as in the mix
    double bandwidth_hz = 24000;   // above it the voice's recording holds nothing to learn from
    [[nodiscard]] std::size_t frames() const { return mix[0].size(); }
};

// What is in a mix. Levels are against the voice's level (or against -26 dBFS when there is none).
struct Scene {
    std::string kind;
    int voices = 1;  // talkers in the foreground, 0 to 2
    int room = 0;    // 0 dry, 1 light, 2 strong
    bool music = false;
    double voice_over_music_db = 6;
    std::vector<std::string> ambiences;  // synthetic_ambiences(), "crowd", "talkers behind", "recorded"
    double voice_over_ambience_db = 8;
    bool mono = false;
    bool telephone = false;
    bool clipped = false;
    bool coded = false;    // through a lossy codec
    bool ducked = false;   // music that is taken down while the voice speaks
    bool coloured = true;  // microphone and tape colour
    // Whether its mix is the sum of its parts as they are, so that it can be put together from their spectra.
    [[nodiscard]] bool linear() const { return !telephone && !clipped && !coded; }
};

// Gains that a scene's levels ask for, by the active powers of its music and ambience, at a level of the
// whole that rng draws.
struct MixGains {
    std::array<float, kStems> stems;
    float level;  // of the whole; it is in the stems' gains already
};
[[nodiscard]] MixGains mix_gains(const Scene& scene, double music_power, double ambience_power, Rng& rng);

// Bins of the model's grid that hold something to learn from.
[[nodiscard]] std::size_t learned_bins(double bandwidth_hz);

// What mixes are put together from. Making parts costs much more than putting them together, so that learning
// uses every part several times, each time with others and at other levels.
struct Parts {
    Stereo dialogue, reverb, music, ambience;
    std::vector<float> dry_voice;
    double bandwidth_hz = 24000;
    std::vector<float> activity;  // of the dialogue, 0 to 1, by frames of the model's grid
    bool talkers_behind = false;  // in the ambience
};
[[nodiscard]] std::vector<float> voice_activity(const Stereo& voice);
// Gain of ducked music while the voice is so active.
[[nodiscard]] float duck_gain(float activity);

class Mixer {
  public:
    // Draws from one pool only. Speeds and pitches vary in learning alone.
    Mixer(const Corpus& corpus, Pool pool) : material_(corpus, pool) {}

    [[nodiscard]] static Scene random_scene(Rng& rng);
    // A scene that has something of everything, whose parts any scene can be put together from.
    [[nodiscard]] static Scene random_parts(Rng& rng);
    // Kinds of the fixed evaluation set.
    [[nodiscard]] static const std::vector<std::string>& kinds();
    [[nodiscard]] static Scene scene_of_kind(const std::string& kind, Rng& rng);

    [[nodiscard]] Mix make(const Scene& scene, std::size_t frames, Rng& rng) const;

    // The same in two steps: make() is combine() of the parts of its scene. What a scene does without stays
    // silent.
    [[nodiscard]] Parts make_parts(const Scene& scene, std::size_t frames, Rng& rng) const;
    // Voice, music and ambience from three sets of parts of equal length (they may be the same set), as far
    // as the scene has them.
    [[nodiscard]] static Mix combine(const Scene& scene, const Parts& voice, const Parts& music,
                                     const Parts& ambience, Rng& rng);

    // Whether this ambience may be used in a scene; one with talkers in it only far below a voice, which is
    // arranged.
    [[nodiscard]] static bool goes_with(const Parts& ambience, Scene& scene);

  private:
    static constexpr double kBehindDb = 12.0;
    Material material_;
};

}  // namespace rivlen::learn
