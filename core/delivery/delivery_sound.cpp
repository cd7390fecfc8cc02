// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_sound.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <iterator>
#include <optional>

#include "core/delivery/delivery_rows.h"
#include "core/dsp/decibels.h"
#include "core/mix/engine.h"

namespace rivlen {

namespace {

// The same sound louder: every level moves by as much.
LoudnessTimeline shifted(LoudnessTimeline course, double gain_db) {
    for (Level* level :
         {&course.loudness.integrated_lufs, &course.loudness.sample_peak_dbfs,
          &course.loudness.true_peak_dbtp, &course.highest_momentary_lufs, &course.highest_short_term_lufs})
        *level = raised(*level, gain_db);
    for (auto* line : {&course.short_term_lufs, &course.peak_dbfs}) {
        for (float& level : *line) {
            if (level > -119) level += static_cast<float>(gain_db);
        }
    }
    return course;
}

constexpr std::array kStemContents = {Content::Dialogue, Content::Reverb, Content::Music, Content::Ambience};

std::vector<std::string> channel_names(Content content, bool mono) {
    const std::string label = label_of(content);
    if (mono) return {label};
    return {label + " L", label + " R"};
}

}  // namespace

Result<ScratchSound> SoundMaker::rendered(const HandoverRow& row, Content content,
                                          LoudnessTimelineMeter* meter) const {
    const Session session = session_for(plan_.session, content, row.card);
    const auto mix = std::make_shared<const MixPlan>(session, plan_.media);
    auto out = ScratchSound::create(plan_.work, session.timeline.sample_rate, static_cast<int>(kMixChannels));
    if (!out) return out.error();
    const LoopRange range = range_of_row(plan_.session, row);
    MeasuredInBackground measuring(session.timeline.sample_rate, kMixChannels,
                                   [meter](const AudioBlock& block) { meter->add(block); });
    const Status status =
        render_mix(mix, range.first, range.last, {{}, job_.cancel}, [&](std::int64_t, auto block) {
            if (meter != nullptr) measuring.add(block);
            return out->append(block);
        });
    measuring.finish();
    if (!status) return status.error();
    return out;
}

// Of the mix, but only where somebody speaks: 400 ms with a dialogue stem within 25 dB of its loudest.
Result<Level> SoundMaker::dialogue_lufs(const HandoverRow& row, const ScratchSound& mix) const {
    const auto voice = rendered(row, Content::Dialogue);
    if (!voice) return voice.error();
    const std::int64_t step = mix.sample_rate() * 2 / 5;
    std::vector<double> levels;
    const JobControl quiet{{}, job_.cancel};
    Status status = voice->each(
        quiet,
        [&](std::int64_t, const AudioBlock& block) -> Status {
            double energy = 0;
            for (std::size_t c = 0; c < block.channels(); ++c) energy += energy_of(block[c]);
            levels.push_back(db_of_power(energy / static_cast<double>(2 * step)));
            return {};
        },
        step);
    if (!status) return status.error();
    if (levels.empty()) return Level();
    constexpr double kUnderLoudestDb = 25, kLeastDbfs = -55;
    const double edge = std::max(kLeastDbfs, *std::ranges::max_element(levels) - kUnderLoudestDb);
    LoudnessMeter meter(mix.sample_rate(), mix.channels(), LoudnessMeter::Kind::Quick);
    status = mix.each(
        quiet,
        [&](std::int64_t at, const AudioBlock& block) -> Status {
            if (levels[static_cast<std::size_t>(at / step)] >= edge) meter.add(block);
            return {};
        },
        step);
    if (!status) return status.error();
    return meter.result().integrated_lufs;
}

SoundMaker::VersionResult SoundMaker::make_version(const HandoverRow& row) {
    auto version = std::make_shared<Version>();
    LoudnessTimelineMeter meter(plan_.session.timeline.sample_rate, static_cast<int>(kMixChannels));
    auto mix = rendered(row, Content::Mix, &meter);
    if (!mix) return mix.error();
    version->mix = std::make_shared<const ScratchSound>(std::move(*mix));
    version->course = meter.finish();
    version->gated_lufs = version->course.loudness.integrated_lufs;
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    if (target == nullptr) return std::shared_ptr<const Version>(version);
    if (target->gate == LoudnessGate::Dialogue) {
        const auto spoken = dialogue_lufs(row, *version->mix);
        if (!spoken) return spoken.error();
        if (*spoken) version->gated_lufs = *spoken;
    }
    if (version->gated_lufs) version->gain_db = target->integrated_lufs - *version->gated_lufs;
    if (target->short_term_lufs && version->course.highest_short_term_lufs)
        version->gain_db =
            std::min(version->gain_db, *target->short_term_lufs - *version->course.highest_short_term_lufs);
    return std::shared_ptr<const Version>(version);
}

// Made by the first row that asks; the others wait for it.
SoundMaker::VersionResult SoundMaker::version_of(const HandoverRow& row) {
    const VersionKey key = version_key(row);
    std::promise<VersionResult> promise;
    std::shared_future<VersionResult> future;
    bool mine = false;
    {
        const std::lock_guard lock(versions_lock_);
        const auto found = versions_.find(key);
        mine = found == versions_.end();
        future = mine ? promise.get_future().share() : found->second;
        if (mine) versions_.emplace(key, future);
    }
    if (mine) promise.set_value(make_version(row));
    return future.get();
}

// The stems side by side, two channels each (one when mono), with the gain of their version.
Result<MadeSound> SoundMaker::make_poly(const HandoverRow& row, const Version& version) const {
    const JobControl quiet{{}, job_.cancel};
    const int rate = rate_of_row(plan_.session, row);
    std::vector<ScratchSound> stems;
    for (const Content content : kStemContents) {
        const auto own = rendered(row, content);
        if (!own) return own.error();
        auto made = converted(*own, rate, row.mono, version.gain_db, plan_.work, quiet);
        if (!made) return made.error();
        stems.push_back(std::move(*made));
    }
    auto all = ScratchSound::create(plan_.work, rate, static_cast<int>(stems.size()) * stems[0].channels());
    if (!all) return all.error();
    std::vector<std::vector<float>> joined;
    const Status status = stems[0].each(quiet, [&](std::int64_t at, const AudioBlock& first) -> Status {
        joined = AudioBlock(first).take();
        AudioBlock block(rate, first.channels());
        for (std::size_t s = 1; s < stems.size(); ++s) {
            if (auto done = stems[s].read(at, static_cast<std::int64_t>(first.frames()), block); !done)
                return done;
            std::ranges::move(block.take(), std::back_inserter(joined));
            block = AudioBlock(rate, first.channels());
        }
        return all->append(joined);
    });
    if (!status) return status.error();
    std::vector<std::string> names;
    for (const Content content : kStemContents)
        std::ranges::move(channel_names(content, row.mono), std::back_inserter(names));
    return MadeSound{std::move(*all), shifted(version.course, version.gain_db), std::move(names),
                     version.gain_db, 0};
}

Result<MadeSound> SoundMaker::make_one(const HandoverRow& row, const Version& version) const {
    const JobControl quiet{{}, job_.cancel};
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    std::shared_ptr<const ScratchSound> sound = version.mix;
    LoudnessTimeline before_gain = version.course;
    if (row.content != Content::Mix) {
        LoudnessTimelineMeter meter(plan_.session.timeline.sample_rate, static_cast<int>(kMixChannels));
        auto own = rendered(row, row.content, &meter);
        if (!own) return own.error();
        sound = std::make_shared<const ScratchSound>(std::move(*own));
        before_gain = meter.finish();
    }
    const int rate = rate_of_row(plan_.session, row);
    const bool limits = target != nullptr && row.content == Content::Mix;
    // A limiter takes loudness away: what is missing is given again, a few times.
    double gain_db = version.gain_db;
    double limited_db = 0;
    std::optional<ScratchSound> made;
    LoudnessTimeline course;
    constexpr int kRounds = 4;
    for (int round = 0; round < kRounds; ++round) {
        auto at_rate = converted(*sound, rate, row.mono, gain_db, plan_.work, quiet);
        if (!at_rate) return at_rate.error();
        made = std::move(*at_rate);
        if (rate == sound->sample_rate() && !row.mono) {
            course = shifted(before_gain, gain_db);
        } else {
            auto measured = course_of(*made, quiet);
            if (!measured) return measured.error();
            course = std::move(*measured);
        }
        limited_db = 0;
        if (!limits || course.loudness.true_peak_dbtp.value_or(-HUGE_VAL) <= target->true_peak_dbtp) break;
        // Coding adds overshoots of its own; common practice, no source.
        auto held = limited(*made, target->true_peak_dbtp - (is_coded(row.container) ? 1.0 : 0.1), limited_db,
                            plan_.work, quiet);
        if (!held) return held.error();
        made = std::move(*held);
        const Level before = course.loudness.integrated_lufs;
        auto measured = course_of(*made, quiet);
        if (!measured) return measured.error();
        course = std::move(*measured);
        const Level after = course.loudness.integrated_lufs;
        const double lost = before && after ? *before - *after : 0;
        if (row.mono || round + 1 == kRounds || lost < 0.1 || version.gain_db + lost - gain_db < 0.05) break;
        gain_db = version.gain_db + lost;
    }
    return MadeSound{std::move(*made), std::move(course), channel_names(row.content, row.mono), gain_db,
                     limited_db};
}

Result<MadeSound> SoundMaker::make(const HandoverRow& row) {
    const auto version = version_of(row);
    if (!version) return version.error();
    return row.content == Content::Stems ? make_poly(row, **version) : make_one(row, **version);
}

}  // namespace rivlen
