// SPDX-License-Identifier: GPL-3.0-or-later
// Sound of the corpus, drawn and put together: talk, crowds, music, recorded ambience. In learning it is also
// varied: other speeds, pitches and formants, so that few readers and pieces sound like many.
#pragma once

#include <vector>

#include "core/base/rng.h"
#include "learn/corpus.h"
#include "learn/rooms.h"
#include "learn/world/sound.h"

namespace rivlen::learn {

class Material {
  public:
    // Draws from one pool only; varied in Pool::Learn alone.
    Material(const Corpus& corpus, Pool pool);

    // Utterances of one reader with pauses, dry and mono. bandwidth_hz is lowered to where the recordings
    // end. Moving pitch against formants costs a hundred times what everything else does, and is for voices
    // in front.
    enum class Pitch { AsRead, Moved };
    [[nodiscard]] Samples talk(std::size_t frames, Pitch pitch, double& bandwidth_hz, Rng& rng) const;
    // A piece, or (in learning) one made by rule, or singing.
    [[nodiscard]] Stereo music(std::size_t frames, Rng& rng) const;
    // Recorded effects: looped at one speed each, one after another, again and again as a machine does it, or
    // in grains.
    [[nodiscard]] Stereo recorded_ambience(std::size_t frames, Rng& rng) const;
    // One recording again and again, at one speed.
    [[nodiscard]] Stereo loop(std::size_t frames, Rng& rng) const;
    // Five to sixteen talkers in one room.
    [[nodiscard]] Stereo crowd(std::size_t frames, Rng& rng) const;
    // Two to four talkers far off, or one in a loudspeaker: ambience only when it lies far below a voice.
    [[nodiscard]] Stereo talkers_behind(std::size_t frames, Rng& rng) const;
    [[nodiscard]] bool varied() const { return vary_; }

  private:
    struct Source {
        const std::vector<Recording>* recordings;
        double weight;
    };
    [[nodiscard]] const Source& draw(const std::vector<Source>& sources, Rng& rng) const;
    [[nodiscard]] Stereo read_stereo(const Recording& recording, std::uint64_t start, std::size_t frames,
                                     double speed) const;
    [[nodiscard]] Stereo recorded_music(std::size_t frames, Rng& rng) const;
    [[nodiscard]] Stereo singing(std::size_t frames, Rng& rng) const;
    void add_pieces(Stereo& out, bool looped, Rng& rng) const;
    void add_repeated(Stereo& out, Rng& rng) const;
    void add_grains(Stereo& out, Rng& rng) const;
    [[nodiscard]] double random_speed(Rng& rng) const;

    const Corpus* corpus_;
    bool vary_;
    // A talker who is only ever heard behind others: a reader, or a synthesised voice.
    [[nodiscard]] Samples distant_talk(std::size_t frames, Rng& rng) const;
    [[nodiscard]] Samples talk_of(const std::vector<Recording>& recordings, std::size_t frames, Pitch pitch,
                                  double& bandwidth_hz, Rng& rng) const;

    std::vector<Source> readers_, pieces_, effects_, made_talkers_;
};

[[nodiscard]] Stereo silent_stereo(std::size_t frames);
void add_stereo(Stereo& to, const Stereo& from, float gain = 1.0F);

// As rivlen::active_power(), at the corpus' rate.
[[nodiscard]] double active_power(std::span<const float> x);
[[nodiscard]] double active_power(const Stereo& x);
// Brings it to a level in dBFS; what is silent stays so.
void set_active_level(Stereo& x, double level_db);

// Microphone and tape colour.
[[nodiscard]] std::vector<Biquad> random_colour(Rng& rng, double depth_db);

}  // namespace rivlen::learn
