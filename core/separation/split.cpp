// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/split.h"

#include <algorithm>
#include <array>
#include <chrono>
#include <cmath>
#include <mutex>
#include <numeric>
#include <thread>

#include "core/base/guarded.h"
#include "core/base/hash.h"
#include "core/dsp/resample.h"
#include "core/separation/bands.h"
#include "core/separation/mask_map.h"
#include "core/separation/stretches.h"

namespace rivlen {

namespace {

// Samples [start, start + out.size()) of a channel at the model's rate; positions count at the model's rate.
void read_at_model_rate(const Source& source, int channel, std::int64_t start, std::span<float> out) {
    if (source.sample_rate() == kModelRate) {
        source.read(channel, start, out);
        return;
    }
    const std::int64_t rate = source.sample_rate();
    // Both rates meet every `step_in` samples of the source, which are `step_out` of the model: starting
    // there keeps the grids aligned to the sample. A margin covers the filter's settling.
    const std::int64_t common = std::gcd(rate, std::int64_t{kModelRate});
    const std::int64_t step_in = rate / common;
    const std::int64_t step_out = kModelRate / common;
    const std::int64_t margin = kModelRate / 8;
    const auto wanted = static_cast<std::int64_t>(out.size());
    const auto floor_div = [](std::int64_t a, std::int64_t b) {
        return a >= 0 ? a / b : -((-a + b - 1) / b);
    };
    const std::int64_t steps = floor_div(start - margin, step_out);
    const std::int64_t in_start = steps * step_in;
    const std::int64_t lead = start - steps * step_out;
    const std::int64_t in_count = (lead + wanted + margin) * rate / kModelRate + 1;
    std::vector<float> in(static_cast<std::size_t>(in_count));
    source.read(channel, in_start, in);
    const auto converted = resample(in, static_cast<double>(rate), kModelRate);
    copy_padded(converted, lead, out);
}

// Features that are made, and go through the network, at a time: 33 s, whose memory is what a split needs.
constexpr std::int64_t kPieceFrames = 3072;
constexpr std::int64_t kLongestOfSeveral = 28672;  // 5 minutes

// Features of what is left of a sound behind the masks of the music: power times the mask's square. The mean
// over time comes with normalising. first: frame of the map of the first row.
void keep_music(const MaskMap& map, int group, std::int64_t first, std::span<float> rows) {
    std::vector<float> masks(map.row_size());
    std::array<float, kBands + 1> gains{};  // the last: what silence is
    for (std::size_t t = 0; t < rows.size() / kFeatures; ++t) {
        map.read(static_cast<double>(first + static_cast<std::int64_t>(t)), masks, group);
        const auto row = rows.subspan(t * kFeatures, std::size_t{2} * kBands);
        const auto music = std::span(masks).subspan(kMusicSound * kBands, kBands);
        std::ranges::transform(music, gains.begin(), [](float mask) { return mask * mask; });
        gains.back() = 0.0F;
        compress_powers(gains);
        for (std::size_t i = 0; i < row.size(); ++i)
            row[i] = std::max(row[i] * gains[i % kBands], gains.back());
    }
}

// What is split of a recording: a group of channels, and of them the music of a map or, without one, all.
struct Splitting {
    const Source& source;
    ChannelGroup channels;
    int number = 0;  // of the group
    const MaskMap* music_of = nullptr;
    std::int64_t total = 0;  // frames of the map
};

// Its normalised features, piece after piece; each frame is transformed once.
class NormalisedFeatures {
  public:
    explicit NormalisedFeatures(const Splitting& what) : what_(what) {}
    // Of frames [first, last), which follow those of the last call. Valid until the next.
    std::span<const float> next(std::int64_t first, std::int64_t last) {
        // Normalising looks kLevelFrames further.
        const auto from = std::max<std::int64_t>(0, first - kLevelFrames);
        const auto to = std::min(what_.total, last + kLevelFrames);
        if (raw_.empty()) raw_from_ = raw_to_ = from;
        raw_.erase(raw_.begin(), raw_.begin() + (from - raw_from_) * kFeatures);
        raw_from_ = from;
        if (raw_to_ < to) {
            auto more = source_features(what_.source, what_.channels, raw_to_, to);
            if (what_.music_of != nullptr) keep_music(*what_.music_of, what_.number, raw_to_, more);
            raw_.insert(raw_.end(), more.begin(), more.end());
            raw_to_ = to;
        }
        rows_ = raw_;
        normalise_features(rows_);
        return std::span<const float>(rows_).subspan(static_cast<std::size_t>(first - from) * kFeatures,
                                                     static_cast<std::size_t>(last - first) * kFeatures);
    }

  private:
    Splitting what_;
    std::vector<float> raw_, rows_;  // of frames [raw_from_, raw_to_)
    std::int64_t raw_from_ = 0, raw_to_ = 0;
};

// Masks of the stretch that a worker took: take(first_frame, masks), piece by piece.
Status split_stretch(const Splitting& what, const ModelFacts& model, Stretches& stretches, int number,
                     std::int64_t first, MaskWorker& worker,
                     const std::function<Status(std::int64_t, std::span<const float>)>& take) {
    const std::int64_t grid = model.stride_frames;
    const auto from = std::max<std::int64_t>(0, first - model.context_frames);
    std::int64_t next = from > 0 ? from + model.context_frames : 0;  // frame of the next masks
    const auto inside = [&](std::span<const float> masks) -> Status {
        const std::int64_t at = next;
        next += static_cast<std::int64_t>(masks.size() / kMaskRow);
        const std::int64_t begin = std::max(at, first);
        const std::int64_t end = stretches.keep_until(number, next);
        if (begin >= end) return {};
        return take(begin, masks.subspan(static_cast<std::size_t>(begin - at) * kMaskRow,
                                         static_cast<std::size_t>(end - begin) * kMaskRow));
    };
    NormalisedFeatures features(what);
    worker.begin(from == 0);
    // The end may come nearer on the way.
    const auto to = [&] {
        return std::min(what.total, rounded_up(stretches.end_of(number), grid) + model.context_frames);
    };
    for (std::int64_t at = from, end = to(); at < end; end = to()) {
        const std::int64_t until = std::min(end, at + rounded_up(kPieceFrames, grid));
        if (auto status = worker.push(features.next(at, until), until == what.total, inside); !status)
            return status;
        at = until;
    }
    return {};
}

}  // namespace

std::filesystem::path map_path(const Source& source, const ModelFacts& model, ChannelGrouping channels,
                               const std::filesystem::path& work_folder) {
    const auto groups = channel_groups(source.channels(), channels).size();
    return work_folder / fmt::format("{}-{}-{}{}.map", source.hash().substr(0, 24), model.name,
                                     model.hash.substr(0, 8), groups > 1 ? fmt::format("-{}", groups) : "");
}

std::filesystem::path parts_path(const Source& source, const MaskMap& map, const ModelFacts& model,
                                 const std::filesystem::path& work_folder) {
    const int groups = map.facts().groups;
    return work_folder / fmt::format("{}-{}-of-{}-{}{}.map", source.hash().substr(0, 24), model.name,
                                     hash_hex(map.facts().model).substr(0, 8), model.hash.substr(0, 8),
                                     groups > 1 ? fmt::format("-{}", groups) : "");
}

std::string named_in_map(const ModelFacts& model) {
    return model.name + " " + model.hash;
}

std::uint64_t map_frames(const Source& source) {
    const auto at_model_rate = static_cast<std::size_t>(
        std::ceil(static_cast<double>(source.frames()) * kModelRate / source.sample_rate()));
    return Stft::frame_count(at_model_rate, kModelHop);
}

std::vector<float> source_features(const Source& source, ChannelGroup group, std::int64_t first,
                                   std::int64_t last) {
    Stft stft(kModelFft);
    const auto count = static_cast<std::size_t>(last - first);
    const auto channels = static_cast<std::size_t>(group.last - group.first);
    const std::size_t span = (count - 1) * kModelHop + kModelFft;
    std::vector<std::vector<float>> sound(channels, std::vector<float>(span));
    for (std::size_t c = 0; c < channels; ++c) {
        read_at_model_rate(source, group.first + static_cast<int>(c), first * kModelHop - kModelFft / 2,
                           sound[c]);
    }
    std::vector<float> rows(count * kFeatures);
    std::vector<std::vector<Complex>> spectra(channels, std::vector<Complex>(kModelBins));
    std::vector<std::span<const Complex>> views(spectra.begin(), spectra.end());
    for (std::size_t t = 0; t < count; ++t) {
        for (std::size_t c = 0; c < channels; ++c) {
            stft.forward(std::span<const float>(sound[c]).subspan(t * kModelHop, kModelFft), spectra[c]);
        }
        frame_features(views, std::span(rows).subspan(t * kFeatures, kFeatures));
    }
    return rows;
}

Result<SplitReport> split(const Source& source, const Separator& separator, const std::filesystem::path& map,
                          const SplitOptions& options, const JobControl& job) {
    const auto start_time = std::chrono::steady_clock::now();
    const std::uint64_t frames = map_frames(source);
    const auto groups = options.music_of != nullptr
                            ? groups_of_count(source.channels(), options.music_of->facts().groups)
                            : channel_groups(source.channels(), options.channels);
    auto writer = MaskMapWriter::create(
        map, {source.hash(), named_in_map(separator.model()), frames, static_cast<int>(groups.size())});
    if (!writer) return writer.error();

    const auto total = static_cast<std::int64_t>(frames);
    const bool somebody_waits = options.on_part != nullptr;
    Stretches stretches(
        {.frames = total,
         .groups = static_cast<int>(groups.size()),
         .workers = std::max(1, options.workers),
         .grid = separator.model().stride_frames,
         .context = separator.model().context_frames,
         // Of several groups, all that there is of a place is heard, and not one after the other.
         .longest = options.longest_frames == 0 && somebody_waits && groups.size() > 1
                        ? kLongestOfSeveral
                        : options.longest_frames,
         .wanted_frame = static_cast<std::int64_t>(std::min(options.wanted_frame, frames)),
         .soon = somebody_waits});
    std::mutex mutex;  // over the writer, failure and done
    Status failure;
    const auto all = total * static_cast<std::int64_t>(groups.size());
    std::int64_t done = 0;  // frames of all groups
    std::atomic<bool> stop{false};

    const auto write = [&](std::size_t group, std::int64_t first, std::span<const float> masks) -> Status {
        if (stop || job.cancelled()) return JobControl::cancelled_error();
        const std::lock_guard lock(mutex);
        if (auto status = writer->write(static_cast<std::uint64_t>(first), masks, static_cast<int>(group));
            !status)
            return status;
        if (auto status = source.intact(); !status) return status;
        source.drop_pages();
        done += static_cast<std::int64_t>(masks.size() / kMaskRow);
        job.report(static_cast<double>(done) / static_cast<double>(all));
        if (options.on_part && done < all) options.on_part(*writer);
        return {};
    };
    const auto take_stretches = [&](int number) -> Status {
        const auto worker = separator.make_worker();
        while (!stop && !job.cancelled()) {
            const auto stretch = stretches.take(number);
            if (!stretch) break;
            const auto g = static_cast<std::size_t>(stretch->group);
            auto status =
                split_stretch({source, groups[g], stretch->group, options.music_of, total}, separator.model(),
                              stretches, number, stretch->first, *worker,
                              [&](std::int64_t first, auto masks) { return write(g, first, masks); });
            if (!status) return status;
        }
        return {};
    };
    const auto run = [&](int number) {
        const Status status = guarded([&] { return take_stretches(number); });
        if (status) return;
        const std::lock_guard lock(mutex);
        if (!stop) failure = status;
        stop = true;
    };
    {
        std::vector<std::jthread> threads;
        for (int w = 1; w < options.workers; ++w) threads.emplace_back(run, w);
        run(0);
    }
    if (job.cancelled()) return JobControl::cancelled_error();
    if (!failure) return failure.error();
    if (auto status = writer->commit(); !status) return status.error();
    SplitReport report;
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_time).count();
    report.times_real_time = source.seconds() / std::max(report.seconds, 1e-9);
    return report;
}

}  // namespace rivlen
