// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/replacing.h"

#include "core/mix/measure.h"
#include "core/project/editing.h"

namespace rivlen {

Result<double> gain_to_replace(const MixPlan& plan, int clip, const std::shared_ptr<const Source>& with,
                               const JobControl& job) {
    const Clip* old = plan.timeline().clip(clip);
    if (old == nullptr)
        return make_error(ErrorKind::NotFound, "The clip that was to be replaced is no longer there.");
    const auto before = clip_loudness_lufs(plan, clip, job);
    if (!before) return before.error();
    const auto after = source_loudness_lufs(with, old->length, job);
    if (!after) return after.error();
    if (before->value_or(kSilentLufs) <= kSilentLufs || after->value_or(kSilentLufs) <= kSilentLufs)
        return 0.0;
    return std::clamp(**before + old->gain_db - **after, -kLargestMatchDb, kLargestMatchDb);
}

void replace_by(Timeline& timeline, int clip, const std::filesystem::path& path, std::int64_t frames,
                double gain_db) {
    Placement placement;
    placement.path = path;
    placement.length = frames;
    replace_clip(timeline, clip, placement, gain_db, timeline.sample_rate / 20);
}

}  // namespace rivlen
