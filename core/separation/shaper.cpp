// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/shaper.h"

#include <algorithm>
#include <bit>
#include <cmath>

#include "core/separation/sum_check.h"

namespace rivlen {

int shape_fft_size(int sample_rate) {
    const double wanted = static_cast<double>(kModelFft) * sample_rate / kModelRate;
    return 1 << std::max(6, static_cast<int>(std::lround(std::log2(wanted))));
}

double map_frames_per_frame(int sample_rate) {
    return static_cast<double>(shape_fft_size(sample_rate) / 4) * kModelRate / sample_rate / kModelHop;
}

Shaper::Group::Group(const Source& source, const MaskMap& map, ChannelGroup which, int number,
                     const Stft& stft, std::span<const BandRead> reads)
    : channels(which),
      masks(map, map_frames_per_frame(source.sample_rate()), number),
      consonants(source, which, masks, stft.fft_size()) {
    if (which.last - which.first == 2) filter.emplace(source, map, which, masks, stft, reads);
}

Shaper::Shaper(const Source& source, const MaskMap& map, std::size_t outputs)
    : source_(source),
      map_(map),
      stft_(shape_fft_size(source.sample_rate())),
      reads_(band_reads(source.sample_rate(), stft_.fft_size())) {
    const auto size = static_cast<std::size_t>(stft_.fft_size());
    const auto bins = static_cast<std::size_t>(stft_.bins());
    overlap_.assign(outputs, std::vector<std::vector<float>>(static_cast<std::size_t>(source.channels()),
                                                             std::vector<float>(size)));
    std::size_t most = 0;
    for (const auto& channels : groups_of_count(source.channels(), map.facts().groups)) {
        groups_.push_back(
            std::make_unique<Group>(source, map, channels, static_cast<int>(groups_.size()), stft_, reads_));
        most = std::max(most, static_cast<std::size_t>(channels.last - channels.first));
    }
    spectra_.assign(most, std::vector<Complex>(bins));
    filtered_.resize(bins);
    ones_.assign(bins, 1.0F);
    passed_.resize(outputs);
    time_.resize(size);
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

void Shaper::add_frame(std::int64_t index, std::span<const MaskWeights> weight_sets) {
    for (const auto& group : groups_) add_group(*group, index, weight_sets);
    const bool cut =
        map_.cuts_around(static_cast<double>(index) * map_frames_per_frame(source_.sample_rate()));
    for (std::size_t o = 0; o < weight_sets.size(); ++o) {
        passed_[o][static_cast<std::size_t>(index & 3)] = weight_sets[o].passes_all() && !cut;
    }
}

// Overlap buffers hold samples from the start of block_ on; frame i begins at sample (i - 2) * hop.
void Shaper::add_group(Group& group, std::int64_t index, std::span<const MaskWeights> weight_sets) {
    const std::int64_t hop = stft_.hop();
    // Where this frame begins in the overlap buffer; frames before the block (after a seek) lose their head.
    const auto skip = static_cast<std::size_t>((block_ + 2 - index) * hop);
    const auto filtered = [&](const MaskWeights& weights) {
        return group.filter && weights.both_channels > 0.0F;
    };
    if (std::ranges::any_of(weight_sets, filtered)) group.filter->look_around(index, stft_);
    const auto channels = static_cast<std::size_t>(group.channels.last - group.channels.first);
    for (std::size_t c = 0; c < channels; ++c) {
        const int channel = group.channels.first + static_cast<int>(c);
        source_.read(channel, (index - 2) * hop, time_);
        map_.add_fills(channel, (index - 2) * hop, time_);
        stft_.forward(time_, spectra_[c]);
    }
    float open = -1.0F;
    for (std::size_t o = 0; o < weight_sets.size(); ++o) {
        if (weight_sets[o].guard > 0.0F && open < 0.0F) open = group.consonants.at(index);
        const auto masks = group.masks.smoothed(index, weight_sets[o].temporal_smoothing);
        band_gains(weight_sets[o], masks, std::max(open, 0.0F), band_gains_);
        for (std::size_t k = 0; k < reads_.size(); ++k) {
            const BandRead& read = reads_[k];
            const float low = band_gains_[static_cast<std::size_t>(read.low)];
            const float high = band_gains_[static_cast<std::size_t>(read.high)];
            bin_gains_[o][k] = low + read.part * (high - low);
        }
        if (filtered(weight_sets[o])) {
            add_filtered(group, o, weight_sets[o], masks, skip);
            continue;
        }
        for (std::size_t c = 0; c < channels; ++c) {
            auto& sum = overlap_[o][static_cast<std::size_t>(group.channels.first) + c];
            stft_.inverse_add(spectra_[c], bin_gains_[o], skip, sum);
        }
    }
}

void Shaper::add_filtered(Group& group, std::size_t output, const MaskWeights& weights,
                          std::span<const float> masks, std::size_t skip) {
    group.filter->correction(weights, masks, correction_);
    for (std::size_t row = 0; row < 2; ++row) {
        const auto& matrix = correction_.part[row];
        for (std::size_t k = 0; k < reads_.size(); ++k) {
            const BandRead& read = reads_[k];
            const auto at = [&read](const std::array<float, kBands>& bands) {
                const float low = bands[static_cast<std::size_t>(read.low)];
                return low + read.part * (bands[static_cast<std::size_t>(read.high)] - low);
            };
            const auto times = [&](const std::array<std::array<float, kBands>, 2>& element, Complex x) {
                const float re = at(element[0]);
                const float im = at(element[1]);
                return Complex(re * x.real() - im * x.imag(), re * x.imag() + im * x.real());
            };
            filtered_[k] = bin_gains_[output][k] * spectra_[row][k] + times(matrix[0], spectra_[0][k]) +
                           times(matrix[1], spectra_[1][k]);
        }
        stft_.inverse_add(filtered_, ones_, skip,
                          overlap_[output][static_cast<std::size_t>(group.channels.first) + row]);
    }
}

void Shaper::next(const WeightSetsAt& weight_sets_at,
                  std::span<const std::span<const std::span<float>>> out) {
    const std::int64_t hop = stft_.hop();
    for (; next_frame_ <= block_ + 2; ++next_frame_)
        add_frame(next_frame_, weight_sets_at(next_frame_ * hop));
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

Status render(const Source& source, const MaskMap& map, std::span<const MaskWeights> weight_sets,
              std::int64_t first, std::int64_t last, const JobControl& job, const TakeBlocks& take) {
    return render(
        source, map, weight_sets.size(), [weight_sets](std::int64_t) { return weight_sets; }, first, last,
        job, take);
}

Status render(const Source& source, const MaskMap& map, std::size_t outputs,
              const WeightSetsAt& weight_sets_at, std::int64_t first, std::int64_t last,
              const JobControl& job, const TakeBlocks& take) {
    Shaper shaper(source, map, outputs);
    const auto channels = static_cast<std::size_t>(source.channels());
    const auto hop = static_cast<std::size_t>(shaper.hop());
    std::vector<AudioBlock> blocks(outputs, AudioBlock(source.sample_rate(), channels, hop));
    std::vector<AudioBlock> part(outputs, AudioBlock(source.sample_rate(), channels));
    std::int64_t at = shaper.seek(first);
    // Recordings and maps of any length are gone through in the same memory.
    const std::int64_t drop_pages_every =
        std::int64_t{30} * source.sample_rate() / shaper.hop() * shaper.hop();
    while (at < last) {
        if (at % drop_pages_every == 0) {
            source.drop_pages();
            map.drop_pages();
        }
        if (job.cancelled()) return JobControl::cancelled_error();
        std::vector<std::vector<std::span<float>>> spans(outputs);
        std::vector<std::span<const std::span<float>>> views;
        for (std::size_t o = 0; o < outputs; ++o) {
            for (std::size_t c = 0; c < channels; ++c) spans[o].push_back(blocks[o][c]);
            views.emplace_back(spans[o]);
        }
        shaper.next(weight_sets_at, views);
        const std::int64_t from = std::max(first, at);
        const std::int64_t to = std::min(last, at + static_cast<std::int64_t>(hop));
        for (std::size_t o = 0; o < outputs; ++o) {
            part[o].clear();
            part[o].append(blocks[o], static_cast<std::size_t>(from - at),
                           static_cast<std::size_t>(to - from));
        }
        if (auto status = source.intact(); !status) return status;
        if (auto status = map.intact(); !status) return status;
        if (auto status = take(from, part); !status) return status;
        at += static_cast<std::int64_t>(hop);
        job.report(static_cast<double>(at - first) /
                   static_cast<double>(std::max<std::int64_t>(last - first, 1)));
    }
    return {};
}

double measure_sum_dbfs(const Source& source, const MaskMap& map, std::int64_t first, std::int64_t last,
                        const JobControl& job) {
    std::vector<MaskWeights> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets.push_back(stem_weights(StemSettings{}, s));
    if (map.cuts()) weight_sets.push_back(whole_weights());
    SumCheck sum(source);
    const Status status =
        render(source, map, weight_sets, first, last, job, [&](std::int64_t start, auto blocks) {
            sum.add(start, blocks.first(kStems), map.cuts() ? &blocks[kStems] : nullptr);
            return Status{};
        });
    return status ? sum.result_dbfs() : 0.0;
}

}  // namespace rivlen
