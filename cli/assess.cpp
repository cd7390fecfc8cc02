// SPDX-License-Identifier: GPL-3.0-or-later
// assess and propose: what a setting leaves in and what it damages, without a window.
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/recording.h"
#include "cli/setting_options.h"
#include "cli/terminal.h"
#include "core/assessment/curve_files.h"
#include "core/assessment/proposal.h"
#include "core/assessment/risk_line.h"
#include "core/base/output_file.h"
#include "core/project/settings_json.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

// What both commands measure.
struct Stretch {
    RecordingOptions recording;
    SettingOptions settings;
    std::string stem = "dialogue";
    double from_seconds = 0.0;
    double to_seconds = 0.0;  // 0: to the end
    std::size_t points = 41;
    bool json = false;

    [[nodiscard]] std::size_t stem_index() const { return sound_named(stem); }
};

void add_stretch(CLI::App& command, Stretch& stretch) {
    add_recording_options(command, stretch.recording);
    command.add_option("--stem", stretch.stem, "The stem or part of the music to be measured")
        ->check(CLI::IsMember(std::vector<std::string>(kSoundNames.begin(), kSoundNames.end())))
        ->capture_default_str();
    command.add_option("--from", stretch.from_seconds, "Beginning of the stretch, seconds")
        ->check(CLI::NonNegativeNumber);
    command
        .add_option("--to", stretch.to_seconds,
                    "End of the stretch, seconds; to the end of the file if left out")
        ->check(CLI::PositiveNumber);
    command.add_option("--points", stretch.points, "Steps of isolation on the curve")
        ->check(CLI::Range(2, 1001))
        ->capture_default_str();
    command.add_flag("--json", stretch.json, "Print JSON");
    stretch.settings.add_to(command);
}

struct Measurement {
    Recording recording;
    ShapeSettings settings;
    Assessment assessment;
    std::vector<TradeOff> curve;
    double to_seconds = 0;
};

Result<Measurement> measure(const Stretch& stretch) {
    auto settings = stretch.settings.settings();
    if (!settings) return settings.error();
    RecordingOptions options = stretch.recording;
    options.parts = options.parts || is_music_part(stretch.stem_index());
    auto recording = open_recording(options, stretch.settings);
    if (!recording) return recording.error();
    const double length = recording->source.seconds();
    if (stretch.from_seconds >= length) {
        return make_error(
            ErrorKind::BadInput,
            "--from lies beyond the end: the recording is {:.2f} s long. Choose an earlier one.", length);
    }
    const double to = stretch.to_seconds > 0.0 ? std::min(stretch.to_seconds, length) : length;
    if (to <= stretch.from_seconds)
        return make_error(ErrorKind::BadInput, "--to lies before --from. Give a later one.");
    const auto frame = [&](double seconds) {
        return static_cast<std::int64_t>(std::llround(seconds * recording->source.sample_rate()));
    };
    TerminalJob job("Measuring");
    auto assessment = Assessment::prepare(recording->source, recording->map, frame(stretch.from_seconds),
                                          frame(to), job.control());
    if (!assessment) return assessment.error();
    const std::size_t stem = stretch.stem_index();
    auto curve = assessment->curve(settings->stems[stem], stem, stretch.points);
    return Measurement{std::move(*recording), std::move(*settings), std::move(*assessment), std::move(curve),
                       to};
}

using CurveWriter = std::string (*)(const CurveFile&);

// By the ending of the file's name; null when that is not known.
CurveWriter writer_of(const std::filesystem::path& path) {
    const std::string ending = path.extension().string();
    if (ending == ".csv") return curve_csv;
    if (ending == ".json") return curve_json;
    return ending == ".svg" ? curve_svg : nullptr;
}

struct AssessCommand {
    Stretch stretch;
    std::vector<std::filesystem::path> curves;
    std::size_t spots = 5;
    bool overwrite = false;
};

Status assess(const AssessCommand& c) {
    for (const auto& path : c.curves) {
        if (auto status = may_write(path, c.overwrite, std::span(&c.stretch.recording.file, 1)); !status)
            return status;
        if (writer_of(path) == nullptr) {
            return make_error(ErrorKind::BadInput,
                              "\"{}\" has an ending that is not known. Let it end in .csv, .json or .svg.",
                              path.string());
        }
    }
    auto measured = measure(c.stretch);
    if (!measured) return measured.error();
    const auto& [recording, settings, assessment, curve, to] = *measured;
    const std::size_t stem = c.stretch.stem_index();
    const TradeOff now = assessment.measure(stem_weights(settings.stems[stem], stem), stem);
    const CurveFile file{recording.source.original().filename().string(), c.stretch.stem,
                         c.stretch.from_seconds, to, curve};
    for (const auto& path : c.curves) {
        if (auto status = write_text_file(path, writer_of(path)(file)); !status) return status;
    }
    TerminalJob job("Measuring the risk line");
    const auto risk = measure_risk(recording.source, recording.map, settings, stem,
                                   c.stretch.recording.split.workers, job.control());
    if (!risk) return risk.error();
    const auto spots = worst_spots(*risk, c.spots);
    if (c.stretch.json) {
        json out = json::parse(curve_json(file));
        out["now"] = {{"isolation_percent", settings.stems[stem].value(Setting::Isolation)},
                      {"leak_db", now.bleed_db},
                      {"damage", now.damage}};
        out["worst_spots"] = json::array();
        for (const auto& spot : spots)
            out["worst_spots"].push_back({{"seconds", spot.seconds}, {"risk", spot.risk}});
        fmt::print("{}\n", out.dump(2, ' ', false, json::error_handler_t::replace));
        return {};
    }
    fmt::print("{} from {:.2f} to {:.2f} s with isolation {:.0f} %: leak {:.1f} dB, damage {:.1f}\n",
               c.stretch.stem, c.stretch.from_seconds, to, settings.stems[stem].value(Setting::Isolation),
               now.bleed_db, now.damage);
    fmt::print("isolation     leak   damage\n");
    const std::size_t step = std::max<std::size_t>(1, (curve.size() - 1) / 10);
    for (std::size_t i = 0; i < curve.size(); i += step) {
        fmt::print("{:7.0f} % {:6.1f} dB {:8.1f}\n",
                   100.0 * static_cast<double>(i) / static_cast<double>(curve.size() - 1), curve[i].bleed_db,
                   curve[i].damage);
    }
    for (const auto& spot : spots) fmt::print("listen at {:8.2f} s  risk {:.2f}\n", spot.seconds, spot.risk);
    return {};
}

struct ProposeCommand {
    Stretch stretch;
    std::string purpose;
    std::filesystem::path save;
    bool overwrite = false;
};

Status propose_settings(const ProposeCommand& c) {
    if (!c.save.empty() && c.purpose.empty())
        return make_error(ErrorKind::BadInput, "A preset is for one purpose. Add --purpose.");
    if (!c.save.empty()) {
        if (auto status = may_write(c.save, c.overwrite, std::span(&c.stretch.recording.file, 1)); !status)
            return status;
    }
    auto measured = measure(c.stretch);
    if (!measured) return measured.error();
    const std::size_t stem = c.stretch.stem_index();
    json out = json::array();
    for (std::size_t i = 0; i < kPurposes; ++i) {
        if (!c.purpose.empty() && c.purpose != kPurposeKeys[i]) continue;
        const Proposal proposal = propose(measured->curve, static_cast<Purpose>(i));
        ShapeSettings proposed = measured->settings;
        take(proposal, proposed.stems[stem]);
        const TradeOff figures = measured->assessment.measure(stem_weights(proposed.stems[stem], stem), stem);
        if (c.stretch.json) {
            out.push_back({{"purpose", kPurposeKeys[i]},
                           {"isolation_percent", proposal.isolation_percent},
                           {"steadiness_percent", proposal.temporal_smoothing_percent},
                           {"leak_db", figures.bleed_db},
                           {"damage", figures.damage},
                           {"reason", proposal.reason}});
        } else {
            fmt::print("{:20} {}\n{:20} leak {:.1f} dB, damage {:.1f}\n", kPurposeLabels[i], proposal.reason,
                       "", figures.bleed_db, figures.damage);
        }
        if (c.save.empty()) continue;
        if (auto status = save_preset({kPurposeLabels[i], proposal.reason, proposed}, c.save); !status)
            return status;
    }
    if (c.stretch.json) fmt::print("{}\n", out.dump(2, ' ', false, json::error_handler_t::replace));
    return {};
}

}  // namespace

void add_assess(CLI::App& app, Status& status) {
    auto c = std::make_shared<AssessCommand>();
    auto* command = app.add_subcommand("assess", "Measure leak and damage of a stem over isolation");
    add_stretch(*command, c->stretch);
    command->add_option("--curve", c->curves,
                        "Write the curve to a .csv, .json or .svg file (may be repeated)");
    command->add_option("--spots", c->spots, "How many of the worst spots to list")->capture_default_str();
    command->add_flag("--overwrite", c->overwrite, "Replace files that are there");
    command->callback([c, &status] { status = assess(*c); });
}

void add_propose(CLI::App& app, Status& status) {
    auto c = std::make_shared<ProposeCommand>();
    auto* command = app.add_subcommand("propose", "Propose an isolation for a purpose, with the reason");
    add_stretch(*command, c->stretch);
    command->add_option("--purpose", c->purpose, "natural, alone or over-pictures; all three if left out")
        ->check(CLI::IsMember({"natural", "alone", "over-pictures"}));
    command->add_option("--save", c->save, "Write the proposed settings as a preset");
    command->add_flag("--overwrite", c->overwrite, "Replace a file that is there");
    command->callback([c, &status] { status = propose_settings(*c); });
}

}  // namespace rivlen::cli
