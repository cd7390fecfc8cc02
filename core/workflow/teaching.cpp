// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/teaching.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "core/base/mapped_file.h"
#include "core/base/output_file.h"
#include "core/dsp/resample.h"
#include "core/separation/other_sound.h"
#include "core/separation/separator.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

fs::path free_weights_name(const fs::path& folder, const std::string& model) {
    std::error_code error;
    for (int n = 1;; ++n) {
        fs::path file = folder / fmt::format("{} taught {}.safetensors", model, n);
        if (!fs::exists(file, error)) return file;
    }
}

std::string gain_words(double db) {
    return fmt::format("{}{:.1f} dB", db < 0 ? "-" : "+", std::abs(db));
}

bool has_music(const std::vector<TeachingMark>& marks) {
    return std::ranges::any_of(marks, [](const TeachingMark& m) { return m.sound() == kMusicSound; });
}

// Behind one another, an end going over into the next beginning within 20 ms at equal power.
void join(AudioBlock& to, const AudioBlock& more) {
    if (to.empty()) {
        to = more;
        return;
    }
    const std::size_t fade =
        std::min({static_cast<std::size_t>(kModelRate / 50), to.frames(), more.frames()});
    const std::size_t first = to.frames() - fade;
    for (std::size_t c = 0; c < to.channels(); ++c) {
        for (std::size_t i = 0; i < fade; ++i) {
            const float part = (static_cast<float>(i) + 0.5F) / static_cast<float>(fade);
            to[c][first + i] = std::sqrt(1.0F - part) * to[c][first + i] + std::sqrt(part) * more[c][i];
        }
    }
    to.append(more, fade, more.frames() - fade);
}

// The marks of a kind together are one lesson.
Result<std::vector<Lesson>> lessons_of(const Source& source, const std::vector<TeachingMark>& marks) {
    if (marks.empty()) {
        return make_error(
            ErrorKind::BadInput,
            "There is nothing to teach. Mark some seconds in which one kind of sound is alone.");
    }
    std::vector<Lesson> lessons;
    for (const TeachingMark& mark : marks) {
        if (const Status fits = may_mark(source, mark); !fits) return fits.error();
        auto found = std::ranges::find_if(lessons, [&](const Lesson& lesson) {
            return lesson.stem == mark.stem && lesson.part == mark.part;
        });
        if (found == lessons.end()) found = lessons.insert(found, Lesson{mark.stem, {}, mark.part});
        join(found->sound, lesson_sound(source, mark));
    }
    for (const Lesson& lesson : lessons) {
        const double seconds = static_cast<double>(lesson.sound.frames()) / kModelRate;
        if (seconds < kShortestLessonSeconds) {
            return make_error(
                ErrorKind::BadInput,
                "What is marked as {} alone has {:.1f} s together; at least {:.0f} s are needed, "
                "and eight are better. Mark more of it.",
                lesson.part ? kMusicPartNames[lesson.mask()] : kStemNames[lesson.mask()], seconds,
                kShortestLessonSeconds);
        }
    }
    return lessons;
}

Status copy_whole(const fs::path& from, const fs::path& to) {
    const auto bytes = MappedFile::open(from);
    if (!bytes) return bytes.error();
    auto file = OutputFile::create(to);
    if (!file) return file.error();
    if (auto written = file->write(bytes->bytes()); !written) return written;
    return file->commit();
}

}  // namespace

int teaching_steps(TeachingLength length) {
    return length == TeachingLength::Short ? 180 : 540;
}

Status may_mark(const Source& source, const TeachingMark& mark) {
    if (mark.first < 0 || mark.last > static_cast<std::int64_t>(source.frames()) || mark.last <= mark.first) {
        return make_error(ErrorKind::BadInput,
                          "A marked stretch lies outside the recording, which has {:.1f} s. Mark it anew.",
                          source.seconds());
    }
    const double seconds = static_cast<double>(mark.last - mark.first) / source.sample_rate();
    if (seconds < kShortestMarkSeconds) {
        return make_error(ErrorKind::BadInput, "A marked stretch has {:.1f} s; it needs at least {:.0f} s.",
                          seconds, kShortestMarkSeconds);
    }
    return {};
}

void add_mark(std::vector<TeachingMark>& marks, const TeachingMark& mark) {
    std::erase_if(marks, [&](const TeachingMark& m) { return m.first == mark.first && m.last == mark.last; });
    marks.push_back(mark);
    std::ranges::stable_sort(marks, {}, &TeachingMark::first);
}

TeachingMark moved(const Source& source, TeachingMark mark, std::int64_t by_frames) {
    const auto frames = static_cast<std::int64_t>(source.frames());
    const std::int64_t by = std::clamp(by_frames, std::min<std::int64_t>(0, -mark.first),
                                       std::max<std::int64_t>(0, frames - mark.last));
    mark.first += by;
    mark.last += by;
    return mark;
}

TeachingMark with_end_moved(const Source& source, TeachingMark mark, std::int64_t by_frames) {
    const auto frames = static_cast<std::int64_t>(source.frames());
    const auto shortest = static_cast<std::int64_t>(std::ceil(kShortestMarkSeconds * source.sample_rate()));
    mark.last = std::min(frames, std::max(mark.first + shortest, mark.last + by_frames));
    return mark;
}

AudioBlock lesson_sound(const Source& source, const TeachingMark& mark) {
    std::vector<std::vector<float>> sides;
    for (const int channel : {0, std::min(1, source.channels() - 1)}) {
        std::vector<float> samples(static_cast<std::size_t>(mark.last - mark.first));
        source.read(channel, mark.first, samples);
        if (source.sample_rate() != kModelRate) samples = resample(samples, source.sample_rate(), kModelRate);
        sides.push_back(std::move(samples));
    }
    return {kModelRate, std::move(sides)};
}

fs::path taught_folder(const fs::path& session, const fs::path& work_folder) {
    return session.empty() ? work_folder / "taught"
                           : session.parent_path() / (session.stem().string() + " taught");
}

namespace {

// By marks of stems, or of parts of the music.
Result<TeachingOutcome> teach_one(const Source& source, const TeachingOrder& order, bool parts,
                                  const JobControl& job) {
    auto lessons = lessons_of(source, order.marks);
    if (!lessons) return lessons.error();
    const fs::path other_sound = order.other_sound.empty() ? find_other_sound() : order.other_sound;
    auto others = load_other_sound(other_sound, {{}, job.cancel},
                                   parts ? OtherSoundOf::MusicParts : OtherSoundOf::Stems);
    if (!others) return others.error();
    TeachingWish wish;
    if (parts) {
        wish.model = order.parts_model.empty() ? find_model(kPartsModel) : model_file(order.parts_model);
    } else {
        wish.model = model_file(order.model);
        if (order.model.empty() && !find_model(kFineModel).empty()) wish.model = find_model(kFineModel);
    }
    wish.lessons = std::move(*lessons);
    wish.others = std::move(*others);
    wish.steps = order.steps;
    wish.workers = order.workers;
    wish.output = order.weights;
    if (wish.output.empty()) {
        if (auto ready = prepare_work_folder(order.folder); !ready) return ready.error();
        wish.output = free_weights_name(order.folder, wish.model.stem().string());
    }
    auto report = teach(order.engine, wish, job);
    if (!report) return report.error();
    const bool kept = report->taken > 0;
    return TeachingOutcome{std::move(*report), kept ? wish.output : fs::path()};
}

std::string words_of_one(const TeachingReport& report, bool parts, bool with_music) {
    const std::string music =
        with_music && !parts ? " Music seldom gains by teaching; ambience mostly does." : "";
    if (report.taken == 0) {
        const TeachingTrial& all = report.trials.back();
        return fmt::format(
            "Nothing was changed: taught, the model would not be better on the seconds that were "
            "kept back ({}, other mixes {}).{}",
            gain_words(all.lessons_gain_db), gain_words(all.others_gain_db), music);
    }
    const TeachingTrial& taken = report.trials[report.taken];
    std::string gains;
    for (std::size_t s = 0; s < kStems; ++s) {
        const double gain = taken.lesson_gain_db[s];
        if (gain == 0.0) continue;
        gains += fmt::format("{}{} {}", gains.empty() ? "" : ", ", parts ? kMusicPartNames[s] : kStemNames[s],
                             gain_words(gain));
    }
    return fmt::format("Taught in {:.0f} s. On the seconds that were kept back: {}; on other mixes {}.{}",
                       report.seconds, gains, gain_words(taken.others_gain_db),
                       taken.lessons_gain_db < 1.0 ? music : "");
}

}  // namespace

Result<TeachingOutcomes> teach_recording(const Source& source, const TeachingOrder& order,
                                         const JobControl& job) {
    std::array<TeachingOrder, 2> orders = {order, order};  // of stems, of parts
    std::erase_if(orders[0].marks, [](const TeachingMark& m) { return m.part.has_value(); });
    std::erase_if(orders[1].marks, [](const TeachingMark& m) { return !m.part; });
    const bool both = !orders[0].marks.empty() && !orders[1].marks.empty();
    if (both && !order.weights.empty())
        return make_error(ErrorKind::BadInput,
                          "Stems and parts of the music are learned by a model each, and a file holds one of "
                          "them. Teach them one after the other.");
    TeachingOutcomes outcomes;
    for (std::size_t i = 0; i < orders.size(); ++i) {
        const bool parts = i == 1;
        if (orders[i].marks.empty() && (parts || !orders[1].marks.empty())) continue;
        const JobControl own{
            [&job, i, both](double part) { job.report(both ? 0.5 * (static_cast<double>(i) + part) : part); },
            job.cancel};
        auto done = teach_one(source, orders[i], parts, own);
        if (!done) return done.error();
        (parts ? outcomes.parts : outcomes.stems) = std::move(*done);
    }
    return outcomes;
}

std::string words_of(const TeachingOutcomes& outcomes, const std::vector<TeachingMark>& marks) {
    std::string words;
    if (outcomes.stems) words = words_of_one(outcomes.stems->report, false, has_music(marks));
    if (outcomes.parts) {
        if (!words.empty()) words += " Of the parts of the music: ";
        words += words_of_one(outcomes.parts->report, true, false);
    }
    return words;
}

Status bring_taught_beside(Session& session, const fs::path& session_path, const fs::path& work_folder) {
    const fs::path from = taught_folder({}, work_folder);
    const fs::path to = taught_folder(session_path, work_folder);
    for (auto& item : session.items) {
        for (auto* taught : {&item.taught, &item.taught_parts}) {
            if (!*taught || (*taught)->weights.parent_path() != from) continue;
            std::error_code error;
            fs::create_directories(to, error);  // where that fails, writing says so
            const std::string name = (*taught)->weights.stem().string();
            const fs::path there = free_weights_name(to, name.substr(0, name.find(" taught")));
            if (auto copied = copy_whole((*taught)->weights, there); !copied) return copied;
            (*taught)->weights = there;
        }
    }
    return {};
}

}  // namespace rivlen
