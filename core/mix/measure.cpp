#include "core/mix/measure.h"

#include <algorithm>

#include "core/assess/loudness.h"
#include "core/mix/track_reader.h"

namespace rivlen {

namespace {

constexpr std::int64_t kPiece = 4096;

Result<double> measured(FeedReader& reader, const TimedRecipes* recipes, std::int64_t first,
                        std::int64_t frames, int sample_rate, const JobControl& job) {
    LoudnessMeter meter(sample_rate, static_cast<int>(kMixChannels));
    std::vector<std::vector<float>> block(kMixChannels);
    for (std::int64_t at = 0; at < frames; at += kPiece) {
        if (job.cancelled()) return JobControl::cancelled_error();
        for (auto& channel : block) channel.resize(static_cast<std::size_t>(std::min(kPiece, frames - at)));
        reader.read(recipes, first + at, {block[0], block[1]});
        meter.add(block);
        job.report(static_cast<double>(at) / static_cast<double>(frames));
    }
    return meter.result().integrated_lufs;
}

}  // namespace

Result<double> clip_loudness_lufs(const MixPlan& plan, int clip, const JobControl& job) {
    const Rebuild& r = plan.rebuild();
    for (std::size_t t = 0; t < r.tracks.size(); ++t) {
        for (std::size_t i = 0; i < r.tracks[t].clips.size(); ++i) {
            const Clip& c = r.tracks[t].clips[i];
            if (c.id != clip) continue;
            const PlannedClip& planned = plan.clip(t, i);
            FeedReader reader(planned.media, c.feed);
            return measured(reader, planned.recipes.get(), c.offset, c.length, r.sample_rate, job);
        }
    }
    return make_error(ErrorKind::NotFound, "The clip is no longer there. Choose it again.");
}

Result<double> source_loudness_lufs(const std::shared_ptr<const Source>& source, std::int64_t frames,
                                    const JobControl& job) {
    FeedReader reader({source, nullptr, source->sample_rate()}, Feed::Whole);
    return measured(reader, nullptr, 0, std::min(frames, static_cast<std::int64_t>(source->frames())),
                    source->sample_rate(), job);
}

}  // namespace rivlen
