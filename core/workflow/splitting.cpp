// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/splitting.h"

#include <algorithm>
#include <chrono>

#include "core/base/output_file.h"

namespace rivlen {

namespace {

constexpr std::chrono::seconds kPartsApart{3};

std::uint64_t map_frame_of(const Source& source, std::int64_t frame) {
    return static_cast<std::uint64_t>(static_cast<double>(std::max<std::int64_t>(frame, 0)) /
                                      source.sample_rate() * kModelRate / kModelHop);
}

// Tells of parts, but not all the time: every look at one reads what is there.
class PartTeller {
  public:
    PartTeller(std::uint64_t wanted_frame, std::function<void(MaskMap)> tell)
        : wanted_frame_(wanted_frame), tell_(std::move(tell)) {}
    void operator()(MaskMapWriter& writer) {
        if (told_ && Clock::now() - *told_ < kPartsApart) return;
        auto part = writer.so_far();
        if (!part) return;  // the split itself will say what is wrong
        if (!part->has(std::min(wanted_frame_, part->facts().frames - 1))) return;
        told_ = Clock::now();
        tell_(std::move(*part));
    }

  private:
    using Clock = std::chrono::steady_clock;
    std::uint64_t wanted_frame_;
    std::function<void(MaskMap)> tell_;
    std::optional<Clock::time_point> told_;
};

}  // namespace

Result<SplitOutcome> split_recording(const Source& source, const SplitWish& wish, const JobControl& job) {
    auto separator = load_separator(wish.engine, wish.model);
    if (!separator) return separator.error();
    const ModelFacts& model = (*separator)->model();
    const auto path = map_path(source, model, wish.channels, wish.work_folder);
    if (!wish.again) {
        if (auto map = MaskMap::open(path, source.hash())) return SplitOutcome{std::move(*map), model, {}};
    }
    SplitOptions options;
    options.workers = wish.workers;
    options.channels = wish.channels;
    options.wanted_frame = map_frame_of(source, wish.wanted_frame);
    if (wish.on_part) options.on_part = PartTeller(options.wanted_frame, wish.on_part);
    auto report = split(source, **separator, path, options, job);
    if (!report) return report.error();
    auto map = MaskMap::open(path, source.hash());
    if (!map) return map.error();
    return SplitOutcome{std::move(*map), model, *report};
}

std::optional<MaskMap> best_map(const Source& source, ChannelGrouping channels,
                                const std::filesystem::path& work_folder,
                                const std::filesystem::path& taught) {
    for (const auto& file : {taught, find_model(kFineModel), find_model(kQuickModel)}) {
        const auto model = model_identity(file);
        if (!model) continue;
        auto map = MaskMap::open(map_path(source, *model, channels, work_folder), source.hash());
        if (map) return std::move(*map);
    }
    return {};
}

Result<MaskMap> second_opinion(const Source& source, const MaskMap& shown, ChannelGrouping channels,
                               const std::filesystem::path& work_folder, const JobControl& job) {
    SplitWish wish;
    wish.model = find_model(kFineModel);
    if (model_of(shown) == kFineModel || wish.model.empty()) return shown;
    wish.channels = channels;
    wish.workers = 1;
    if (const auto model = model_identity(wish.model)) {
        auto map = MaskMap::open(map_path(source, *model, channels, work_folder), source.hash());
        if (map) return map;
    }
    wish.work_folder = work_folder / kSecondFolder;
    if (const Status ready = prepare_work_folder(wish.work_folder); !ready) return ready.error();
    auto done = split_recording(source, wish, job);
    if (!done) return done.error();
    return std::move(done->map);
}

namespace {

Result<MaskMap> opened_by(const std::filesystem::path& parts_file, const Source& source, const MaskMap& map) {
    auto parts = MaskMap::open(parts_file, source.hash());
    if (!parts) return parts.error();
    return map.opened(std::make_shared<const MaskMap>(std::move(*parts)));
}

}  // namespace

Result<MaskMap> open_music(const Source& source, const MaskMap& map, const SplitWish& wish,
                           const JobControl& job) {
    const auto file = wish.parts_model.empty() ? find_model(kPartsModel) : model_file(wish.parts_model);
    if (file.empty())
        return make_error(ErrorKind::NotFound,
                          "The model for the parts of music is missing. Install Rivlen again.");
    auto separator = load_separator(wish.engine, file);
    if (!separator) return separator.error();
    const auto path = parts_path(source, map, (*separator)->model(), wish.work_folder);
    if (!wish.again) {
        if (auto known = opened_by(path, source, map)) return known;
    }
    SplitOptions options;
    options.workers = wish.workers;
    options.wanted_frame = map_frame_of(source, wish.wanted_frame);
    options.music_of = &map;
    auto report = split(source, **separator, path, options, job);
    if (!report) return report.error();
    return opened_by(path, source, map);
}

std::optional<MaskMap> opened_before(const Source& source, const MaskMap& map,
                                     const std::filesystem::path& work_folder,
                                     const std::filesystem::path& parts_model) {
    const auto model = model_identity(parts_model.empty() ? find_model(kPartsModel) : parts_model);
    if (!model) return {};
    auto opened = opened_by(parts_path(source, map, *model, work_folder), source, map);
    return opened ? std::optional(std::move(*opened)) : std::nullopt;
}

bool made_with(const MaskMap& map, const std::filesystem::path& model) {
    const auto weights = model_identity(model);
    return weights && map.facts().model == named_in_map(*weights);
}

std::string model_of(const MaskMap& map) {
    return map.facts().model.starts_with(kFineModel) ? kFineModel : kQuickModel;
}

}  // namespace rivlen
