// SPDX-License-Identifier: GPL-3.0-or-later
// The clips of one track as one stereo stream, before chain, gain and pan.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "core/effects/processor.h"
#include "core/mix/plan.h"

namespace rivlen {

// One feed of one recording, anywhere in it; reading on from where it was is cheap. What is read does not
// depend on what was read before.
class ClipSourceReader {
  public:
    ClipSourceReader(MixMedia media, ClipSource clip_source);
    ~ClipSourceReader();
    ClipSourceReader(const ClipSourceReader&) = delete;
    ClipSourceReader& operator=(const ClipSourceReader&) = delete;
    [[nodiscard]] bool fits(const MixMedia& media, ClipSource clip_source) const {
        return media.source == media_.source && media.map == media_.map && clip_source == clip_source_;
    }
    // weights may be null for ClipSource::Whole.
    void read(const TimedMaskWeights* weight_sets, std::int64_t frame, StereoBlock out);

  private:
    void render_block(const TimedMaskWeights& weight_sets);
    MixMedia media_;
    ClipSource clip_source_;
    struct Shaping;  // made when it is first needed
    std::unique_ptr<Shaping> shaping_;
};

class TrackReader {
  public:
    // Talk: what is spoken, by itself: of a clip that plays a split recording or what is kept of it the
    // dialogue, and no room tone. Other clips as they sound.
    enum class Hears { All, Talk };
    explicit TrackReader(Hears hears = Hears::All) : hears_(hears) {}
    // Frames from `frame` on, of the track at this place in the plan.
    void read(const MixPlan& plan, std::size_t track, std::int64_t frame, StereoBlock out);

  private:
    struct Entry {
        int clip = 0;
        int voice = 0;  // of room tone, whose grains overlap, there are two
        std::uint64_t used = 0;
        std::unique_ptr<ClipSourceReader> reader;
    };
    ClipSourceReader& reader_for(const PlannedClip& planned, int voice);
    void read_clip(const PlannedClip& planned, std::int64_t frame, StereoBlock out);
    void read_room_tone(const PlannedClip& planned, std::int64_t frame, StereoBlock out);
    [[nodiscard]] ClipSource heard(const PlannedClip& planned) const;
    Hears hears_;
    static constexpr std::size_t kMostReaders = 6;
    std::vector<Entry> readers_;
    std::uint64_t clock_ = 0;
    std::array<std::vector<float>, kMixChannels> piece_, grain_;
};

}  // namespace rivlen
