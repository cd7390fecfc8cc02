// SPDX-License-Identifier: GPL-3.0-or-later
// Tracks to buses to the main bus, as a stream. Each strip works in its own layout, and leaves in that of the
// bus that it goes to. Playback and offline rendering are this same engine, so they give the same samples,
// bit for bit. Nothing is late: a strip whose chain looks ahead is read that much earlier.
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
#include "core/mix/fader.h"
#include "core/mix/placing_stage.h"
#include "core/mix/plan.h"
#include "core/mix/track_reader.h"

namespace rivlen {

class MixEngine {
  public:
    explicit MixEngine(std::shared_ptr<const MixPlan> plan);
    // Another state of the rebuild, from the next block on. Changes of values glide; where tracks, buses or
    // parts of chains came or went, the engine starts anew at its position (true).
    bool set_plan(std::shared_ptr<const MixPlan> plan);
    [[nodiscard]] const MixPlan& plan() const { return *plan_; }
    void seek(std::int64_t frame);
    [[nodiscard]] std::int64_t position() const { return position_; }
    [[nodiscard]] Layout layout() const { return plan_->timeline().main_layout(); }
    // The next frames of the main bus, in its layout.
    void next(ChannelBlock out);

  private:
    static constexpr std::size_t kPiece = 256;     // frames that chains are given at once
    static constexpr std::int64_t kLineGrid = 64;  // frames between two settings of a chain by its lines
    // One way out of a track or bus: what has left it last. Who reads it may be behind by what chains look
    // ahead.
    struct Output {
        std::vector<std::vector<float>> ring;  // a power of two long
        void write(std::int64_t frame, const ChannelBlock& block);
        void read(std::int64_t frame, const ChannelBlock& block) const;
    };
    struct Feed {
        std::size_t lane = 0, output = 0;
    };
    // How what has passed chain and ducking leaves: from stereo to stereo by a fader, else by placing.
    struct WayOut {
        std::optional<FaderStage> fader;
        std::optional<PlacingStage> placing;
    };
    // Before the fader it has the strip's layout, behind it that of what the strip goes to; it is brought to
    // that of its bus.
    struct SendOut {
        SendStage level;
        std::optional<ChannelMatrix> conversion;  // none where they are the same
        std::vector<std::vector<float>> sent, brought;
    };
    // What a diverted track (MixPlan::divert) hands over.
    struct ObjectOut {
        PlacingStage own, main;  // level and mute of the track and of the main bus
        std::vector<std::vector<float>> levelled, handed_over;
    };
    struct Lane {
        int id = 0;
        bool is_bus = false;
        std::size_t place = 0;     // in the plan's tracks or buses
        std::vector<Feed> inputs;  // that go into this bus
        std::unique_ptr<Chain> chain;
        TrackReader reader;
        DuckLine duck;
        WayOut way_out;
        std::optional<ObjectOut> object;
        std::vector<SendOut> sends;
        std::vector<Output> outputs;  // behind the fader, then the sends
        bool begun = false;           // since the last seek
        std::int64_t in_frame = 0;    // that the chain gets next
        std::int64_t out_frame = 0;   // that leaves next
        std::int64_t discard = 0;     // frames of the chain's run-in that are still to come
        std::vector<std::vector<float>> piece, input, placed;  // placed: in the layout that it leaves in
    };
    void build();
    void add_lane(int id, bool is_bus, std::size_t place, const Strip& strip);
    void connect_lanes();
    [[nodiscard]] const Strip& strip(const Lane& lane) const;
    [[nodiscard]] bool audible(const Lane& lane) const;
    void pull(Feed feed, std::int64_t frame, const ChannelBlock& out);
    void begin(Lane& lane);
    void produce(Lane& lane);
    void fill(Lane& lane, const ChannelBlock& piece);
    void leave(Lane& lane, const ChannelBlock& piece);
    void hand_over(Lane& lane, const ChannelBlock& piece);
    void send(Lane& lane, bool before_fader, const ChannelBlock& piece);
    void run_chain(Lane& lane, const ChannelBlock& block);
    std::shared_ptr<const MixPlan> plan_;
    std::vector<Lane> lanes_;  // inputs before the buses that they go to; the last is the main bus
    std::int64_t position_ = 0, begins_at_ = 0;
};

// [first, last) of the mix in blocks: take(start_frame, channels of the main bus). Errors: Cancelled, and
// whatever `take` returns.
using TakeMix = std::function<Status(std::int64_t, const AudioBlock&)>;
[[nodiscard]] Status render_mix(const std::shared_ptr<const MixPlan>& plan, std::int64_t first,
                                std::int64_t last, const JobControl& job, const TakeMix& take);

}  // namespace rivlen
