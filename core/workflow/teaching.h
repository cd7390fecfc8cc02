// SPDX-License-Identifier: GPL-3.0-or-later
// Teaching a model one recording, from marked seconds of it to weights that are kept beside the session.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/project/session.h"
#include "core/separation/teacher.h"
#include "core/separation/teaching_mark.h"

namespace rivlen {

// How long it takes, at two cores: one minute, or three, in steps.
enum class TeachingLength { Short, Long };
inline constexpr std::size_t kTeachingLengths = 2;
inline constexpr std::array<const char*, kTeachingLengths> kTeachingLengthKeys = {"short", "long"};
[[nodiscard]] int teaching_steps(TeachingLength length);

// Those of a kind must have kShortestLessonSeconds together.
inline constexpr double kShortestMarkSeconds = 1.0;

// Errors: BadInput (outside the recording, or shorter than kShortestMarkSeconds).
[[nodiscard]] Status may_mark(const Source& source, const TeachingMark& mark);
// In order of time; a stretch that is marked already is what it is marked as now.
void add_mark(std::vector<TeachingMark>& marks, const TeachingMark& mark);

// A mark moved by so many frames, as far as the recording goes.
[[nodiscard]] TeachingMark moved(const Source& source, TeachingMark mark, std::int64_t by_frames);
// A mark whose end is moved, as far as the recording goes and may_mark() allows.
[[nodiscard]] TeachingMark with_end_moved(const Source& source, TeachingMark mark, std::int64_t by_frames);

// Marked seconds as the model hears them: at kModelRate, two channels (the first two of a recording, or its
// one twice).
[[nodiscard]] AudioBlock lesson_sound(const Source& source, const TeachingMark& mark);

// "SESSION taught" beside the session, or the work folder's "taught" while the session has no file.
[[nodiscard]] std::filesystem::path taught_folder(const std::filesystem::path& session,
                                                  const std::filesystem::path& work_folder);

struct TeachingOrder {
    std::filesystem::path model;        // empty: the better one of those that are installed
    std::filesystem::path parts_model;  // for marks of parts of the music; empty: the one that is installed
    std::filesystem::path engine;       // see load_separator()
    std::filesystem::path other_sound;  // empty: what comes with the program
    std::vector<TeachingMark> marks;
    int steps = 0;
    int workers = 2;
    std::filesystem::path weights;  // where they go; empty: a free name in folder
    std::filesystem::path folder;   // made when it is not there
};
struct TeachingOutcome {
    TeachingReport report;
    std::filesystem::path weights;  // empty when nothing was worth keeping
};
// Stems and parts of the music are learned by a model each, one after the other.
struct TeachingOutcomes {
    std::optional<TeachingOutcome> stems, parts;  // what there were marks of
};
// Errors: BadInput (no marks, too little of a kind, or silence; marks for both models and one file for their
// weights), those of may_mark(), those of load_other_sound() and teach(). Any thread.
[[nodiscard]] Result<TeachingOutcomes> teach_recording(const Source& source, const TeachingOrder& order,
                                                       const JobControl& job = {});

// What came of it, for people, in a sentence or two a model.
[[nodiscard]] std::string words_of(const TeachingOutcomes& outcomes, const std::vector<TeachingMark>& marks);

// Taught weights that lie in the work folder go beside the session, which names them there from then on; to
// be done before a session is saved. Errors: Io, DiskFull; what could not be copied stays where it is.
[[nodiscard]] Status bring_taught_beside(Session& session, const std::filesystem::path& session_path,
                                         const std::filesystem::path& work_folder);

}  // namespace rivlen
