// SPDX-License-Identifier: GPL-3.0-or-later
// The clips of one track as one stream in the track's layout, before chain, gain and place.
#pragma once

#include <array>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <vector>

#include "core/effects/processor.h"
#include "core/mix/plan.h"
#include "core/space/conversion.h"

namespace rivlen {

// What a clip source gives of one recording, anywhere in it; reading on from where it was is cheap. What is
// read does not depend on what was read before.
class ClipSourceReader {
  public:
    ClipSourceReader(MixMedia media, ClipSource clip_source);
    ~ClipSourceReader();
    ClipSourceReader(const ClipSourceReader&) = delete;
    ClipSourceReader& operator=(const ClipSourceReader&) = delete;
    [[nodiscard]] bool fits(const MixMedia& media, ClipSource clip_source) const {
        return media.source == media_.source && media.map == media_.map && clip_source == clip_source_;
    }
    // weights may be null for ClipSource::Whole. out: channels of `layout`; a recording of another one is
    // brought to it, mono to every side of stereo and stereo to their mean in mono, as tracks had it before
    // there were others.
    void read(const TimedMaskWeights* weight_sets, std::int64_t frame, Layout layout,
              const ChannelBlock& out);

  private:
    void render_block(const TimedMaskWeights& weight_sets);
    void read_own(const TimedMaskWeights* weight_sets, std::int64_t frame, const ChannelBlock& out);
    void bring_to(Layout layout);
    MixMedia media_;
    ClipSource clip_source_;
    struct Shaping;  // made when it is first needed
    std::unique_ptr<Shaping> shaping_;
    std::optional<Layout> brought_to_;  // that the matrix is for
    ChannelMatrix matrix_;
    std::vector<std::vector<float>> own_;  // in the recording's layout
};

class TrackReader {
  public:
    // Talk: what is spoken, by itself: of a clip that plays a split recording or what is kept of it the
    // dialogue, and no room tone. Other clips as they sound.
    enum class Hears { All, Talk };
    explicit TrackReader(Hears hears = Hears::All) : hears_(hears) {}
    // Frames from `frame` on, of the track at this place in the plan; out: of as many channels as the track.
    void read(const MixPlan& plan, std::size_t track, std::int64_t frame, const ChannelBlock& out);

  private:
    struct Entry {
        int clip = 0;
        int voice = 0;  // of room tone, whose grains overlap, there are two
        std::uint64_t used = 0;
        std::unique_ptr<ClipSourceReader> reader;
    };
    ClipSourceReader& reader_for(const PlannedClip& planned, int voice);
    void read_clip(const PlannedClip& planned, std::int64_t frame, Layout layout, const ChannelBlock& out);
    void read_room_tone(const PlannedClip& planned, std::int64_t frame, Layout layout,
                        const ChannelBlock& out);
    [[nodiscard]] ClipSource heard(const PlannedClip& planned) const;
    Hears hears_;
    static constexpr std::size_t kMostReaders = 6;
    std::vector<Entry> readers_;
    std::uint64_t clock_ = 0;
    std::vector<std::vector<float>> piece_, grain_;  // as many channels as the track has
};

}  // namespace rivlen
