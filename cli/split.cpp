#include "core/split/split.h"

#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "core/base/folders.h"
#include "core/handover/export.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

struct SplitCommand {
    std::filesystem::path file, folder, work = default_work_folder(), model, engine;
    std::string format = "wav32";
    std::vector<std::string> stems;
    ShapeSettings settings;
    SplitOptions split;
    bool kept = false, json = false, overwrite = false, again = false;
};

SoundFormat format_of(const std::string& name) {
    if (name == "wav24") return SoundFormat::Wav24;
    if (name == "flac") return SoundFormat::Flac24;
    return SoundFormat::WavFloat;
}

Result<SplitReport> ensure_map(const SplitCommand& c, const Source& source, const Separator& separator,
                               const std::filesystem::path& path) {
    if (!c.again && MaskMap::open(path, source.hash())) return SplitReport{};
    TerminalJob job("Splitting");
    return split(source, separator, path, c.split, job.control());
}

void print(const SplitCommand& c, const Source& source, const SplitReport& split, const ExportReport& report,
           const ModelFacts& model) {
    if (c.json) {
        json out = {{"source", source.original().string()},
                    {"sample_rate_hz", source.sample_rate()},
                    {"channels", source.channels()},
                    {"frames", source.frames()},
                    {"source_hash", source.hash()},
                    {"model", model.name},
                    {"model_hash", model.hash},
                    {"split_seconds", split.seconds},
                    {"split_times_real_time", split.times_real_time},
                    {"export_seconds", report.seconds},
                    {"export_times_real_time", report.times_real_time},
                    {"sum_difference_dbfs", report.sum_dbfs},
                    {"peak_memory_mb", peak_memory_mb()},
                    {"warnings", source.warnings()}};
        for (const auto& file : report.files) {
            out["files"].push_back({{"content", file.content},
                                    {"path", file.path.string()},
                                    {"integrated_lufs", file.loudness.integrated_lufs},
                                    {"loudness_range_lu", file.loudness.range_lu},
                                    {"sample_peak_dbfs", file.loudness.sample_peak_dbfs},
                                    {"true_peak_dbtp", file.loudness.true_peak_dbtp},
                                    {"samples_over_full_scale", file.over_full_scale}});
        }
        fmt::print("{}\n", out.dump(2, ' ', false, json::error_handler_t::replace));
        return;
    }
    for (const auto& warning : source.warnings()) fmt::print(stderr, "rivlen-cli: {}\n", warning);
    for (const auto& file : report.files) {
        fmt::print("{:9} {:7.1f} LUFS  peak {:6.1f} dBFS  {}\n", file.content, file.loudness.integrated_lufs,
                   file.loudness.sample_peak_dbfs, file.path.string());
        if (file.over_full_scale > 0 && format_of(c.format) != SoundFormat::WavFloat) {
            fmt::print(stderr,
                       "rivlen-cli: {} samples of {} were clipped; lower --gain or use --format wav32.\n",
                       file.over_full_scale, file.content);
        }
    }
    if (split.seconds > 0) {
        fmt::print("Split in {:.1f} s, {:.0f} x real time. ", split.seconds, split.times_real_time);
    } else {
        fmt::print("Mask map found from an earlier split. ");
    }
    fmt::print("Sum of the stems against the source: {:.1f} dBFS.\n", report.sum_dbfs);
}

Status run(SplitCommand& c) {
    auto source = [&] {
        TerminalJob job("Bringing in");
        return Source::bring_in(c.file, c.work, job.control());
    }();
    if (!source) return source.error();
    auto separator = load_separator(c.engine, c.model);
    if (!separator) return separator.error();
    const auto map_file = map_path(*source, (*separator)->model(), c.work);
    auto split = ensure_map(c, *source, **separator, map_file);
    if (!split) return split.error();
    auto map = MaskMap::open(map_file, source->hash());
    if (!map) return map.error();

    ExportPlan plan;
    plan.folder = c.folder;
    plan.base_name = c.file.stem().string();
    plan.format = format_of(c.format);
    plan.kept_mix = c.kept;
    plan.overwrite = c.overwrite;
    for (std::size_t s = 0; s < kStems; ++s) {
        plan.stems[s] = c.stems.empty() || std::ranges::find(c.stems, kStemNames[s]) != c.stems.end();
    }
    auto report = [&] {
        TerminalJob job("Writing");
        return export_stems(*source, *map, c.settings, plan, job.control());
    }();
    if (!report) return report.error();
    print(c, *source, *split, *report, (*separator)->model());
    constexpr double kSumLimitDbfs = -110.0;
    if (report->sum_dbfs > kSumLimitDbfs) {
        return make_error(ErrorKind::Internal,
                          "The stems do not add up to the source ({:.1f} dBFS). Please report this.",
                          report->sum_dbfs);
    }
    return {};
}

}  // namespace

void add_split(CLI::App& app, Status& status) {
    auto c = std::make_shared<SplitCommand>();
    auto* command = app.add_subcommand("split", "Part a recording into stems");
    command->add_option("FILE", c->file, "Sound or picture file")->required();
    command->add_option("-o,--output", c->folder, "Folder for the stems")->required();
    command->add_option("--format", c->format, "wav32 (32-bit float), wav24 or flac")
        ->check(CLI::IsMember({"wav32", "wav24", "flac"}))
        ->capture_default_str();
    command->add_option("--stem", c->stems, "Only these stems (may be repeated)")
        ->check(CLI::IsMember({"dialogue", "reverb", "music", "ambience"}));
    command->add_flag("--kept", c->kept, "Also write all stems together, with their settings");
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::string name = kStemNames[s];
        auto& stem = c->settings.stems[s];
        for (std::size_t i = 0; i < kSettings; ++i) {
            const auto& p = info(static_cast<Setting>(i));
            if (p.for_dialogue_only && s != static_cast<std::size_t>(Stem::Dialogue)) continue;
            command
                ->add_option_function<double>(
                    fmt::format("--{}-{}", name, p.key),
                    [&stem, i, &p](double value) {
                        stem.values[i] = value;
                        if (p.switchable) stem.on[i] = true;
                    },
                    fmt::format("{} ({}). {}", p.sentence, p.unit, p.too_much))
                ->check(CLI::Range(p.lowest, p.highest))
                ->group(name);
        }
        command->add_flag("--" + name + "-mute", stem.mute, "Leave this stem out of what is kept")
            ->group(name);
    }
    command->add_option("--workers", c->split.workers, "Chunks at a time")
        ->check(CLI::Range(1, 64))
        ->capture_default_str();
    command->add_option("--work", c->work, "Folder for working copies and maps")->capture_default_str();
    command->add_option("--model", c->model, "Model file");
    command->add_option("--engine", c->engine, "Engine library");
    command->add_flag("--again", c->again, "Split even if a map is there");
    command->add_flag("--overwrite", c->overwrite, "Replace files that are there");
    command->add_flag("--json", c->json, "Print a report as JSON");
    command->callback([c, &status] { status = run(*c); });
}

}  // namespace rivlen::cli
