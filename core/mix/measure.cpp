// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/measure.h"

#include <algorithm>

#include "core/metering/loudness.h"
#include "core/mix/track_reader.h"

namespace rivlen {

namespace {

constexpr std::int64_t kPiece = 4096;

// As it sounds in the layout of its track.
Result<Level> measured(ClipSourceReader& reader, const TimedMaskWeights* weight_sets, Layout layout,
                       std::int64_t first, std::int64_t frames, int sample_rate, const JobControl& job) {
    LoudnessMeter meter(sample_rate, layout);
    AudioBlock block(sample_rate, channels_of(layout));
    for (std::int64_t at = 0; at < frames; at += kPiece) {
        if (job.cancelled()) return JobControl::cancelled_error();
        block.resize(static_cast<std::size_t>(std::min(kPiece, frames - at)));
        reader.read(weight_sets, first + at, layout, block.view());
        meter.add(block);
        job.report(static_cast<double>(at) / static_cast<double>(frames));
    }
    return meter.result().integrated_lufs;
}

}  // namespace

Result<Level> clip_loudness_lufs(const MixPlan& plan, int clip, const JobControl& job) {
    if (const PlannedClip* planned = plan.clip(clip)) {
        const Clip& c = planned->clip;
        ClipSourceReader reader(planned->media, c.clip_source);
        return measured(reader, planned->weight_sets.get(), plan.timeline().track_of_clip(clip)->layout,
                        c.offset, c.length, plan.timeline().sample_rate, job);
    }
    return make_error(ErrorKind::NotFound, "The clip is no longer there. Choose it again.");
}

Result<Level> source_loudness_lufs(const std::shared_ptr<const Source>& source, std::int64_t frames,
                                   const JobControl& job) {
    ClipSourceReader reader({source, nullptr, source->sample_rate()}, ClipSource::Whole);
    return measured(reader, nullptr, Layout::Stereo, 0,
                    std::min(frames, static_cast<std::int64_t>(source->frames())), source->sample_rate(),
                    job);
}

}  // namespace rivlen
