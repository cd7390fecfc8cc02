#include "core/split/split.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <mutex>
#include <numeric>
#include <optional>
#include <thread>

#include "core/media/resample.h"
#include "core/split/bands.h"
#include "core/split/mask_map.h"

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

std::int64_t rounded_up(std::int64_t value, std::int64_t step) {
    return (value + step - 1) / step * step;
}

// The order of chunks: a short one from the wanted frame on, what follows it, then backwards what lies
// before.
class ChunkQueue {
  public:
    struct Chunk {
        std::int64_t first, last;  // frames [first, last)
    };
    // chunk and grid in frames; chunk is a multiple of grid, and every chunk begins at one.
    ChunkQueue(std::int64_t frames, std::int64_t chunk, std::int64_t grid, std::uint64_t wanted_frame) {
        const auto wanted = static_cast<std::int64_t>(
            std::min(wanted_frame, static_cast<std::uint64_t>(std::max<std::int64_t>(frames - 1, 0))));
        const std::int64_t start = wanted / grid * grid;
        std::int64_t length = std::min(chunk, rounded_up(kFirstFrames, grid));
        for (std::int64_t at = start; at < frames; length = chunk) {
            order_.push_back({at, std::min(frames, at + length)});
            at += length;
        }
        for (std::int64_t at = start; at > 0; at -= chunk) {
            order_.push_back({std::max<std::int64_t>(0, at - chunk), at});
        }
    }
    // Nothing when none is left.
    std::optional<Chunk> take() {
        const std::size_t nth = next_.fetch_add(1);
        return nth < order_.size() ? std::optional(order_[nth]) : std::nullopt;
    }

  private:
    static constexpr std::int64_t kFirstFrames = 1024;  // 11 s: soon there, and long enough for the next
    std::vector<Chunk> order_;
    std::atomic<std::size_t> next_{0};
};

}  // namespace

std::filesystem::path map_path(const Source& source, const ModelFacts& model, ChannelGrouping channels,
                               const std::filesystem::path& work_folder) {
    const auto groups = channel_groups(source.channels(), channels).size();
    return work_folder / fmt::format("{}-{}-{}{}.map", source.hash().substr(0, 24), model.name,
                                     model.hash.substr(0, 8), groups > 1 ? fmt::format("-{}", groups) : "");
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
    const auto groups = channel_groups(source.channels(), options.channels);
    auto writer =
        MaskMapWriter::create(map, {source.hash(), separator.model().name + " " + separator.model().hash,
                                    frames, static_cast<int>(groups.size())});
    if (!writer) return writer.error();

    const auto total = static_cast<std::int64_t>(frames);
    const std::int64_t grid = separator.model().grid_frames;
    const std::int64_t halo = separator.model().halo_frames;
    ChunkQueue queue(total, rounded_up(options.chunk_frames, grid), grid, options.wanted_frame);
    std::mutex mutex;  // over the writer, failure and done
    Status failure;
    std::int64_t done = 0;
    std::atomic<bool> stop{false};

    const auto run = [&] {
        const auto worker = separator.make_worker();
        while (!stop && !job.cancelled()) {
            const auto chunk = queue.take();
            if (!chunk) break;
            const auto from = std::max<std::int64_t>(0, chunk->first - halo);
            const auto to = std::min(total, rounded_up(chunk->last, grid) + halo);
            // Normalising looks kLevelFrames further than the network does.
            const auto wide_from = std::max<std::int64_t>(0, from - kLevelFrames);
            const auto wide_to = std::min(total, to + kLevelFrames);
            std::vector<std::vector<float>> masks;  // of every group
            Status status;
            for (const auto& group : groups) {
                std::vector<float> rows = source_features(source, group, wide_from, wide_to);
                normalise_features(rows);
                const auto seen = std::span<const float>(rows).subspan(
                    static_cast<std::size_t>(from - wide_from) * kFeatures,
                    static_cast<std::size_t>(to - from) * kFeatures);
                masks.emplace_back(static_cast<std::size_t>(chunk->last - chunk->first) * kMaskRow);
                if (status.ok()) status = worker->masks(seen, chunk->first - from, masks.back());
            }
            const std::lock_guard lock(mutex);
            source.let_go();
            for (std::size_t g = 0; g < masks.size() && status.ok(); ++g)
                status =
                    writer->write(static_cast<std::uint64_t>(chunk->first), masks[g], static_cast<int>(g));
            if (!status) {
                failure = status;
                stop = true;
                return;
            }
            done += chunk->last - chunk->first;
            job.report(static_cast<double>(done) / static_cast<double>(total));
            if (options.on_part && done < total) options.on_part(*writer);
        }
    };
    {
        std::vector<std::jthread> threads;
        for (int w = 1; w < options.workers; ++w) threads.emplace_back(run);
        run();
    }
    if (!failure) return failure.error();
    if (job.cancelled()) return JobControl::cancelled_error();
    if (auto status = writer->commit(); !status) return status.error();
    SplitReport report;
    report.seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start_time).count();
    report.times_real_time = source.seconds() / std::max(report.seconds, 1e-9);
    return report;
}

}  // namespace rivlen
