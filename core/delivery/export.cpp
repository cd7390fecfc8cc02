// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/export.h"

#include <algorithm>
#include <chrono>

#include "core/base/output_file.h"
#include "core/separation/sum_check.h"

namespace rivlen {

namespace {

namespace fs = std::filesystem;

constexpr const char* kCut = "cut";

struct Output {
    std::string content;
    fs::path path;
    SoundFileWriter writer;
    LoudnessMeter meter;
};

Result<Output> open_output(const Source& source, std::string content, fs::path path, SoundFormat format) {
    auto writer = SoundFileWriter::create(path, format, source.sample_rate(), source.channels());
    if (!writer) return writer.error();
    return Output{std::move(content), std::move(path), std::move(*writer),
                  LoudnessMeter(source.sample_rate(), source.channels())};
}

// All of them, or none: what stood under their names stays when one cannot be written.
Result<std::vector<ExportedFile>> finish(std::vector<Output>& outputs) {
    std::vector<CompleteFile> complete;
    for (auto& output : outputs) {
        auto file = output.writer.complete();
        if (!file) {
            std::error_code ignored;
            for (const auto& done : complete) fs::remove(done.partial, ignored);
            return file.error();
        }
        complete.push_back(std::move(*file));
    }
    if (auto status = publish_together(complete); !status) return status.error();
    std::vector<ExportedFile> files;
    for (const auto& output : outputs)
        files.push_back(
            {output.content, output.path, output.meter.result(), output.writer.over_full_scale()});
    return files;
}

MaskWeights weights_of(const TimedMaskWeights& timed, const std::string& content, std::int64_t frame) {
    if (content == kCut) return whole_weights();
    const std::size_t sound = sound_named(content);
    return sound < kSounds ? timed.stem(sound, frame) : timed.kept(frame);
}

// What the source has and a block at a frame has not.
void take_from_source(const Source& source, std::int64_t from, const AudioBlock& whole, AudioBlock& cut) {
    cut.resize(whole.frames());
    for (std::size_t c = 0; c < cut.channels(); ++c) {
        source.read(static_cast<int>(c), from, cut[c]);
        for (std::size_t i = 0; i < cut.frames(); ++i) cut[c][i] -= whole[c][i];
    }
}

}  // namespace

std::vector<std::pair<std::string, fs::path>> planned_files(const ExportPlan& plan) {
    std::vector<std::pair<std::string, fs::path>> files;
    const auto add = [&](const std::string& content) {
        files.emplace_back(content, plan.folder / fmt::format("{} {}{}", plan.base_name, content,
                                                              extension_of(plan.format)));
    };
    for (std::size_t s = 0; s < kSounds; ++s) {
        if (plan.stems[s]) add(kSoundNames[s]);
    }
    if (plan.kept_mix) add("kept");
    if (plan.cut) add(kCut);
    return files;
}

Result<ExportReport> export_stems(const Source& source, const MaskMap& map, const TimedSettings& settings,
                                  const ExportPlan& plan, const JobControl& job) {
    const auto start = std::chrono::steady_clock::now();
    const auto planned = planned_files(plan);
    if (planned.empty())
        return make_error(ErrorKind::BadInput, "Nothing is chosen to be written. Choose at least one stem.");
    std::error_code error;
    fs::create_directories(plan.folder, error);
    for (const auto& [content, path] : planned) {
        if (auto free = may_write(path, plan.overwrite, std::span(&source.original(), 1)); !free)
            return free.error();
    }
    std::vector<Output> outputs;
    for (const auto& [content, path] : planned) {
        auto output = open_output(source, content, path, plan.format);
        if (!output) return output.error();
        outputs.push_back(std::move(*output));
    }
    // The neutral stems are rendered alongside, so that the sum is measured on what is being written, not on
    // a sample.
    const TimedMaskWeights timed(settings);
    std::vector<MaskWeights> weight_sets(outputs.size());
    for (std::size_t s = 0; s < kStems; ++s) weight_sets.push_back(stem_weights(StemSettings{}, s));
    const auto weight_sets_at = [&](std::int64_t frame) {
        for (std::size_t o = 0; o < outputs.size(); ++o)
            weight_sets[o] = weights_of(timed, outputs[o].content, frame);
        return std::span<const MaskWeights>(weight_sets);
    };
    if (map.cuts()) weight_sets.push_back(whole_weights());
    SumCheck sum(source);
    AudioBlock cut(source.sample_rate(), static_cast<std::size_t>(source.channels()));
    const auto take = [&](std::int64_t from, std::span<const AudioBlock> blocks) -> Status {
        for (std::size_t o = 0; o < outputs.size(); ++o) {
            const bool is_cut = outputs[o].content == kCut;
            if (is_cut) take_from_source(source, from, blocks[o], cut);
            const AudioBlock& block = is_cut ? cut : blocks[o];
            if (auto status = outputs[o].writer.write(block); !status) return status;
            outputs[o].meter.add(block);
        }
        sum.add(from, blocks.subspan(outputs.size(), kStems), map.cuts() ? &blocks.back() : nullptr);
        return {};
    };
    if (auto status = render(source, map, weight_sets.size(), weight_sets_at, 0,
                             static_cast<std::int64_t>(source.frames()), job, take);
        !status) {
        return status.error();
    }
    auto files = finish(outputs);
    if (!files) return files.error();
    ExportReport report;
    report.files = std::move(*files);
    report.sum_dbfs = sum.result_dbfs();
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
    report.times_real_time = source.seconds() / std::max(report.seconds, 1e-9);
    return report;
}

Result<ExportedFile> export_kept(const Source& source, const MaskMap& map, const TimedSettings& settings,
                                 const fs::path& path, SoundFormat format, const JobControl& job) {
    if (auto free = never_over(path, std::span(&source.original(), 1)); !free) return free.error();
    std::vector<Output> outputs;
    auto output = open_output(source, "kept", path, format);
    if (!output) return output.error();
    outputs.push_back(std::move(*output));
    const TimedMaskWeights timed(settings);
    MaskWeights weights;
    const auto weight_sets_at = [&](std::int64_t frame) {
        weights = timed.kept(frame);
        return std::span<const MaskWeights>(&weights, 1);
    };
    const auto take = [&](std::int64_t, std::span<const AudioBlock> blocks) -> Status {
        outputs[0].meter.add(blocks[0]);
        return outputs[0].writer.write(blocks[0]);
    };
    if (auto status =
            render(source, map, 1, weight_sets_at, 0, static_cast<std::int64_t>(source.frames()), job, take);
        !status) {
        return status.error();
    }
    auto files = finish(outputs);
    if (!files) return files.error();
    return files->front();
}

}  // namespace rivlen
