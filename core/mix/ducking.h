// SPDX-License-Identifier: GPL-3.0-or-later
// One track turned down by the level of others.
//
// The level is the RMS of what is spoken on a key track's clips (before its chain and gain) in steps of
// kDuckStep frames, over all channels; of several tracks the loudest. Spoken is the dialogue stem where a
// clip plays a split recording, or what is kept of it; room tone is not; a clip of another stem, or of a file
// as it is, counts as it sounds. While the level passes the threshold, until it falls by the hysteresis under
// it, and for `hold` after it, the gain moves to `depth`, evenly in dB, as fast as goes from 0 to depth in
// `attack`; else back to 0 dB, as fast as goes from depth to 0 in `release`. All of it is `look ahead` early.
// Evenly in dB because that is how ears and engineers count levels, and because such a line is drawn, and
// frozen into points, without loss. Ours; the standard values are common practice, no source.
#pragma once

#include <cstdint>
#include <functional>
#include <vector>

#include "core/base/job.h"
#include "core/dsp/activity.h"
#include "core/mix/track_reader.h"

namespace rivlen {

inline constexpr std::int64_t kDuckStep = 256;

// Level in dBFS of a step of the key, -200 for silence.
using KeyLevelAt = std::function<double(std::int64_t step)>;

// The rule alone: gain in dB, step after step.
class DuckRule {
  public:
    DuckRule(const Ducking& ducking, int sample_rate);
    // The next step's gain; `key_db`: the key's level at that step and the look-ahead later.
    double next(double key_db);
    [[nodiscard]] std::int64_t look_steps() const { return look_steps_; }
    // After this many steps from either end of its range the past is forgotten, whatever it was.
    [[nodiscard]] std::int64_t memory_steps() const { return memory_steps_; }

  private:
    double depth_, down_, up_;  // down_, up_: dB a step
    Activity talks_;
    std::int64_t hold_steps_, look_steps_, memory_steps_;
    std::int64_t held_ = 0;
    double gain_db_ = 0;
};

// Levels of what is spoken on tracks, step by step; reading on is cheap.
class KeyLevels {
  public:
    // tracks: the same ones at every call.
    double loudest_dbfs(const MixPlan& plan, std::span<const std::size_t> tracks, std::int64_t step);

  private:
    double level_dbfs(const MixPlan& plan, std::size_t track, std::int64_t step, TrackReader& reader);
    std::vector<TrackReader> readers_;
    std::vector<std::vector<float>> block_;  // as many channels as the widest track
};

// Gain of a ducked track as it is played, in dB between steps on a straight line.
class DuckLine {
  public:
    void seek(const MixPlan& plan, std::size_t track, std::int64_t frame);
    // Gains for frames from where it is; out is multiplied. Returns the lowest gain in dB.
    double apply(const MixPlan& plan, std::size_t track, const ChannelBlock& block);

  private:
    double gain_of_next_step(const MixPlan& plan);
    KeyLevels levels_;
    std::vector<std::size_t> keys_;
    std::optional<DuckRule> rule_;
    Ducking with_;
    std::int64_t frame_ = 0;  // next to be worked on
    std::int64_t step_ = 0;   // whose end gain `to_` is
    double from_ = 0, to_ = 0;
};

// The whole line at once: the gain at the start of every step of [0, last). Errors: Cancelled.
// levels: of the key from step 0 on.
[[nodiscard]] std::vector<float> duck_gains(const Ducking& ducking, int sample_rate,
                                            std::span<const float> levels, std::int64_t steps);
[[nodiscard]] Result<std::vector<float>> track_levels(const MixPlan& plan, std::size_t track,
                                                      const JobControl& job = {});

// The tracks that are likely to turn this one down: all others that carry dialogue.
[[nodiscard]] std::vector<int> likely_keys(const Timeline& timeline, int track);
// The ducking of a track as points of its gain line, within 0.2 dB; ducking is switched off.
void freeze_ducking(Track& track, std::span<const float> gains_db);

}  // namespace rivlen
