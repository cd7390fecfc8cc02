// SPDX-License-Identifier: GPL-3.0-or-later
// Teaching: a model goes on learning with seconds of a recording that hold one kind of sound alone, mixed
// again and again with other sounds. What it learned is kept as the difference of its weights. The
// implementation lives in the engine (separator.h).
#pragma once

#include <array>
#include <cstdint>
#include <filesystem>
#include <optional>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/base/result.h"
#include "core/separation/music_parts.h"

namespace rivlen {

// Seconds in which one kind of sound is alone. A talker's are dialogue: how much of them is reverb, the model
// says itself.
struct Lesson {
    Stem stem = Stem::Ambience;       // not Reverb
    AudioBlock sound;                 // two channels at kModelRate
    std::optional<MusicPart> part{};  // of the music: for the model of parts, which hears music alone
    // Which of the model's masks the sound belongs to.
    [[nodiscard]] std::size_t mask() const {
        return part ? static_cast<std::size_t>(*part) : static_cast<std::size_t>(stem);
    }
};
// A quarter of every lesson is kept back to measure with, so that shorter ones teach nothing.
inline constexpr double kShortestLessonSeconds = 3.0;

// Other sound for lessons to be mixed with: two channels a stem at kModelRate, all equally long and at least
// kTeachingClipSeconds. For the model of parts they are the parts of a song, in the order of MusicPart.
struct OtherSound {
    std::array<AudioBlock, kStems> stems;
    double bandwidth_hz = 24000;  // above it there is nothing to learn from
};
inline constexpr double kTeachingClipSeconds = 3.0;

struct TeachingWish {
    std::filesystem::path model;     // weights to begin with; not taught ones
    std::vector<Lesson> lessons;     // at least one; all of stems, or all of parts of the music
    std::vector<OtherSound> others;  // at least kFewestOthers, of which a fifth is kept back
    int steps = 300;                 // of two clips each
    int workers = 2;                 // threads
    double rate = 5e-4;              // of learning
    std::uint64_t seed = 1;          // same wish, same result
    std::filesystem::path output;    // of the difference
};
inline constexpr std::size_t kFewestOthers = 5;

// What so much of the learned difference does to mixes of what was kept back, against none of it.
struct TeachingTrial {
    double share = 0;                             // of the difference
    std::array<double, kStems> lesson_gain_db{};  // by mask: SI-SDR in mixes with the lessons; 0: none there
    double lessons_gain_db = 0;                   // mean over those mixes and their stems
    double others_gain_db = 0;                    // the same of mixes without the lessons
};

struct TeachingReport {
    double seconds = 0;  // of wall time
    std::vector<TeachingTrial> trials;
    std::size_t taken = 0;  // of the trials; 0 when nothing was worth keeping, and nothing was written
};

// Learns, measures how much of it is worth keeping, and writes that. Of what is tried, the share that gains
// most with the lessons is taken, as long as it gains kLeastGainDb there and loses no more than kMostLossDb
// elsewhere. engine: see load_separator(). Any thread. Errors: BadInput (a lesson too short, too few others,
// a model that is taught already), those of load_separator(), Cancelled, DiskFull, Io, Internal.
[[nodiscard]] Result<TeachingReport> teach(const std::filesystem::path& engine, const TeachingWish& wish,
                                           const JobControl& job = {});
inline constexpr double kLeastGainDb = 0.2;
inline constexpr double kMostLossDb = 0.3;

// What the engine library exports beside kEngineEntry.
inline constexpr const char* kTeacherEntry = "rivlen_engine_teach";
using TeacherEntry = Result<TeachingReport> (*)(int version, const TeachingWish& wish, const JobControl& job);

}  // namespace rivlen
