// SPDX-License-Identifier: GPL-3.0-or-later
// A rebuild together with the sound that it refers to: what a mix engine plays. Made anew, whole, after every
// edit, and never changed, so that it can be handed to another thread.
#pragma once

#include <array>
#include <atomic>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <span>
#include <vector>

#include "core/effects/processor.h"
#include "core/effects/tap.h"
#include "core/media/source.h"
#include "core/mix/field_tap.h"
#include "core/mix/room_tone.h"
#include "core/project/session.h"
#include "core/separation/mask_map.h"

namespace rivlen {

struct MixMedia {
    std::shared_ptr<const Source> source;  // at the session rate; null: missing, silence
    std::shared_ptr<const MaskMap> map;    // null: not split; its stems are silent, Kept is the whole
    int recording_rate = 0;                // of the recording itself, in which its settings count time
};
using MixMediaSet = std::map<std::filesystem::path, MixMedia>;

// What meters read: written by the engine, emptied by who reads.
struct StripMeter {
    std::atomic<float> peak{0.0F};  // highest sample behind gain and place since it was last read, linear
    // The same of each channel that leaves.
    std::array<std::atomic<float>, kMostChannels> channel_peaks{};
    void take(const ChannelBlock& left);
    std::atomic<float> reduction_db{0.0F};  // lowest gain of ducking since it was last read
};

// A clip as it is heard: with the fades that its edges need (core/project/joints.h).
struct PlannedClip {
    Clip clip;
    MixMedia media;
    std::shared_ptr<const TimedMaskWeights> weight_sets;  // null for ClipSource::Whole
    std::shared_ptr<const RoomTone> room_tone;  // of clips that play it; null: none is known, silence
};

class MixPlan {
  public:
    // media: what has been loaded so far. Settings are looked up in the session's items.
    MixPlan(const Session& session, const MixMediaSet& media);

    [[nodiscard]] const Timeline& timeline() const { return timeline_; }
    // What a track plays, in order of start.
    [[nodiscard]] std::span<const PlannedClip> clips(std::size_t track) const { return clips_[track]; }
    // A clip by itself, as it lies on the timeline, muted or not; null where there is none.
    [[nodiscard]] const PlannedClip* clip(int id) const;
    // By the id of a track or bus and by the id of a chain's part; null where there is none.
    [[nodiscard]] StripMeter* meter(int strip_id) const;
    [[nodiscard]] std::atomic<float>* reduction(int part_id) const;
    // One part may be heard otherwise than as its result (Chain::hear); id 0: none. It is how one listens,
    // not part of the session, and may be changed while the plan plays.
    void hear(int part_id, Chain::Audition what) const {
        heard_as_ = what;
        heard_part_ = part_id;
    }
    [[nodiscard]] Chain::Audition heard_as(int part_id) const {
        return part_id == heard_part_ ? heard_as_.load() : Chain::Audition::Result;
    }
    // Whose sound behind its chain goes to a tap; set before the plan is handed on.
    void tap(int strip_id, std::shared_ptr<Tap> tap) {
        tapped_strip_ = strip_id;
        tap_ = std::move(tap);
    }
    // What leaves a strip goes to a field tap, too; set before the plan is handed on.
    void tap_field(int strip_id, std::shared_ptr<FieldTap> tap) {
        field_strip_ = strip_id;
        field_tap_ = std::move(tap);
    }
    void watch_field(int strip_id, const ChannelBlock& left) const {
        if (strip_id == field_strip_ && field_tap_) field_tap_->write(left);
    }
    // A track's sound does not go to its bus, but for what it gives to the LFE and to sends: it is handed
    // over as it would be placed, with level and mute of track and main bus, block after block from where the
    // engine began. For rendering, by the thread that renders; set before the plan is handed on.
    using TakeObject = std::function<void(const ChannelBlock&)>;
    void divert(int track, TakeObject take) { diverted_[track] = std::move(take); }
    [[nodiscard]] const TakeObject* diverted(int track) const {
        const auto it = diverted_.find(track);
        return it != diverted_.end() ? &it->second : nullptr;
    }
    [[nodiscard]] Tap* tap_of(int strip_id) const { return strip_id == tapped_strip_ ? tap_.get() : nullptr; }
    // What a part takes out goes to a tap, too; set before the plan is handed on.
    void tap_removed(int part_id, std::shared_ptr<Tap> tap) { removed_[part_id] = std::move(tap); }
    [[nodiscard]] Tap* removed_tap_of(int part_id) const {
        const auto it = removed_.find(part_id);
        return it != removed_.end() ? it->second.get() : nullptr;
    }
    // Errors: Io when a working copy or a map was cut short while it was read. Any thread.
    [[nodiscard]] Status intact() const;
    // True when a strip is heard, by mute (without its line) and solo.
    [[nodiscard]] bool audible(const Track& track) const;

  private:
    class Planning;
    Timeline timeline_;
    std::vector<std::vector<PlannedClip>> clips_;
    std::map<int, PlannedClip> by_id_;
    std::map<int, std::unique_ptr<StripMeter>> meters_;
    std::map<int, std::unique_ptr<std::atomic<float>>> reductions_;
    mutable std::atomic<int> heard_part_{0};
    mutable std::atomic<Chain::Audition> heard_as_{Chain::Audition::Result};
    bool any_track_solo_ = false;
    int tapped_strip_ = 0;
    std::shared_ptr<Tap> tap_;
    int field_strip_ = 0;
    std::shared_ptr<FieldTap> field_tap_;
    std::map<int, std::shared_ptr<Tap>> removed_;
    std::map<int, TakeObject> diverted_;
};

// Settings of a recording, with times at another rate.
[[nodiscard]] TimedSettings at_rate(TimedSettings settings, int from_rate, int to_rate);

}  // namespace rivlen
