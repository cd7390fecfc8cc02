// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/pulling.h"

#include <fmt/format.h>

#include <cmath>

#include "core/delivery/scratch_sound.h"
#include "core/delivery/written_sound.h"
#include "core/dsp/resample.h"
#include "core/mix/track_reader.h"
#include "core/project/editing.h"
#include "core/workflow/free_name.h"

namespace rivlen {

namespace {

constexpr double kThousandth = 1001.0 / 1000.0;
constexpr std::size_t kPulledBlock = 1 << 13;

double longer_by(Pull pull) {
    return pull == Pull::Down ? kThousandth : 1 / kThousandth;
}

SoundDescription description_of(const Timeline& timeline, const Clip& clip) {
    SoundDescription out;
    const double seconds =
        static_cast<double>(timeline.first_timecode_frame) / timeline.frame_rate.per_second() +
        static_cast<double>(clip.start) / timeline.sample_rate;
    out.description = clip.path.stem().string();
    out.time_reference_frames =
        static_cast<std::uint64_t>(std::max(0LL, std::llround(seconds * timeline.sample_rate)));
    out.timecode_rate = fmt::format("{}/{}", timeline.frame_rate.num, timeline.frame_rate.den);
    out.start_timecode =
        format_timecode(static_cast<std::int64_t>(std::llround(seconds * timeline.frame_rate.per_second())),
                        timeline.frame_rate, timeline.drop_frame);
    out.track_names = {"Left", "Right"};
    return out;
}

}  // namespace

std::int64_t pulled_frames(std::int64_t frames, Pull pull) {
    return std::llround(static_cast<double>(frames) * longer_by(pull));
}

std::filesystem::path pulled_name(const std::filesystem::path& folder, const std::filesystem::path& recording,
                                  Pull pull) {
    const std::string name =
        fmt::format("{} pulled {}", recording.stem().string(), pull == Pull::Down ? "down" : "up");
    return free_name(folder, name);
}

Result<std::int64_t> write_pulled(const MixPlan& plan, int clip_id, Pull pull,
                                  const std::filesystem::path& file, const std::filesystem::path& work_folder,
                                  const JobControl& job) {
    const PlannedClip* planned = plan.clip(clip_id);
    if (planned == nullptr || !planned->media.source)
        return make_error(ErrorKind::NotFound,
                          "The clip or its recording is no longer there. Choose another clip.");
    const Clip& clip = planned->clip;
    const int rate = plan.timeline().sample_rate;
    const Layout layout = plan.timeline().track_of_clip(clip_id)->layout;
    const std::size_t channels = channels_of(layout);
    auto sound = ScratchSound::create(work_folder, rate, static_cast<int>(channels));
    if (!sound) return sound.error();
    std::vector<Resampler> resamplers;
    for (std::size_t c = 0; c < channels; ++c) {
        auto made = Resampler::create(rate, rate * longer_by(pull), ResampleQuality::VeryHigh);
        if (!made) return made.error();
        resamplers.push_back(std::move(*made));
    }
    ClipSourceReader reader(planned->media, clip.clip_source);
    std::vector<std::vector<float>> in(channels), out(channels);
    for (std::int64_t done = 0; done < clip.length;) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const auto count = static_cast<std::size_t>(std::min<std::int64_t>(kPulledBlock, clip.length - done));
        for (auto& channel : in) channel.resize(count);
        reader.read(planned->weight_sets.get(), clip.offset + done, layout, ChannelBlock(in, count));
        done += static_cast<std::int64_t>(count);
        for (std::size_t c = 0; c < channels; ++c) {
            out[c].clear();
            resamplers[c].process(in[c], done == clip.length, out[c]);
        }
        if (const Status status = sound->append(out); !status) return status.error();
        job.report(0.8 * static_cast<double>(done) / static_cast<double>(clip.length));
    }
    if (const Status status = plan.intact(); !status) return status.error();
    std::error_code error;
    std::filesystem::create_directories(file.parent_path(), error);
    const Status written = write_sound(*sound, Container::Wav, Depth::Float32,
                                       description_of(plan.timeline(), clip), file, false, job);
    if (!written) return written.error();
    return sound->frames();
}

void take_pulled(Timeline& timeline, int clip_id, const std::filesystem::path& file, std::int64_t frames) {
    Clip* clip = timeline.clip(clip_id);
    if (clip == nullptr) return;
    clip->path = file;
    clip->clip_source = ClipSource::Whole;
    clip->room_tone = false;
    clip->offset = 0;
    clip->length = std::max<std::int64_t>(1, frames);
    clip->group = 0;  // what it was grouped with is as long as before
    normalise(timeline);
}

}  // namespace rivlen
