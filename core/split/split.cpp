#include "core/split/split.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <map>
#include <mutex>
#include <numeric>
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

class ChunkQueue {
  public:
    ChunkQueue(std::uint64_t frames, int chunk_frames, std::uint64_t wanted_frame)
        : frames_(frames), chunk_(static_cast<std::uint64_t>(chunk_frames)) {
        const std::uint64_t count = (frames_ + chunk_ - 1) / chunk_;
        if (count == 0) return;
        const std::uint64_t wanted = std::min(wanted_frame / chunk_, count - 1);
        // The one before is needed, too: borders are made of both neighbours.
        order_.push_back(wanted);
        if (wanted > 0) order_.push_back(wanted - 1);
        for (std::uint64_t at = wanted + 1; at < count; ++at) order_.push_back(at);
        for (std::uint64_t at = wanted; at-- > 1;) order_.push_back(at - 1);
    }
    // First and last frame of the next chunk; false when none is left.
    bool take(std::uint64_t& first, std::uint64_t& last) {
        const std::size_t nth = next_.fetch_add(1);
        if (nth >= order_.size()) return false;
        first = order_[nth] * chunk_;
        last = std::min(frames_, first + chunk_);
        return true;
    }

  private:
    std::uint64_t frames_, chunk_;
    std::vector<std::uint64_t> order_;
    std::atomic<std::size_t> next_{0};
};

// Writes the masks of chunks, cross-faded around the borders. Whichever neighbour comes first waits there for
// the other; what is written does not depend on their order.
class BorderWriter {
  public:
    BorderWriter(MaskMapWriter& writer, std::int64_t frames, std::int64_t fade)
        : writer_(&writer), frames_(frames), fade_(fade) {}

    // masks: of frames [from, to), which reach at least `fade` beyond the chunk [first, last) where there is
    // more.
    Status add(std::int64_t first, std::int64_t last, std::int64_t from, std::int64_t to,
               std::span<const float> masks) {
        const auto part = [&](std::int64_t begin, std::int64_t end) {
            return masks.subspan(static_cast<std::size_t>(begin - from) * kMaskRow,
                                 static_cast<std::size_t>(std::max(end - begin, std::int64_t{0})) * kMaskRow);
        };
        const std::int64_t begin = first > 0 ? std::min(first + fade_, last) : 0;
        const std::int64_t end = last < frames_ ? last - fade_ : frames_;
        if (begin < end) {
            if (auto status = writer_->write(static_cast<std::uint64_t>(begin), part(begin, end)); !status)
                return status;
        }
        if (first > 0) {
            if (auto status = meet(first, part(first - fade_, std::min(first + fade_, to)), false); !status)
                return status;
        }
        return last < frames_ ? meet(last, part(last - fade_, std::min(last + fade_, to)), true) : Status{};
    }

  private:
    Status meet(std::int64_t border, std::span<const float> masks, bool earlier) {
        const auto waiting = waiting_.find(border);
        if (waiting == waiting_.end()) {
            waiting_.emplace(border, std::vector<float>(masks.begin(), masks.end()));
            return {};
        }
        const std::vector<float> other = std::move(waiting->second);
        waiting_.erase(waiting);
        const std::span<const float> before = earlier ? masks : std::span<const float>(other);
        const std::span<const float> after = earlier ? std::span<const float>(other) : masks;
        std::vector<float> mixed(before.size());
        for (std::size_t i = 0; i < mixed.size(); ++i) {
            const auto frame = static_cast<float>(i / kMaskRow);
            const float share = (frame + 0.5F) / (2.0F * static_cast<float>(fade_));
            mixed[i] = before[i] + share * (after[i] - before[i]);
        }
        return writer_->write(static_cast<std::uint64_t>(border - fade_), mixed);
    }

    MaskMapWriter* writer_;
    std::int64_t frames_, fade_;
    std::map<std::int64_t, std::vector<float>> waiting_;  // by border
};

}  // namespace

std::filesystem::path map_path(const Source& source, const ModelFacts& model,
                               const std::filesystem::path& work_folder) {
    return work_folder /
           fmt::format("{}-{}-{}.map", source.hash().substr(0, 24), model.name, model.hash.substr(0, 8));
}

std::uint64_t map_frames(const Source& source) {
    const auto at_model_rate = static_cast<std::size_t>(
        std::ceil(static_cast<double>(source.frames()) * kModelRate / source.sample_rate()));
    return Stft::frame_count(at_model_rate, kModelHop);
}

std::vector<float> source_features(const Source& source, std::int64_t first, std::int64_t last) {
    Stft stft(kModelFft);
    const auto count = static_cast<std::size_t>(last - first);
    const auto channels = static_cast<std::size_t>(source.channels());
    const std::size_t span = (count - 1) * kModelHop + kModelFft;
    std::vector<std::vector<float>> sound(channels, std::vector<float>(span));
    for (std::size_t c = 0; c < channels; ++c) {
        read_at_model_rate(source, static_cast<int>(c), first * kModelHop - kModelFft / 2, sound[c]);
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
    auto writer = MaskMapWriter::create(
        map, {source.hash(), separator.model().name + " " + separator.model().hash, frames});
    if (!writer) return writer.error();

    const std::int64_t halo = std::min(options.halo_frames, options.chunk_frames / 2);
    ChunkQueue queue(frames, options.chunk_frames, options.wanted_frame);
    BorderWriter borders(*writer, static_cast<std::int64_t>(frames), std::max<std::int64_t>(halo / 4, 1));
    std::mutex mutex;  // over borders, failure and done
    Status failure;
    std::uint64_t done = 0;
    std::atomic<bool> stop{false};

    const auto run = [&] {
        const auto worker = separator.make_worker();
        std::uint64_t first = 0;
        std::uint64_t last = 0;
        while (!stop && queue.take(first, last)) {
            if (job.cancelled()) break;
            const auto total = static_cast<std::int64_t>(frames);
            const auto from = std::max<std::int64_t>(0, static_cast<std::int64_t>(first) - halo);
            const auto to = std::min<std::int64_t>(total, static_cast<std::int64_t>(last) + halo);
            // Normalising looks kLevelFrames further than the network does.
            const auto wide_from = std::max<std::int64_t>(0, from - kLevelFrames);
            const auto wide_to = std::min<std::int64_t>(total, to + kLevelFrames);
            std::vector<float> rows = source_features(source, wide_from, wide_to);
            normalise_features(rows);
            const auto seen =
                std::span<const float>(rows).subspan(static_cast<std::size_t>(from - wide_from) * kFeatures,
                                                     static_cast<std::size_t>(to - from) * kFeatures);
            std::vector<float> masks(static_cast<std::size_t>(to - from) * kMaskRow);
            Status status = worker->masks(seen, masks);
            const std::lock_guard lock(mutex);
            if (status.ok()) {
                status = borders.add(static_cast<std::int64_t>(first), static_cast<std::int64_t>(last), from,
                                     to, masks);
            }
            if (!status) {
                failure = status;
                stop = true;
                return;
            }
            done += last - first;
            job.report(static_cast<double>(done) / static_cast<double>(frames));
            if (options.on_part && done < frames) options.on_part(*writer);
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
