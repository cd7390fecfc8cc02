// SPDX-License-Identifier: GPL-3.0-or-later
// teach: a model learns what sounds alone in a recording.
#include <fmt/format.h>

#include <charconv>
#include <memory>
#include <nlohmann/json.hpp>
#include <optional>

#include "cli/commands.h"
#include "cli/recording.h"
#include "cli/terminal.h"
#include "core/assessment/lesson_proposals.h"
#include "core/base/output_file.h"
#include "core/workflow/teaching.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

struct TeachCommand {
    RecordingOptions recording;
    std::array<std::vector<std::string>, kSounds> ranges;  // "3.0-11.0"
    std::filesystem::path out, other_sound;
    std::string length = "short";
    int steps = 0;
    bool propose = false, json = false, overwrite = false;
};

struct Seconds {
    double first = 0, last = 0;
};
std::optional<Seconds> range_of(const std::string& text) {
    const auto dash = text.find('-', 1);
    if (dash == std::string::npos) return {};
    const auto number = [](std::string_view part) -> std::optional<double> {
        double value = 0;
        const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), value);
        return error == std::errc() && end == part.data() + part.size() && value >= 0 ? std::optional(value)
                                                                                      : std::nullopt;
    };
    const auto first = number(std::string_view(text).substr(0, dash));
    const auto last = number(std::string_view(text).substr(dash + 1));
    if (!first || !last || *last <= *first) return {};
    return Seconds{*first, *last};
}

Result<std::vector<TeachingMark>> marks_of(const TeachCommand& c, const Source& source) {
    std::vector<TeachingMark> marks;
    for (std::size_t s = 0; s < kSounds; ++s) {
        for (const auto& text : c.ranges[s]) {
            const auto range = range_of(text);
            if (!range) {
                return make_error(ErrorKind::BadInput,
                                  "\"{}\" is no stretch of time. Give seconds, as in 3.0-11.0.", text);
            }
            const auto frame = [&](double seconds) { return std::llround(seconds * source.sample_rate()); };
            marks.push_back(TeachingMark::of(s, frame(range->first), frame(range->last)));
        }
    }
    return marks;
}

void print(const TeachCommand& c, const TeachingOutcomes& all, const std::vector<TeachingMark>& marks) {
    if (!c.json) return fmt::print("{}\n", words_of(all, marks));
    const auto& names = all.parts ? kMusicPartNames : kStemNames;
    const TeachingOutcome& done = all.parts ? *all.parts : *all.stems;
    json out = {{"seconds", done.report.seconds},
                {"taken_share", done.report.trials[done.report.taken].share},
                {"model", done.weights.string()},
                {"trials", json::array()}};
    for (const auto& trial : done.report.trials) {
        json gains = json::object();
        for (std::size_t s = 0; s < kStems; ++s) gains[names[s]] = trial.lesson_gain_db[s];
        out["trials"].push_back({{"share", trial.share},
                                 {"lessons_gain_db", trial.lessons_gain_db},
                                 {all.parts ? "parts_gain_db" : "stems_gain_db", gains},
                                 {"others_gain_db", trial.others_gain_db}});
    }
    fmt::print("{}\n", out.dump(2, ' ', false, json::error_handler_t::replace));
}

Status propose(const TeachCommand& c) {
    const auto recording = open_recording(c.recording);
    if (!recording) return recording.error();
    const auto found = propose_marks(recording->source, recording->map);
    if (!found) return found.error();
    for (const auto& p : *found) {
        const double rate = recording->source.sample_rate();
        const char* option =
            p.mark.stem == Stem::Dialogue ? "voice" : kStemNames[static_cast<std::size_t>(p.mark.stem)];
        fmt::print("--{} {:.2f}-{:.2f}  {}\n", option, static_cast<double>(p.mark.first) / rate,
                   static_cast<double>(p.mark.last) / rate, p.sentence);
    }
    if (found->empty()) fmt::print("Nothing sounds alone for a second or more.\n");
    return {};
}

Status run(const TeachCommand& c) {
    if (c.propose) return propose(c);
    if (c.out.empty()) {
        return make_error(ErrorKind::BadInput,
                          "Say with -o where the taught model goes, or ask with --propose what to teach.");
    }
    if (auto free = may_write(c.out, c.overwrite, std::span(&c.recording.file, 1)); !free)
        return free.error();
    auto source = [&] {
        TerminalJob job("Bringing in");
        return Source::bring_in(c.recording.file, c.recording.split.work_folder, job.control());
    }();
    if (!source) return source.error();
    const auto marks = marks_of(c, *source);
    if (!marks) return marks.error();
    TeachingOrder order;
    order.model = c.recording.split.model;
    order.parts_model = c.recording.split.parts_model;
    order.engine = c.recording.split.engine;
    order.other_sound = c.other_sound;
    order.marks = *marks;
    order.steps = c.steps > 0
                      ? c.steps
                      : teaching_steps(c.length == "short" ? TeachingLength::Short : TeachingLength::Long);
    order.workers = c.recording.split.workers;
    order.weights = c.out;
    const auto done = [&] {
        TerminalJob job("Teaching");
        return teach_recording(*source, order, job.control());
    }();
    if (!done) return done.error();
    print(c, *done, *marks);
    const TeachingOutcome& learned = done->parts ? *done->parts : *done->stems;
    if (learned.weights.empty()) {
        return make_error(ErrorKind::Unsupported,
                          "No model was written. Mark other seconds, or split with the model as it is.");
    }
    return {};
}

}  // namespace

void add_teach(CLI::App& app, Status& status) {
    auto c = std::make_shared<TeachCommand>();
    auto* command = app.add_subcommand("teach", "Let a model learn what sounds alone in a recording");
    add_recording_options(*command, c->recording);
    const auto stretch = [&](const char* option, std::size_t sound, const char* words) {
        command->add_option(option, c->ranges[sound], words);
    };
    stretch("--ambience", static_cast<std::size_t>(Stem::Ambience),
            "Seconds in which only ambience sounds, as 3.0-11.0 (may be repeated)");
    stretch("--music", kMusicSound, "Seconds in which only music sounds (may be repeated)");
    stretch("--voice", static_cast<std::size_t>(Stem::Dialogue),
            "Seconds in which only this talker sounds (may be repeated)");
    stretch("--voices", sound_of(MusicPart::Voices),
            "Seconds in which only voices of the music sound: for the model of parts");
    stretch("--drums", sound_of(MusicPart::Drums), "Seconds in which only drums sound");
    stretch("--bass", sound_of(MusicPart::Bass), "Seconds in which only a bass sounds");
    stretch("--rest", sound_of(MusicPart::Rest), "Seconds in which only other music sounds");
    command->add_option("-o,--output", c->out,
                        "File for the taught model, for split --model (or --parts-model)");
    command->add_option("--length", c->length, "short (about a minute on two cores) or long (about three)")
        ->check(
            CLI::IsMember(std::vector<std::string>(kTeachingLengthKeys.begin(), kTeachingLengthKeys.end())))
        ->capture_default_str();
    command->add_option("--steps", c->steps, "Steps of learning instead")->check(CLI::Range(1, 100000));
    command->add_option("--other-sound", c->other_sound, "Folder with the sound that lessons are mixed with");
    command->add_flag("--propose", c->propose, "Only print what seems to sound alone");
    command->add_flag("--overwrite", c->overwrite, "Replace a file that is there");
    command->add_flag("--json", c->json, "Print a report as JSON");
    command->callback([c, &status] { status = run(*c); });
}

}  // namespace rivlen::cli
