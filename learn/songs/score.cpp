// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/songs/score.h"

#include <algorithm>
#include <cmath>
#include <span>

#include "learn/world/scales.h"

namespace rivlen::learn {

namespace {

// Instruments of drums (General MIDI, channel 10).
constexpr int kKick = 36, kSideStick = 37, kSnare = 38, kLowTom = 45, kMidTom = 47, kHighTom = 50,
              kClosedHat = 42, kOpenHat = 46, kCrash = 49, kRide = 51, kTambourine = 54, kShaker = 70;

// The frame that all players share.
struct Frame {
    double seconds, beat_s;
    int beats_a_bar;
    double swing;  // how much later the second half of a beat is, of a beat: 0 to 1/6
    int root;      // MIDI key in the octave above 36
    Scale scale;
    std::vector<int> chords;  // degrees, one a bar, repeated

    [[nodiscard]] double bar_s() const { return beat_s * beats_a_bar; }
    [[nodiscard]] int bars() const { return static_cast<int>(std::ceil(seconds / bar_s())); }
    [[nodiscard]] int chord(int bar) const { return chords[static_cast<std::size_t>(bar) % chords.size()]; }
    // Key of a degree of the scale.
    [[nodiscard]] int key(int degree) const { return root + semitones_of(scale, degree); }
    // Where a beat of a bar lies; halves are swung.
    [[nodiscard]] double at(int bar, double beat) const {
        const double half = beat - std::floor(beat);
        return bar * bar_s() + (beat + (std::abs(half - 0.5) < 0.01 ? swing : 0.0)) * beat_s;
    }
};

// How a player plays: never quite on time, never twice as loud, and not in every bar.
class Hand {
  public:
    Hand(const Frame& frame, PlayedLine& line, Rng& rng)
        : frame_(&frame),
          line_(&line),
          rng_(&rng),
          jitter_s_(rng.uniform(0.0, 0.015)),
          late_s_(rng.uniform(-0.01, 0.015)),
          velocity_(rng.between(55, 112)),
          spread_(rng.uniform(2, 14)) {
        const bool pauses = rng.chance(0.35);
        for (int group = 0; group <= frame.bars() / 2; ++group) plays_.push_back(!pauses || rng.chance(0.6));
    }
    [[nodiscard]] bool plays(int bar) const { return plays_[static_cast<std::size_t>(bar / 2)]; }
    void play(int bar, double beat, double beats, int key, double accent = 1.0) {
        const double start = std::max(0.0, frame_->at(bar, beat) + late_s_ + jitter_s_ * rng_->normal());
        if (!plays(bar) || start >= frame_->seconds) return;
        const auto velocity = static_cast<int>(std::lround(velocity_ * accent + spread_ * rng_->normal()));
        line_->notes.push_back({start, beats * frame_->beat_s, key, std::clamp(velocity, 1, 127)});
    }

  private:
    const Frame* frame_;
    PlayedLine* line_;
    Rng* rng_;
    double jitter_s_, late_s_;
    int velocity_;
    double spread_;
    std::vector<bool> plays_;  // by two bars
};

Frame make_frame(double seconds, Rng& rng) {
    Frame frame{seconds,
                60.0 / rng.uniform(60, 180),
                rng.chance(0.85) ? 4 : 3,
                rng.chance(0.35) ? rng.uniform(0.05, 1.0 / 6.0) : 0.0,
                36 + rng.between(0, 11),
                kScales[rng.below(kScales.size())],
                {}};
    // Where a chord may go, most usual ones several times: common practice, no source.
    constexpr std::array<std::array<int, 6>, 7> kNext = {{{3, 4, 5, 1, 3, 4},
                                                          {4, 4, 6, 0, 3, 4},
                                                          {5, 3, 5, 1, 0, 3},
                                                          {4, 0, 4, 1, 0, 5},
                                                          {0, 0, 5, 0, 3, 0},
                                                          {3, 1, 4, 3, 2, 1},
                                                          {0, 2, 0, 5, 0, 0}}};
    const int length = rng.chance(0.7) ? 4 : 8;
    int degree = 0;
    for (int i = 0; i < length; ++i) {
        frame.chords.push_back(degree);
        degree = kNext[static_cast<std::size_t>(degree)][rng.below(6)];
    }
    return frame;
}

void play_bass(const Frame& frame, PlayedLine& line, Rng& rng) {
    Hand hand(frame, line, rng);
    enum class Way { Roots, Eighths, RootAndFifth, Walking, Held };
    const auto way = static_cast<Way>(rng.below(5));
    const double held = rng.uniform(0.5, 1.0);
    for (int bar = 0; bar < frame.bars(); ++bar) {
        const int chord = frame.chord(bar);
        const int deep = frame.key(chord) > 47 ? -7 : 0;  // degrees: an octave down
        switch (way) {
            case Way::Held:
                hand.play(bar, 0, frame.beats_a_bar * held, frame.key(chord + deep));
                break;
            case Way::Roots:
                for (int b = 0; b < frame.beats_a_bar; ++b)
                    if (b % 2 == 0 || rng.chance(0.4)) hand.play(bar, b, held, frame.key(chord + deep));
                break;
            case Way::Eighths:
                for (int b = 0; b < 2 * frame.beats_a_bar; ++b)
                    hand.play(bar, 0.5 * b, 0.5 * held,
                              frame.key(chord + deep + (b % 4 == 3 && rng.chance(0.3) ? 7 : 0)),
                              b % 2 == 0 ? 1.0 : 0.85);
                break;
            case Way::RootAndFifth:
                for (int b = 0; b < frame.beats_a_bar; ++b)
                    hand.play(bar, b, held, frame.key(chord + deep + (b % 2 == 1 ? 4 : 0)));
                break;
            case Way::Walking:
                for (int b = 0; b < frame.beats_a_bar; ++b) {
                    constexpr std::array<int, 4> kSteps = {0, 2, 4, 6};
                    const int step = b == 0 ? 0 : kSteps[rng.below(4)] + (rng.chance(0.2) ? 1 : 0);
                    hand.play(bar, b, 0.95, frame.key(chord + deep + step));
                }
                break;
        }
    }
}

void play_fill(const Frame& frame, Hand& hand, int bar, Rng& rng) {
    constexpr std::array<int, 4> kDrums = {kSnare, kHighTom, kMidTom, kLowTom};
    const int from = rng.between(0, frame.beats_a_bar - 1);
    for (int b = 4 * from; b < 4 * frame.beats_a_bar; ++b) {
        if (rng.chance(0.25)) continue;
        const auto drum = static_cast<std::size_t>(4 * (b - 4 * from) / (4 * (frame.beats_a_bar - from)));
        hand.play(bar, 0.25 * b, 0.2, kDrums[drum], 0.9);
    }
}

// One bar of a pattern: how probable each sixteenth is.
using Pattern = std::vector<double>;
Pattern random_pattern(int sixteenths, double on_beats, double on_halves, double between, Rng& rng) {
    Pattern pattern(static_cast<std::size_t>(sixteenths), 0.0);
    for (std::size_t i = 0; i < pattern.size(); ++i) {
        const double chance = i % 4 == 0 ? on_beats : i % 2 == 0 ? on_halves : between;
        pattern[i] = rng.chance(chance) ? 1.0 : rng.chance(0.15) ? 0.1 : 0.0;
    }
    return pattern;
}

void play_drums(const Frame& frame, PlayedLine& line, Rng& rng) {
    Hand hand(frame, line, rng);
    const int sixteenths = 4 * frame.beats_a_bar;
    struct Player {
        int drum;
        Pattern pattern;
        double accent;
    };
    std::vector<Player> players;
    if (!rng.chance(0.08)) {
        players.push_back(
            {kKick, random_pattern(sixteenths, rng.chance(0.3) ? 1.0 : 0.35, 0.2, 0.06, rng), 1.1});
        players.back().pattern[0] = 1.0;
    }
    if (!rng.chance(0.12)) {
        Pattern back = random_pattern(sixteenths, 0.0, 0.04, 0.05, rng);
        for (std::size_t i = 4; i < back.size(); i += 8) back[i] = 1.0;
        players.push_back({rng.chance(0.8) ? kSnare : kSideStick, back, 1.0});
    }
    if (!rng.chance(0.15)) {
        constexpr std::array<int, 4> kTime = {kClosedHat, kRide, kShaker, kTambourine};
        const double halves = rng.chance(0.7) ? 1.0 : 0.2, between = rng.chance(0.3) ? 0.9 : 0.05;
        const int time = rng.chance(0.6) ? kClosedHat : kTime[rng.below(4)];
        players.push_back({time, random_pattern(sixteenths, 0.95, halves, between, rng), 0.75});
        if (time == kClosedHat && rng.chance(0.4))
            players.push_back({kOpenHat, random_pattern(sixteenths, 0.0, 0.12, 0.0, rng), 0.7});
    }
    if (players.empty())
        players.push_back({kTambourine, random_pattern(sixteenths, 0.9, 0.4, 0.1, rng), 0.9});
    const int phrase = rng.chance(0.6) ? 4 : 8;
    for (int bar = 0; bar < frame.bars(); ++bar) {
        const bool fill = bar % phrase == phrase - 1 && rng.chance(0.6);
        if (bar % phrase == 0 && rng.chance(0.5)) hand.play(bar, 0, 1.0, kCrash, 1.0);
        for (const auto& player : players) {
            if (fill && player.drum != kKick) continue;
            for (std::size_t i = 0; i < player.pattern.size(); ++i)
                if (rng.chance(player.pattern[i]))
                    hand.play(bar, 0.25 * static_cast<double>(i), 0.2, player.drum,
                              player.accent * (i % 4 == 0 ? 1.0 : 0.85));
        }
        if (fill) play_fill(frame, hand, bar, rng);
    }
}

// Chords: held, struck on beats, or broken.
void play_chords(const Frame& frame, PlayedLine& line, Rng& rng) {
    Hand hand(frame, line, rng);
    enum class Way { Held, Struck, Broken };
    const auto way = static_cast<Way>(rng.below(3));
    const int tones = rng.between(2, 4);
    const int up = 7 * rng.between(1, 3);  // degrees: octaves above the bass
    const double held = rng.uniform(0.3, 1.0);
    const Pattern pattern =
        random_pattern(4 * frame.beats_a_bar, 0.7, 0.4, way == Way::Broken ? 0.5 : 0.1, rng);
    for (int bar = 0; bar < frame.bars(); ++bar) {
        const int chord = frame.chord(bar);
        if (way == Way::Held) {
            for (int n = 0; n < tones; ++n)
                hand.play(bar, 0, frame.beats_a_bar * 0.98, frame.key(chord + up + 2 * n));
            continue;
        }
        int broken = 0;
        for (std::size_t i = 0; i < pattern.size(); ++i) {
            if (pattern[i] < 0.5) continue;
            const double beat = 0.25 * static_cast<double>(i);
            if (way == Way::Broken) {
                hand.play(bar, beat, held, frame.key(chord + up + 2 * (broken++ % (tones + 1))));
            } else {
                for (int n = 0; n < tones; ++n) hand.play(bar, beat, held, frame.key(chord + up + 2 * n));
            }
        }
    }
}

// Degrees of a tune, by beats: steps more often than leaps, chord tones on the first beat.
struct TuneNote {
    int bar;
    double beat, beats;
    int degree;
};
std::vector<TuneNote> make_tune(const Frame& frame, int lowest, int highest, Rng& rng) {
    std::vector<TuneNote> notes;
    int degree = rng.between(lowest, highest);
    const double shortest = rng.chance(0.5) ? 0.5 : 0.25;
    for (int bar = 0; bar < frame.bars(); ++bar) {
        for (double beat = 0; beat < frame.beats_a_bar;) {
            const double beats = std::min(shortest * std::exp2(rng.between(0, 3)), frame.beats_a_bar - beat);
            degree += rng.chance(0.75) ? rng.between(-1, 1) : rng.between(-4, 4);
            if (beat == 0.0) degree = frame.chord(bar) + 2 * rng.between(0, 2) + 7 * (degree / 7);
            degree = std::clamp(degree, lowest, highest);
            notes.push_back({bar, beat, beats, degree});
            beat += beats;
        }
    }
    return notes;
}

void play_tune(const Frame& frame, PlayedLine& line, Rng& rng) {
    Hand hand(frame, line, rng);
    const int low = rng.between(10, 20);
    for (const auto& note : make_tune(frame, low, low + 9, rng))
        if (!rng.chance(0.12)) hand.play(note.bar, note.beat, note.beats * 0.95, frame.key(note.degree));
}

// Instruments that accompany or play the tune: keys, guitars, strings, brass, reeds, pipes, synthesisers,
// plucked ones of the world. Not basses (32 to 39), voices (52 to 54), what is struck without a pitch,
// effects.
int rest_program(Rng& rng) {
    for (;;) {
        const int program = rng.between(0, 111);
        const bool left_out = (program >= 32 && program <= 39) || (program >= 52 && program <= 55) ||
                              program == 47 || (program >= 96 && program <= 103);
        if (!left_out) return program;
    }
}

}  // namespace

Score make_score(double seconds, Rng& rng) {
    const Frame frame = make_frame(seconds, rng);
    Score score{seconds, frame.beat_s, {}, {}};
    const auto add = [&](MusicPart part, int program, double widest, auto play) {
        PlayedLine line{part, program, rng.uniform(-widest, widest), rng.uniform(-8, 3), {}};
        play(frame, line, rng);
        std::ranges::sort(line.notes, {}, &PlayedNote::start_s);
        if (!line.notes.empty()) score.lines.push_back(std::move(line));
    };
    constexpr std::array<int, 6> kKits = {0,  8,  16,
                                          24, 25, 40};  // standard, room, power, electronic, 808, brush
    if (rng.chance(0.85)) add(MusicPart::Drums, kKits[rng.below(kKits.size())], 0.1, play_drums);
    if (rng.chance(0.88)) add(MusicPart::Bass, rng.between(32, 39), 0.15, play_bass);
    const int accompany = rng.between(score.lines.empty() ? 1 : 0, 3);
    for (int n = 0; n < accompany; ++n) add(MusicPart::Rest, rest_program(rng), 0.8, play_chords);
    if (rng.chance(0.6)) add(MusicPart::Rest, rest_program(rng), 0.5, play_tune);
    if (rng.chance(0.15)) add(MusicPart::Voices, rng.between(52, 53), 0.5, play_chords);
    for (const auto& note : make_tune(frame, 7, 20, rng))
        score.tune.push_back({frame.at(note.bar, note.beat + note.beats), frame.key(note.degree)});
    return score;
}

}  // namespace rivlen::learn
