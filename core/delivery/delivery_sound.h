// SPDX-License-Identifier: GPL-3.0-or-later
// The sound of a row: rendered, brought to its target. Used by deliver().
#pragma once

#include <future>
#include <map>
#include <memory>
#include <mutex>

#include "core/delivery/deliver.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/spoken_parts.h"
#include "core/mix/sound_objects.h"

namespace rivlen {

using SharedSound = std::shared_ptr<const ScratchSound>;
using SharedParts = std::shared_ptr<const SpokenParts>;  // null: the target does not ask for speech

struct MadeSound {
    SharedSound sound;
    LoudnessTimeline course;  // of the sound; peaks alone where nobody hears its channels together
    std::vector<std::string> track_names;
    std::vector<SoundObject> objects;  // whose channels stand behind the bed's
    double gain_db = 0, limited_db = 0;
    std::vector<float> reduction_by_second;  // of the limiter, in dB; empty when it did not act
    SharedParts spoken;
};

// A value for each key, made by the first thread that asks; the others wait for it.
template <typename Key, typename Value>
class MadeOnce {
  public:
    template <typename Make>
    Value get(const Key& key, Make make) {
        std::promise<Value> promise;
        std::shared_future<Value> future;
        bool mine = false;
        {
            const std::lock_guard lock(lock_);
            const auto found = values_.find(key);
            mine = found == values_.end();
            future = mine ? promise.get_future().share() : found->second;
            if (mine) values_.emplace(key, future);
        }
        if (mine) {
            try {
                promise.set_value(make());
            } catch (...) {  // memory that runs out: whoever waits hears of it
                promise.set_exception(std::current_exception());
            }
        }
        return future.get();
    }

  private:
    std::mutex lock_;
    std::map<Key, std::shared_future<Value>> values_;
};

class SoundMaker {
  public:
    // Both must outlive it.
    SoundMaker(const DeliveryPlan& plan, const JobControl& job) : plan_(plan), job_(job) {}
    // May be called by several threads at once. Errors: Io, DiskFull, Cancelled, those of rendering.
    [[nodiscard]] Result<MadeSound> make(const HandoverRow& row);
    // The mix that the row's version has before its limiter, with its gain: the sum of its stems.
    [[nodiscard]] Result<SharedSound> before_limiter(const HandoverRow& row);

  private:
    struct Rendered {
        ScratchSound sound;
        LoudnessTimeline course;
    };
    using SharedRendered = std::shared_ptr<const Rendered>;
    struct Held {  // by the limiter
        SharedSound sound;
        LoudnessTimeline course;
        double limited_db = 0;
        std::vector<float> reduction_by_second;
    };
    // What rows of one version share: the gain that brings their mix to the target, through the limiter where
    // there must be one.
    struct Version {
        SharedRendered
            programme;  // the mix at the session's rate in the channels of the rows, before the gain
        SharedParts spoken;
        double gain_db = 0;
        double unlimited_gain_db = 0;  // that would do without a limiter
        std::optional<Held> held;      // the mix with the gain, at the session's rate
    };
    using SharedVersion = std::shared_ptr<const Version>;

    Result<SharedVersion> version_of(const HandoverRow& row);
    Result<SharedVersion> make_version(const HandoverRow& row);
    Result<SharedRendered> mix_of(const HandoverRow& row);
    Status reach(const LoudnessTarget& target, Version& version) const;
    Result<Level> gated_lufs(const ScratchSound& sound, const LoudnessTimeline& course,
                             const Version& version) const;
    // With a meter, it is measured while it is rendered.
    Result<ScratchSound> rendered(const HandoverRow& row, Content content,
                                  LoudnessTimelineMeter* meter = nullptr) const;
    Result<Held> held(const ScratchSound& sound, double ceiling_dbtp) const;
    // One of the four stems as its row has it, in so many channels.
    Result<ScratchSound> stem(const HandoverRow& row, Content content, const Version& version);
    using SharedHead = std::shared_ptr<const HeadResponses>;
    Result<SharedHead> head_at(int sample_rate);
    Result<ScratchSound> in_channels_of(const HandoverRow& row, const ScratchSound& sound);
    Result<MadeSound> make_poly(const HandoverRow& row, const Version& version);
    Result<MadeSound> make_mix(const HandoverRow& row, const Version& version) const;
    Result<MadeSound> make_objects(const HandoverRow& row, const Version& version);
    Result<MadeSound> make_part(const HandoverRow& row, const Version& version);
    Result<MadeSound> make_difference(const HandoverRow& row, const Version& version);

    const DeliveryPlan& plan_;
    const JobControl& job_;
    const JobControl quiet_{{}, job_.cancel};
    MadeOnce<std::pair<int, bool>, Result<SharedRendered>> mixes_;  // by card and loop only
    MadeOnce<VersionKey, Result<SharedVersion>> versions_;
    MadeOnce<int, Result<SharedHead>> heads_;  // by rate
    std::mutex head_in_use_;
};

}  // namespace rivlen
