// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/deliver.h"

#include <algorithm>
#include <array>
#include <atomic>
#include <chrono>
#include <cmath>
#include <ctime>
#include <mutex>
#include <thread>

#include "core/base/guarded.h"
#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_notes.h"
#include "core/delivery/delivery_proof.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/delivery_sound.h"
#include "core/delivery/sum_proof.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/denormals.h"
#include "core/media/layback.h"
#include "core/project/editing.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;
// Of a session as far as it can be heard.
std::string hash_of_sound(Session session) {
    session.timeline.markers.clear();
    return hash_hex(session_to_json(session));
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
          notes_(plan.folder),
          session_hash_(hash_of_sound(plan.session)) {}

    DeliveryReport run(std::vector<Issue> issues);

  private:
    using Rows = std::vector<DeliveredRow>;
    [[nodiscard]] std::vector<Rows> files() const;
    void deliver_file(Rows& rows);
    Status make_file(Rows& rows);
    Status make_sound(DeliveredRow& row, bool replace);
    Status make_picture(Rows& rows, bool replace);
    [[nodiscard]] SoundDescription describe(const HandoverRow& row, const MadeSound& made) const;
    // All that goes into a file.
    [[nodiscard]] std::string made_from(const Rows& rows) const {
        HandoverTemplate table{{}, {}, {}, plan_.table.targets, plan_.table.umid, false};
        for (const auto& row : rows) {
            table.rows.push_back(row.asked);
            table.rows.back().on = true;
        }
        return hash_hex(session_hash_ + template_to_json(table) + plan_.name + plan_.head.string());
    }
    [[nodiscard]] bool may_replace(const Rows& rows) const {
        return plan_.replace || notes_.broken_off(rows[0].path, made_from(rows));
    }
    void say(const DeliveryEvent& event) {
        if (!on_event_) return;
        const std::lock_guard lock(events_);
        on_event_(event);
    }

    const DeliveryPlan& plan_;
    const JobControl& job_;
    const OnDelivery& on_event_;
    SoundMaker maker_;
    DeliveryNotes notes_;
    std::string session_hash_;
    std::mutex events_;
    std::vector<Issue> issues_;
    std::atomic<std::size_t> next_{0};
    std::atomic<int> finished_{0};
};

SoundDescription Delivery::describe(const HandoverRow& row, const MadeSound& made) const {
    const LoudnessTimeline& course = made.course;
    const int rate = made.sound->sample_rate();
    const Timeline& r = plan_.session.timeline;
    SoundDescription d;
    d.description = fmt::format("{} - {}", plan_.name, title_of(row));
    d.project = plan_.name;
    d.originator_reference = hash_hex(session_hash_ + row.name).substr(0, 32);
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
    d.drop_frame = r.drop_frame;
    if (row.content != Content::Stems && (row.binaural || row.channels() > 2))
        d.adm = AdmFacts{plan_.name,
                         title_of(row),
                         row.language,
                         row.layout,
                         row.binaural,
                         rate,
                         24,
                         static_cast<std::size_t>(made.sound->frames()),
                         course.loudness.integrated_lufs,
                         course.loudness.range_lu,
                         course.loudness.true_peak_dbtp,
                         made.objects};
    if (plan_.table.umid)
        d.umid = umid_from(
            hash_hex(session_hash_ + plan_.name + template_to_json({{}, {}, {row}, {}, true, false})));
    d.integrated_lufs = course.loudness.integrated_lufs;
    if (d.integrated_lufs) d.range_lu = course.loudness.range_lu;
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

// What the report says of a row that the file does not.
void note_making(const MadeSound& made, DeliveredRow& row) {
    row.gain_db = made.gain_db;
    row.limited_db = made.limited_db;
    row.reduction_by_second = made.reduction_by_second;
    row.spoken = made.spoken;
}

// What goes over full scale would be clipped by whole numbers; a delivery is not harmed in silence.
Status fits(const MadeSound& made, const DeliveredRow& row) {
    constexpr double kClippedDbfs = 0.001;  // what rounding brings stays under this
    const double peak = made.course.loudness.sample_peak_dbfs.value_or(-HUGE_VAL);
    if (peak < kClippedDbfs) return {};
    const bool wav = row.asked.container == Container::Wav;
    return make_error(ErrorKind::BadInput,
                      "Its peaks lie {:.1f} dB over full scale, which \"{}\" cannot hold. Choose {}, a lower "
                      "target, or turn its tracks down.",
                      peak, row.path.filename().string(), wav ? "float" : "Broadcast WAV with float");
}

Status Delivery::make_sound(DeliveredRow& row, bool replace) {
    const JobControl quiet{{}, job_.cancel};
    const auto made = maker_.make(row.asked);
    if (!made) return made.error();
    note_making(*made, row);
    if (keeps_samples(row.asked.container) && row.asked.depth != Depth::Float32) {
        if (auto status = fits(*made, row); !status) return status;
    }
    if (auto status = write_sound(*made->sound, row.asked.container, row.asked.depth,
                                  describe(row.asked, *made), row.path, replace, quiet);
        !status)
        return status;
    if (coded_kind(row.asked.container)) {
        if (auto status = compare_coded(*made->sound, job_, row); !status) return status;
    }
    return read_back(plan_, job_, {made->sound->frames()}, row);
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
        note_making(*made, row);
        if (!codes_with_loss(plan_.session, row.asked)) {
            if (auto status = fits(*made, row); !status) return status;
        }
        frames.push_back(made->sound->frames());
        back.sounds.push_back({partial_path(plan_.work / "under the picture.wav"), title_of(row.asked),
                               row.asked.language,
                               row.asked.ac3 ? SoundCoding::Ac3 : SoundCoding::OfContainer,
                               made->course.loudness.integrated_lufs});
        back.keep_original_sound = back.keep_original_sound || row.asked.keep_original_sound;
        if (auto status = write_sound(*made->sound, Container::Wav, Depth::Float32,
                                      describe(row.asked, *made), back.sounds.back().audio, true, quiet);
            !status)
            return status;
    }
    const auto report = lay_back(back, quiet);
    if (!report) return report.error();
    for (std::size_t i = 0; i < rows.size(); ++i) {
        if (codes_with_loss(plan_.session, rows[i].asked)) rows[i].difference_db = report->difference_db;
        if (auto status = read_back(plan_, job_, {frames[i], static_cast<int>(i)}, rows[i]); !status)
            return status;
    }
    return {};
}

Status Delivery::make_file(Rows& rows) {
    const fs::path& file = rows[0].path;
    const std::string from = made_from(rows);
    std::error_code error;
    const bool was_there = fs::exists(file, error);
    const bool replace = may_replace(rows);
    Status status = notes_.begin(file, from);
    if (status) {
        // Memory that runs out is an error like others here, so that the note goes.
        status = guarded([&] {
            return rows[0].asked.container == Container::Picture ? make_picture(rows, replace)
                                                                 : make_sound(rows[0], replace);
        });
    }
    // What does not pass its own check is no delivery.
    if (!status && status.error().kind == ErrorKind::Internal && !was_there) fs::remove(file, error);
    if (status) status = notes_.keep(file, from, rows);
    // A file without its note (the work was stopped in between) stays known as our own.
    if (status || !notes_.broken_off(file, from)) notes_.forget_begun(file);
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
    } else if (notes_.knows(rows[0].path, made_from(rows), rows)) {
        state = RowState::Skipped;
        notes_.forget_begun(rows[0].path);
        for (std::size_t i = 0; i < rows.size() && status; ++i) {
            const auto& asked = rows[i].asked;
            const double frames = seconds_of_row(plan_.session, asked) * rate_of_row(plan_.session, asked);
            status = read_back(plan_, job_, {std::llround(frames), static_cast<int>(i)}, rows[i]);
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
    report.sums = add_up(report.rows, [this](const HandoverRow& row) { return maker_.before_limiter(row); });
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
    sweep_partials(plan.folder / DeliveryNotes::kFolder);
    return Delivery(plan, job, on_event).run(std::move(issues));
}

}  // namespace rivlen
