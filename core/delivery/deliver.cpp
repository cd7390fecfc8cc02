// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/deliver.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <ctime>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/guarded.h"
#include "core/base/hash.h"
#include "core/base/json_text.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_proof.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/delivery_sound.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/denormals.h"
#include "core/media/layback.h"
#include "core/project/editing.h"
#include "core/project/json_reading.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
constexpr const char* kProofFolder = ".rivlen";

std::string hash_of(const std::string& text) {
    return hash_hex(std::as_bytes(std::span(text.data(), text.size())));
}

// What players show of a sound.
std::string title_of(const HandoverRow& row) {
    return row.version.empty() ? label_of(row.content)
                               : fmt::format("{}, {}", label_of(row.content), row.version);
}

class Delivery {
  public:
    Delivery(const DeliveryPlan& plan, const JobControl& job, const OnDelivery& on_event)
        : plan_(plan),
          job_(job),
          on_event_(on_event),
          maker_(plan, job),
          session_hash_(hash_of(session_to_json(plan.session))) {}

    DeliveryReport run(std::vector<Issue> issues);

  private:
    using Rows = std::vector<DeliveredRow>;
    [[nodiscard]] std::vector<Rows> files() const;
    void deliver_file(Rows& rows);
    Status make_file(Rows& rows);
    Status make_sound(DeliveredRow& row, bool replace);
    Status make_picture(Rows& rows, bool replace);
    [[nodiscard]] SoundDescription describe(const HandoverRow& row, const MadeSound& made) const;
    [[nodiscard]] fs::path proof_path(const fs::path& file, const char* ending = ".json") const {
        return plan_.folder / kProofFolder / (hash_of(file.filename().string()) + ending);
    }
    [[nodiscard]] std::string proof_of(const Rows& rows) const {
        HandoverTemplate made_from{{}, {}, {}, plan_.table.targets};
        for (const auto& row : rows) {
            made_from.rows.push_back(row.asked);
            made_from.rows.back().on = true;
        }
        return hash_of(session_hash_ + template_to_json(made_from) + plan_.name);
    }
    [[nodiscard]] bool done_before(const Rows& rows) const;
    Status keep_proof(const Rows& rows) const;
    Status note_begun(const Rows& rows) const;
    [[nodiscard]] bool broken_off(const Rows& rows) const;
    [[nodiscard]] bool may_replace(const Rows& rows) const { return plan_.replace || broken_off(rows); }
    void say(const DeliveryEvent& event) {
        if (!on_event_) return;
        const std::lock_guard lock(events_);
        on_event_(event);
    }

    const DeliveryPlan& plan_;
    const JobControl& job_;
    const OnDelivery& on_event_;
    SoundMaker maker_;
    std::string session_hash_;
    std::mutex events_;
    std::vector<Issue> issues_;
    std::atomic<std::size_t> next_{0};
    std::atomic<int> finished_{0};
};

SoundDescription Delivery::describe(const HandoverRow& row, const MadeSound& made) const {
    const LoudnessTimeline& course = made.course;
    const int rate = made.sound.sample_rate();
    const Timeline& r = plan_.session.timeline;
    SoundDescription d;
    d.description = fmt::format("{} - {}", plan_.name, title_of(row));
    d.project = plan_.name;
    d.originator_reference = hash_of(session_hash_ + row.name).substr(0, 32);
    const std::time_t now = std::time(nullptr);
    std::tm local{};
    ::localtime_r(&now, &local);
    std::array<char, 16> text{};
    std::strftime(text.data(), text.size(), "%Y-%m-%d", &local);
    d.date = text.data();
    std::strftime(text.data(), text.size(), "%H:%M:%S", &local);
    d.time = text.data();
    const double start = static_cast<double>(r.first_timecode_frame) / r.frame_rate.per_second() +
                         static_cast<double>(range_of_row(plan_.session, row).first) / r.sample_rate;
    d.time_reference_frames = static_cast<std::uint64_t>(std::llround(start * rate));
    d.timecode_rate = fmt::format("{}/{}", r.frame_rate.num, r.frame_rate.den);
    d.start_timecode = timecode_at(r, range_of_row(plan_.session, row).first);
    d.track_names = made.track_names;
    d.integrated_lufs = course.loudness.integrated_lufs;
    d.range_lu = course.loudness.range_lu;
    d.true_peak_dbtp = course.loudness.true_peak_dbtp;
    d.momentary_lufs = course.highest_momentary_lufs;
    d.short_term_lufs = course.highest_short_term_lufs;
    return d;
}

// One file each; rows under the picture that have one name are the sounds of one file.
std::vector<Delivery::Rows> Delivery::files() const {
    std::vector<Rows> out;
    for (std::size_t i = 0; i < plan_.table.rows.size(); ++i) {
        if (!plan_.table.rows[i].on) continue;
        DeliveredRow row;
        row.row = static_cast<int>(i);
        row.asked = plan_.table.rows[i];
        row.path = plan_.folder / file_name(row.asked, plan_.name, picture_ending(plan_.session));
        const auto same = std::ranges::find_if(out, [&](const Rows& other) {
            return row.asked.container == Container::Picture &&
                   other[0].asked.container == Container::Picture &&
                   lower(other[0].path.string()) == lower(row.path.string());
        });
        if (same != out.end()) {
            same->push_back(std::move(row));
        } else {
            out.push_back({std::move(row)});
        }
    }
    return out;
}

Status Delivery::make_sound(DeliveredRow& row, bool replace) {
    const JobControl quiet{{}, job_.cancel};
    const auto made = maker_.make(row.asked);
    if (!made) return made.error();
    row.gain_db = made->gain_db;
    row.limited_db = made->limited_db;
    if (auto status = write_sound(made->sound, row.asked.container, row.asked.depth,
                                  describe(row.asked, *made), row.path, replace, quiet);
        !status)
        return status;
    return read_back(plan_, job_, row.asked, {made->sound.frames(), made->course.loudness.true_peak_dbtp},
                     row);
}

Status Delivery::make_picture(Rows& rows, bool replace) {
    const JobControl quiet{{}, job_.cancel};
    const fs::path* picture = picture_of(plan_.session);
    if (picture == nullptr)
        return make_error(ErrorKind::BadInput, "The session has no picture for \"{}\" to go under.",
                          rows[0].path.string());
    LaybackPlan back;
    back.picture = *picture;
    back.out = rows[0].path;
    back.overwrite = replace;
    struct Removal {  // of what goes into the file
        const LaybackPlan& plan;
        ~Removal() {
            std::error_code ignored;
            for (const auto& sound : plan.sounds) fs::remove(sound.audio, ignored);
        }
    } removal{back};
    std::vector<std::int64_t> frames;
    for (auto& row : rows) {
        const auto made = maker_.make(row.asked);
        if (!made) return made.error();
        row.gain_db = made->gain_db;
        row.limited_db = made->limited_db;
        frames.push_back(made->sound.frames());
        back.sounds.push_back(
            {partial_path(plan_.work / "under the picture.wav"), title_of(row.asked), row.asked.language});
        back.keep_original_sound = back.keep_original_sound || row.asked.keep_original_sound;
        if (auto status = write_sound(made->sound, Container::Wav, Depth::Pcm24, describe(row.asked, *made),
                                      back.sounds.back().audio, true, quiet);
            !status)
            return status;
    }
    if (const auto report = lay_back(back, quiet); !report) return report.error();
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (auto status =
                read_back(plan_, job_, rows[i].asked, {frames[i], {}, static_cast<int>(i)}, rows[i]);
            !status)
            return status;
    }
    return {};
}

bool Delivery::done_before(const Rows& rows) const {
    std::error_code error;
    const fs::path& path = rows[0].path;
    if (!fs::exists(path, error)) return false;
    const auto text = read_text_file(proof_path(path));
    if (!text) return false;
    const auto proof = parse_json(*text);
    if (!proof.is_object() || json_reading::text(proof, "made_from") != proof_of(rows)) return false;
    const std::string checksum = file_checksum(path);
    return !checksum.empty() && json_reading::text(proof, "checksum") == checksum;
}

Status Delivery::keep_proof(const Rows& rows) const {
    std::error_code error;  // told of by the writing
    fs::create_directories(plan_.folder / kProofFolder, error);
    const nlohmann::json proof = {{"file", rows[0].path.filename().string()},
                                  {"made_from", proof_of(rows)},
                                  {"checksum", rows[0].checksum}};
    return write_text_file(proof_path(rows[0].path),
                           proof.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n");
}

// Written before a file appears under its name, so that one whose proof is missing is known as our own.
Status Delivery::note_begun(const Rows& rows) const {
    std::error_code error;  // told of by the writing
    fs::create_directories(plan_.folder / kProofFolder, error);
    return write_text_file(proof_path(rows[0].path, ".begun"), proof_of(rows));
}

// An earlier run made the file from the same and ended before it was proved. Files from before that run are
// somebody else's.
bool Delivery::broken_off(const Rows& rows) const {
    const fs::path note = proof_path(rows[0].path, ".begun");
    const auto made_from = read_text_file(note);
    if (!made_from || *made_from != proof_of(rows)) return false;
    std::error_code error;
    const auto begun = fs::last_write_time(note, error);
    return !error && fs::last_write_time(rows[0].path, error) >= begun && !error;
}

Status Delivery::make_file(Rows& rows) {
    std::error_code error;
    const bool was_there = fs::exists(rows[0].path, error);
    const bool replace = may_replace(rows);
    Status status = note_begun(rows);
    if (status) {
        // Memory that runs out is an error like others here, so that the note goes.
        status = guarded([&] {
            return rows[0].asked.container == Container::Picture ? make_picture(rows, replace)
                                                                 : make_sound(rows[0], replace);
        });
    }
    // What does not pass its own check is no delivery.
    if (!status && status.error().kind == ErrorKind::Internal && !was_there) fs::remove(rows[0].path, error);
    if (status) status = keep_proof(rows);
    // A file without its proof (the work was stopped in between) stays known as our own.
    if (status || !broken_off(rows)) fs::remove(proof_path(rows[0].path, ".begun"), error);
    return status;
}

void Delivery::deliver_file(Rows& rows) {
    const auto begun = std::chrono::steady_clock::now();
    const std::string file = rows[0].path.filename().string();
    for (const auto& row : rows) say({row.row, DeliveryStep::Started, file, {}});
    std::error_code error;
    Status status;
    RowState state = RowState::Done;
    const auto trouble = std::ranges::find_if(issues_, [&](const Issue& t) {
        return t.error &&
               std::ranges::any_of(rows, [&t](const DeliveredRow& row) { return row.row == t.row; });
    });
    if (job_.cancelled()) {
        status = JobControl::cancelled_error();
    } else if (trouble != issues_.end()) {
        status = make_error(ErrorKind::BadInput, "{}", trouble->sentence);
    } else if (done_before(rows)) {
        state = RowState::Skipped;
        fs::remove(proof_path(rows[0].path, ".begun"), error);
        for (std::size_t i = 0; i < rows.size() && status; ++i) {
            const auto& asked = rows[i].asked;
            const double frames = seconds_of_row(plan_.session, asked) * rate_of_row(plan_.session, asked);
            status = read_back(plan_, job_, asked, {std::llround(frames), {}, static_cast<int>(i)}, rows[i]);
        }
    } else if (!may_replace(rows) && fs::exists(rows[0].path, error)) {
        status =
            make_error(ErrorKind::Io,
                       "\"{}\" is there already and was made from something else. Choose another folder or "
                       "name, or allow replacing.",
                       rows[0].path.string());
    } else {
        status = guarded([&] { return make_file(rows); });
    }
    const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count();
    for (auto& row : rows) {
        row.seconds = seconds / static_cast<double>(rows.size());
        row.state = state;
        if (!status) {
            row.state = status.error().kind == ErrorKind::Cancelled ? RowState::Cancelled : RowState::Failed;
            row.sentence = status.error().message;
        }
        constexpr std::array<DeliveryStep, 4> kSteps = {DeliveryStep::Done, DeliveryStep::Skipped,
                                                        DeliveryStep::Failed, DeliveryStep::Cancelled};
        say({row.row, kSteps[static_cast<std::size_t>(row.state)], file, row.sentence});
    }
}

DeliveryReport Delivery::run(std::vector<Issue> issues) {
    const auto begun = std::chrono::steady_clock::now();
    DeliveryReport report;
    report.name = plan_.name;
    report.issues = issues_ = std::move(issues);
    std::vector<Rows> wanted = files();
    {
        std::vector<std::jthread> workers;
        const int count = std::clamp(plan_.jobs, 1, static_cast<int>(wanted.size()));
        for (int w = 0; w < count; ++w) {
            workers.emplace_back([&] {
                const FlushDenormals fast;
                for (std::size_t i = next_++; i < wanted.size(); i = next_++) {
                    deliver_file(wanted[i]);
                    job_.report(static_cast<double>(++finished_) / static_cast<double>(wanted.size()));
                }
            });
        }
    }
    for (auto& rows : wanted) std::ranges::move(rows, std::back_inserter(report.rows));
    std::ranges::sort(report.rows, {}, &DeliveredRow::row);
    report.sums = add_up(report.rows);
    report.figures = stem_figures(plan_, job_);
    report.before_picture = before_picture(plan_);
    double written = 0;
    for (const auto& row : report.rows) {
        if (report.after_picture.empty()) report.after_picture = row.picture;
        if (row.state == RowState::Done)
            written += static_cast<double>(row.frames) / std::max(1, row.sample_rate);
    }
    report.times_real_time =
        written /
        std::max(1e-9, std::chrono::duration<double>(std::chrono::steady_clock::now() - begun).count());
    return report;
}

}  // namespace

bool DeliveryReport::all_done() const {
    return std::ranges::all_of(rows, [](const DeliveredRow& r) {
        return r.state == RowState::Done || r.state == RowState::Skipped;
    });
}

Result<DeliveryReport> deliver(const DeliveryPlan& plan, const JobControl& job, const OnDelivery& on_event) {
    auto issues = check(plan);
    for (const auto& trouble : issues) {
        if (trouble.error && trouble.row < 0) return make_error(ErrorKind::BadInput, "{}", trouble.sentence);
    }
    std::error_code ignored;  // a folder that cannot be made is told of by the rows
    fs::create_directories(plan.folder, ignored);
    sweep_partials(plan.folder);  // of a run that was killed
    sweep_partials(plan.folder / kProofFolder);
    return Delivery(plan, job, on_event).run(std::move(issues));
}

}  // namespace rivlen
