// Source + mask map + recipes = sound, as a stream. The transform runs at the recording's own rate and size,
// reading the map between its frames where rates differ, so that nothing is ever resampled and neutral stems
// add up to the source to within rounding.
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/shape/settings.h"
#include "core/split/bands.h"
#include "core/split/mask_map.h"
#include "core/split/stft.h"

namespace rivlen {

// Renders several outputs of one source side by side, hop by hop. All memory is allocated in the constructor.
class Shaper {
  public:
    // source and map must outlive it and belong together.
    Shaper(const Source& source, const MaskMap& map, std::size_t outputs);

    [[nodiscard]] int hop() const { return stft_.hop(); }
    // The next block will begin at this frame, rounded down to a multiple of the hop; returns that frame.
    std::int64_t seek(std::int64_t frame);
    // Renders the next hop frames. recipes: one an output; a change is heard as a cross-fade over the window.
    // out[output][channel]: hop samples each. Blocks before and behind the recording are silence.
    void next(std::span<const BandRecipe> recipes, std::span<const std::span<const std::span<float>>> out);

  private:
    void add_frame(std::int64_t index, std::span<const BandRecipe> recipes);

    const Source& source_;
    const MaskMap& map_;
    Stft stft_;
    std::vector<BandRead> reads_;
    double map_frames_per_hop_;
    std::int64_t block_ = 0;                                // index of the next block to leave
    std::int64_t next_frame_ = 0;                           // index of the next transform frame to add
    std::vector<std::vector<std::vector<float>>> overlap_;  // [output][channel][fft size]
    std::vector<std::array<bool, 4>> passed_;  // [output][of the last four frames]: source unchanged
    std::vector<float> time_, gains_, frame_;
    std::vector<Complex> spectrum_, shaped_;
    std::array<float, kMaskRow> masks_{};
    std::array<float, kBands> band_gain_{};
};

// Size of the transform for a rate: the power of two nearest to the model's 42.7 ms.
[[nodiscard]] int shape_fft_size(int sample_rate);

// Renders whole blocks of [first, last) of the recording to a function: take(start_frame,
// blocks[output][channel]). Errors: Cancelled, and whatever `take` returns.
[[nodiscard]] Status render(
    const Source& source, const MaskMap& map, std::span<const BandRecipe> recipes, std::int64_t first,
    std::int64_t last, const JobControl& job,
    const std::function<Status(std::int64_t, std::span<const std::vector<std::vector<float>>>)>& take);

// Peak of (sum of the four neutral stems - source) over a range, in dBFS; -200 when they are equal.
[[nodiscard]] double measure_sum_dbfs(const Source& source, const MaskMap& map, std::int64_t first,
                                      std::int64_t last, const JobControl& job = {});

}  // namespace rivlen
