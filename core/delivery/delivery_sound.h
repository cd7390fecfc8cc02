// SPDX-License-Identifier: GPL-3.0-or-later
// The sound of a row: rendered, brought to its target. Used by deliver().
#pragma once

#include <future>
#include <map>
#include <memory>
#include <mutex>

#include "core/delivery/deliver.h"
#include "core/delivery/delivery_rows.h"

namespace rivlen {

struct MadeSound {
    ScratchSound sound;
    LoudnessTimeline course;  // of the sound; of a version's mix where stems lie side by side
    std::vector<std::string> track_names;
    double gain_db = 0, limited_db = 0;
};

class SoundMaker {
  public:
    // Both must outlive it.
    SoundMaker(const DeliveryPlan& plan, const JobControl& job) : plan_(plan), job_(job) {}
    // May be called by several threads at once. Errors: Io, DiskFull, Cancelled, those of rendering.
    [[nodiscard]] Result<MadeSound> make(const HandoverRow& row);

  private:
    // What rows of one version share: the gain that brings their mix to the target.
    struct Version {
        std::shared_ptr<const ScratchSound> mix;
        LoudnessTimeline course;  // of the mix, before the gain
        Level gated_lufs;
        double gain_db = 0;
    };
    using VersionResult = Result<std::shared_ptr<const Version>>;
    VersionResult version_of(const HandoverRow& row);
    VersionResult make_version(const HandoverRow& row);
    // With a meter, it is measured while it is rendered.
    Result<ScratchSound> rendered(const HandoverRow& row, Content content,
                                  LoudnessTimelineMeter* meter = nullptr) const;
    Result<Level> dialogue_lufs(const HandoverRow& row, const ScratchSound& mix) const;
    Result<MadeSound> make_poly(const HandoverRow& row, const Version& version) const;
    Result<MadeSound> make_one(const HandoverRow& row, const Version& version) const;

    const DeliveryPlan& plan_;
    const JobControl& job_;
    std::mutex versions_lock_;
    std::map<VersionKey, std::shared_future<VersionResult>> versions_;
};

}  // namespace rivlen
