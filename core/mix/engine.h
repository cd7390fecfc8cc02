// SPDX-License-Identifier: GPL-3.0-or-later
// Tracks to buses to the main bus, as a stream. Playback and offline rendering are this same engine, so they
// give the same samples, bit for bit. Nothing is late: a strip whose chain looks ahead is read that much
// earlier.
#pragma once

#include <array>
#include <cstdint>
#include <functional>
#include <memory>
#include <vector>

#include "core/base/audio_block.h"
#include "core/base/job.h"
#include "core/effects/processor.h"
#include "core/mix/ducking.h"
#include "core/mix/plan.h"
#include "core/mix/track_reader.h"

namespace rivlen {

// Gain, pan and mute of a strip, with their lines, sample by sample.
//
// Pan is constant power: with angle a = (pan + 100) / 200 * pi / 2 the sides get sqrt(2) cos a and sqrt(2)
// sin a, so that a strip in the middle passes unchanged and stems in the middle add up to their source.
class FaderStage {
  public:
    explicit FaderStage(int sample_rate);
    // Jumps to what holds at a frame.
    void seek(const Strip& strip, bool audible, std::int64_t frame);
    void apply(const Strip& strip, bool audible, std::int64_t frame, StereoBlock block);

  private:
    static std::array<float, kMixChannels> gains(double gain_db, double pan_percent, bool polarity_inverted);
    std::array<float, kMixChannels> now_{};
    float open_ = 1;  // 0: muted
    float open_step_, glide_;
};

class MixEngine {
  public:
    explicit MixEngine(std::shared_ptr<const MixPlan> plan);
    // Another state of the rebuild, from the next block on. Changes of values glide; where tracks, buses or
    // parts of chains came or went, the engine starts anew at its position (true).
    bool set_plan(std::shared_ptr<const MixPlan> plan);
    [[nodiscard]] const MixPlan& plan() const { return *plan_; }
    void seek(std::int64_t frame);
    [[nodiscard]] std::int64_t position() const { return position_; }
    // The next frames of the main bus.
    void next(StereoBlock out);

  private:
    static constexpr std::size_t kPiece = 256;     // frames that chains are given at once
    static constexpr std::int64_t kLineGrid = 64;  // frames between two settings of a chain by its lines
    struct Lane {
        int id = 0;
        bool is_bus = false;
        std::size_t place = 0;            // in the plan's tracks or buses
        std::vector<std::size_t> inputs;  // lanes that go into this bus
        std::unique_ptr<Chain> chain;
        TrackReader reader;
        DuckLine duck;
        std::optional<FaderStage> fader;
        std::int64_t in_frame = 0;   // that the chain gets next
        std::int64_t out_frame = 0;  // that leaves next
        std::int64_t discard = 0;    // frames of the chain's run-in that are still to come
        std::array<std::vector<float>, kMixChannels> ready, piece, input;
        std::size_t ready_count = 0;
    };
    void build();
    [[nodiscard]] const Strip& strip(const Lane& lane) const;
    void pull(Lane& lane, std::int64_t frame, StereoBlock out);
    void run_chain(Lane& lane, StereoBlock block);
    std::shared_ptr<const MixPlan> plan_;
    std::vector<Lane> lanes_;  // inputs before the buses that they go to; the last is the main bus
    std::int64_t position_ = 0;
};

// [first, last) of the mix in blocks: take(start_frame, left and right). Errors: Cancelled, and whatever
// `take` returns.
using TakeMix = std::function<Status(std::int64_t, const AudioBlock&)>;
[[nodiscard]] Status render_mix(const std::shared_ptr<const MixPlan>& plan, std::int64_t first,
                                std::int64_t last, const JobControl& job, const TakeMix& take);

}  // namespace rivlen
