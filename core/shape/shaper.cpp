#include "core/shape/shaper.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/shape/sum_check.h"

namespace rivlen {

int shape_fft_size(int sample_rate) {
    const double wanted = static_cast<double>(kModelFft) * sample_rate / kModelRate;
    return 1 << std::max(6, static_cast<int>(std::lround(std::log2(wanted))));
}

double map_frames_per_frame(int sample_rate) {
    return static_cast<double>(shape_fft_size(sample_rate) / 4) * kModelRate / sample_rate / kModelHop;
}

Shaper::Group::Group(const Source& source, const MaskMap& map, ChannelGroup which, int number, int fft_size)
    : channels(which),
      masks(map, map_frames_per_frame(source.sample_rate()), number),
      consonants(source, which, masks, fft_size) {}

Shaper::Shaper(const Source& source, const MaskMap& map, std::size_t outputs)
    : source_(source),
      stft_(shape_fft_size(source.sample_rate())),
      reads_(band_reads(source.sample_rate(), stft_.fft_size())) {
    const auto size = static_cast<std::size_t>(stft_.fft_size());
    const auto bins = static_cast<std::size_t>(stft_.bins());
    overlap_.assign(outputs, std::vector<std::vector<float>>(static_cast<std::size_t>(source.channels()),
                                                             std::vector<float>(size)));
    for (const auto& channels : groups_of_count(source.channels(), map.facts().groups)) {
        groups_.push_back(std::make_unique<Group>(source, map, channels, static_cast<int>(groups_.size()),
                                                  stft_.fft_size()));
    }
    passed_.resize(outputs);
    time_.resize(size);
    spectrum_.resize(bins);
    bin_gains_.assign(outputs, std::vector<float>(bins));
    seek(0);
}

std::int64_t Shaper::seek(std::int64_t frame) {
    const std::int64_t hop = stft_.hop();
    block_ = frame >= 0 ? frame / hop : -((-frame + hop - 1) / hop);
    next_frame_ = block_ - 1;  // block b is covered by frames b - 1 to b + 2
    for (auto& output : overlap_) {
        for (auto& channel : output) std::ranges::fill(channel, 0.0F);
    }
    for (auto& flags : passed_) flags.fill(false);
    return block_ * hop;
}

// Overlap buffers hold samples from the start of block_ on; frame i begins at sample (i - 2) * hop.
void Shaper::add_frame(std::int64_t index, std::span<const Recipe> recipes) {
    const std::int64_t hop = stft_.hop();
    // Where this frame begins in the overlap buffer; frames before the block (after a seek) lose their head.
    const auto skip = static_cast<std::size_t>((block_ + 2 - index) * hop);
    for (const auto& group : groups_) {
        float open = -1.0F;
        for (std::size_t o = 0; o < recipes.size(); ++o) {
            if (recipes[o].guard > 0.0F && open < 0.0F) open = group->consonants.at(index);
            band_gains(recipes[o], group->masks.steady(index, recipes[o].steadiness), std::max(open, 0.0F),
                       band_gains_);
            for (std::size_t k = 0; k < reads_.size(); ++k) {
                const BandRead& read = reads_[k];
                const float low = band_gains_[static_cast<std::size_t>(read.low)];
                const float high = band_gains_[static_cast<std::size_t>(read.high)];
                bin_gains_[o][k] = low + read.part * (high - low);
            }
        }
        for (int c = group->channels.first; c < group->channels.last; ++c) {
            source_.read(c, (index - 2) * hop, time_);
            stft_.forward(time_, spectrum_);
            for (std::size_t o = 0; o < recipes.size(); ++o)
                stft_.inverse_add(spectrum_, bin_gains_[o], skip, overlap_[o][static_cast<std::size_t>(c)]);
        }
    }
    for (std::size_t o = 0; o < recipes.size(); ++o) {
        passed_[o][static_cast<std::size_t>(index & 3)] = recipes[o].passes_all();
    }
}

void Shaper::next(const RecipesAt& recipes_at, std::span<const std::span<const std::span<float>>> out) {
    const std::int64_t hop = stft_.hop();
    for (; next_frame_ <= block_ + 2; ++next_frame_) add_frame(next_frame_, recipes_at(next_frame_ * hop));
    for (std::size_t o = 0; o < out.size(); ++o) {
        // With all four frames passing everything, the source itself goes out: equal to the bit, not to
        // rounding.
        const bool untouched = std::ranges::all_of(passed_[o], std::identity{});
        for (std::size_t c = 0; c < out[o].size(); ++c) {
            auto& buffer = overlap_[o][c];
            if (untouched) {
                source_.read(static_cast<int>(c), block_ * hop, out[o][c]);
            } else {
                std::copy_n(buffer.begin(), hop, out[o][c].begin());
            }
            std::copy(buffer.begin() + hop, buffer.end(), buffer.begin());
            std::fill(buffer.end() - hop, buffer.end(), 0.0F);
        }
    }
    ++block_;
}

Status render(const Source& source, const MaskMap& map, std::span<const Recipe> recipes, std::int64_t first,
              std::int64_t last, const JobControl& job, const TakeBlocks& take) {
    return render(
        source, map, recipes.size(), [recipes](std::int64_t) { return recipes; }, first, last, job, take);
}

Status render(const Source& source, const MaskMap& map, std::size_t outputs, const RecipesAt& recipes_at,
              std::int64_t first, std::int64_t last, const JobControl& job, const TakeBlocks& take) {
    Shaper shaper(source, map, outputs);
    const auto channels = static_cast<std::size_t>(source.channels());
    const auto hop = static_cast<std::size_t>(shaper.hop());
    std::vector<std::vector<std::vector<float>>> blocks(outputs, std::vector<std::vector<float>>(channels));
    std::vector<std::vector<std::vector<float>>> part = blocks;
    std::int64_t at = shaper.seek(first);
    // Recordings and maps of any length are gone through in the same memory.
    const std::int64_t let_go_every = std::int64_t{30} * source.sample_rate() / shaper.hop() * shaper.hop();
    while (at < last) {
        if (at % let_go_every == 0) {
            source.let_go();
            map.let_go();
        }
        if (job.cancelled()) return JobControl::cancelled_error();
        std::vector<std::vector<std::span<float>>> spans(outputs);
        std::vector<std::span<const std::span<float>>> views;
        for (std::size_t o = 0; o < outputs; ++o) {
            for (auto& channel : blocks[o]) {
                channel.resize(hop);
                spans[o].emplace_back(channel);
            }
            views.emplace_back(spans[o]);
        }
        shaper.next(recipes_at, views);
        const std::int64_t from = std::max(first, at);
        const std::int64_t to = std::min(last, at + static_cast<std::int64_t>(hop));
        for (std::size_t o = 0; o < outputs; ++o) {
            for (std::size_t c = 0; c < channels; ++c) {
                part[o][c].assign(blocks[o][c].begin() + (from - at), blocks[o][c].begin() + (to - at));
            }
        }
        if (auto status = take(from, part); !status) return status;
        at += static_cast<std::int64_t>(hop);
        job.report(static_cast<double>(at - first) /
                   static_cast<double>(std::max<std::int64_t>(last - first, 1)));
    }
    return {};
}

double measure_sum_dbfs(const Source& source, const MaskMap& map, std::int64_t first, std::int64_t last,
                        const JobControl& job) {
    std::array<Recipe, kStems> recipes;
    for (std::size_t s = 0; s < kStems; ++s) recipes[s] = stem_recipe(StemSettings{}, s);
    SumCheck sum(source);
    const Status status =
        render(source, map, recipes, first, last, job, [&](std::int64_t start, auto blocks) {
            sum.add(start, blocks);
            return Status{};
        });
    return status ? sum.result_dbfs() : 0.0;
}

}  // namespace rivlen
