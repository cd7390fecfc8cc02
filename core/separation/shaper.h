// SPDX-License-Identifier: GPL-3.0-or-later
// Source + mask map + mask weights = sound, as a stream. The transform runs at the recording's own rate and
// size, reading the map between its frames where rates differ, so that nothing is ever resampled and neutral
// stems add up to the source to within rounding.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/dsp/stft.h"
#include "core/media/source.h"
#include "core/separation/bands.h"
#include "core/separation/channel_filter.h"
#include "core/separation/consonants.h"
#include "core/separation/frame_masks.h"
#include "core/separation/mask_map.h"
#include "core/separation/mask_weights.h"

namespace rivlen {

// Sets of weights, one an output, that hold at a frame of the recording; the span is used until the next
// call.
using WeightSetsAt = std::function<std::span<const MaskWeights>(std::int64_t frame)>;

// Renders several outputs of one source side by side, hop by hop. All memory is allocated in the constructor.
class Shaper {
  public:
    // source and map must outlive it and belong together.
    Shaper(const Source& source, const MaskMap& map, std::size_t outputs);
    Shaper(const Shaper&) = delete;
    Shaper& operator=(const Shaper&) = delete;

    [[nodiscard]] int hop() const { return stft_.hop(); }
    // The next block will begin at this frame, rounded down to a multiple of the hop; returns that frame.
    std::int64_t seek(std::int64_t frame);
    // Renders the next hop frames. A change of weights is heard as a cross-fade over the window.
    // out[output][channel]: hop samples each. Blocks before and behind the recording are silence.
    void next(const WeightSetsAt& weight_sets_at, std::span<const std::span<const std::span<float>>> out);

  private:
    struct Group {  // of channels that share masks
        Group(const Source& source, const MaskMap& map, ChannelGroup which, int number, const Stft& stft,
              std::span<const BandRead> reads);
        ChannelGroup channels;
        FrameMasks masks;
        Consonants consonants;                // looks at masks: a group stays where it was made
        std::optional<ChannelFilter> filter;  // of groups of two channels
    };
    void add_frame(std::int64_t index, std::span<const MaskWeights> weight_sets);
    void add_group(Group& group, std::int64_t index, std::span<const MaskWeights> weight_sets);
    // Adds an output's two channels, filtered across channels, to its overlap buffers.
    void add_filtered(Group& group, std::size_t output, const MaskWeights& weights,
                      std::span<const float> masks, std::size_t skip);

    const Source& source_;
    const MaskMap& map_;
    Stft stft_;
    std::vector<std::unique_ptr<Group>> groups_;
    std::vector<BandRead> reads_;
    std::int64_t block_ = 0;                                // index of the next block to leave
    std::int64_t next_frame_ = 0;                           // index of the next transform frame to add
    std::vector<std::vector<std::vector<float>>> overlap_;  // [output][channel][fft size]
    std::vector<std::array<bool, 4>> passed_;  // [output][of the last four frames]: source unchanged
    std::vector<float> time_;
    std::vector<std::vector<Complex>> spectra_;  // [channel of a group]
    std::vector<Complex> filtered_;
    std::array<float, kBands> band_gains_{};
    std::vector<std::vector<float>> bin_gains_;  // [output]
    std::vector<float> ones_;                    // a gain of 1 a bin
    BandMatrices correction_;
};

// Size of the transform for a rate: the power of two nearest to the model's 42.7 ms.
[[nodiscard]] int shape_fft_size(int sample_rate);
// Hop of that transform in frames of a map.
[[nodiscard]] double map_frames_per_frame(int sample_rate);

// Renders whole blocks of [first, last) of the recording to a function: take(start_frame,
// blocks[output]). Errors: Cancelled, and whatever `take` returns.
using TakeBlocks = std::function<Status(std::int64_t, std::span<const AudioBlock>)>;
[[nodiscard]] Status render(const Source& source, const MaskMap& map, std::size_t outputs,
                            const WeightSetsAt& weight_sets_at, std::int64_t first, std::int64_t last,
                            const JobControl& job, const TakeBlocks& take);
// The same with weights that do not change.
[[nodiscard]] Status render(const Source& source, const MaskMap& map,
                            std::span<const MaskWeights> weight_sets, std::int64_t first, std::int64_t last,
                            const JobControl& job, const TakeBlocks& take);

// Peak of (sum of the four neutral stems - source without what is cut) over a range, in dBFS; -200 when they
// are equal.
[[nodiscard]] double measure_sum_dbfs(const Source& source, const MaskMap& map, std::int64_t first,
                                      std::int64_t last, const JobControl& job = {});

}  // namespace rivlen
