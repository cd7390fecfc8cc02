// SPDX-License-Identifier: GPL-3.0-or-later
// Loudness and peaks by libebur128 (ITU-R BS.1770-5, for one and two channels the same as
// BS.1770-4; EBU Tech 3341 and 3342), true peaks of whole sounds by
// core/dsp/true_peak.h.
#pragma once

#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/metering/level.h"
#include "core/space/layout.h"

namespace rivlen {

struct Loudness {
    Level integrated_lufs;  // missing when nothing passes the gate
    double range_lu = 0;
    Level sample_peak_dbfs, true_peak_dbtp;  // missing for silence
};

class LoudnessMeter {
  public:
    // Running: the gated measures come from a histogram (0.1 LU wide), so that asking for them again and
    // again over hours stays cheap.
    // Quick: exact, but without true peaks, for where they are known (true_peak_dbtp is missing).
    enum class Kind { Exact, Running, Quick };
    // Channels of loudspeakers are weighted by where these stand (BS.1770-4, annex 1, table 3; LFE counts
    // nothing). Ambisonics are as loud as they sound on 7.1.4 (core/space/conversion.h); their peaks are
    // those of their own channels.
    LoudnessMeter(int sample_rate, Layout layout, Kind kind = Kind::Exact);
    // channels: 1 or 2, or in the layout that so many loudspeakers have; others count as front channels.
    LoudnessMeter(int sample_rate, int channels, Kind kind = Kind::Exact);
    LoudnessMeter(LoudnessMeter&&) noexcept;
    LoudnessMeter& operator=(LoudnessMeter&&) noexcept;
    ~LoudnessMeter();
    void add(std::span<const std::vector<float>> channels);  // planar, equal lengths
    [[nodiscard]] Loudness result() const;
    // Of one channel, as in result(); missing for silence, and where it is not measured.
    [[nodiscard]] Level true_peak_dbtp(std::size_t channel) const;
    // Of the last 400 ms and the last 3 s (EBU Tech 3341); missing for silence.
    [[nodiscard]] Level momentary_lufs() const;
    [[nodiscard]] Level short_term_lufs() const;
    // Weighted power of the last 100 ms, as BS.1770-4 sums it over channels: its mean over 400 ms and 3 s is
    // what the two above are levels of, for those that ask all along.
    [[nodiscard]] double weighted_power() const;
    // Level of a weighted power; missing below -120 LUFS.
    [[nodiscard]] static Level lufs_of(double power);

  private:
    LoudnessMeter(int sample_rate, std::optional<Layout> layout, int channels, Kind kind);
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
