// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/look.h"

#include "core/diagnosis/stretches.h"

#include <algorithm>

#include "core/mix/track_reader.h"

namespace rivlen {

namespace {

constexpr double kReadingShare = 0.1, kStemsShare = 0.4,
                 kRecordingShare = 0.7;  // of the time, when all are there

// One clip behind the other, without the gaps between them.
Result<AudioBlock> read_clips(const MixPlan& plan, std::size_t track, const JobControl& job) {
    constexpr std::size_t kBlock = 8192;
    const int rate = plan.timeline().sample_rate;
    std::int64_t length = 0;
    for (const auto& clip : plan.timeline().tracks[track].clips) length += clip.length;
    const auto wanted = stretches_to_look_at(length, rate);
    AudioBlock sound(rate, channels_of(plan.timeline().tracks[track].layout));
    TrackReader reader;
    std::int64_t before = 0;  // clips so far
    for (const auto& clip : plan.timeline().tracks[track].clips) {
        for (const auto& stretch : wanted) {
            const std::int64_t first = std::max(stretch.first, before);
            const std::int64_t last = std::min(stretch.last, before + clip.length);
            if (first >= last) continue;
            const std::size_t at = sound.frames();
            const auto count = static_cast<std::size_t>(last - first);
            sound.resize(at + count);
            for (std::size_t done = 0; done < count; done += kBlock) {
                if (job.cancelled()) return JobControl::cancelled_error();
                const std::size_t size = std::min(kBlock, count - done);
                reader.read(plan, track, clip.start + first - before + static_cast<std::int64_t>(done),
                            sound.view().subblock(at + done, size));
            }
            for (std::size_t c = 0; c < sound.channels(); ++c) fade_ends(sound[c].subspan(at), rate);
        }
        before += clip.length;
        job.report(kReadingShare * static_cast<double>(before) /
                   static_cast<double>(std::max<std::int64_t>(length, 1)));
    }
    return sound;
}

}  // namespace

Result<TrackLook> look_at_track(const MixPlan& plan, std::size_t track, const JobControl& job) {
    const Track& here = plan.timeline().tracks[track];
    if (here.clips.empty())
        return make_error(ErrorKind::BadInput, "There is nothing on \"{}\" to look at. Place a clip first.",
                          here.name);
    auto sound = read_clips(plan, track, job);
    if (!sound) return sound.error();
    const MixMedia& media = plan.clip(here.clips.front().id)->media;
    std::optional<StemLevels> stems;
    TrackLook out;
    if (media.source && media.map) {
        auto neutral = stem_levels(*media.source, *media.map, {}, job);
        if (!neutral) return neutral.error();
        job.report(kStemsShare);
        // A stem by itself is told by what it is, and beside what it was taken from.
        if (here.clips.front().clip_source == ClipSource::Whole) {
            stems = *neutral;
        } else {
            const auto recording = look_at(*media.source, nullptr, job);
            if (!recording) return recording.error();
            out.recording = recording->echo;
            out.recording->drr_db = (*neutral)[static_cast<std::size_t>(Stem::Dialogue)] -
                                    (*neutral)[static_cast<std::size_t>(Stem::Reverb)];
            job.report(kRecordingShare);
        }
    }
    out.look = look_at(*sound, plan.timeline().sample_rate, stems);
    return out;
}

namespace {

Result<AudioBlock> read_range(const MixPlan& plan, std::size_t track, LoopRange range,
                              const JobControl& job) {
    constexpr std::size_t kBlock = 8192;
    AudioBlock sound(plan.timeline().sample_rate, channels_of(plan.timeline().tracks[track].layout));
    sound.resize(static_cast<std::size_t>(range.last - range.first));
    TrackReader reader;
    for (std::size_t done = 0; done < sound.frames(); done += kBlock) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::size_t size = std::min(kBlock, sound.frames() - done);
        reader.read(plan, track, range.first + static_cast<std::int64_t>(done),
                    sound.view().subblock(done, size));
    }
    return sound;
}

}  // namespace

Result<NoisePrint> noise_before_part(const MixPlan& plan, std::size_t track, int part,
                                     std::optional<LoopRange> alone, const JobControl& job) {
    constexpr double kMostSeconds = 60;  // more says nothing more of what is steady
    const Track& here = plan.timeline().tracks[track];
    const int rate = plan.timeline().sample_rate;
    if (alone)
        alone->last = std::min(alone->last, alone->first + static_cast<std::int64_t>(kMostSeconds * rate));
    auto sound = alone ? read_range(plan, track, *alone, job) : read_clips(plan, track, job);
    if (!sound) return sound.error();
    const auto at = std::ranges::find(here.strip.chain, part, &Insert::id);
    Chain before({here.strip.chain.begin(), at}, rate, channels_of(here.layout));
    const auto late = static_cast<std::size_t>(before.latency());
    const std::size_t frames = sound->frames();
    sound->resize(frames + late);
    before.process(sound->view());
    AudioBlock reaching(rate, sound->channels());
    reaching.append(*sound, late, frames);
    const auto print = alone ? learn_noise_print(reaching) : find_noise_print(reaching);
    if (print) return *print;
    if (alone)
        return make_error(
            ErrorKind::BadInput,
            "Nothing sounds in the loop range on \"{}\". Set the loop where only the noise is heard.",
            here.name);
    return make_error(ErrorKind::BadInput,
                      "No noise was found in the pauses on \"{}\". Set a loop where only the noise is heard.",
                      here.name);
}

}  // namespace rivlen
