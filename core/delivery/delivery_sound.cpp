// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/delivery_sound.h"

#include <algorithm>
#include <array>
#include <atomic>
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

std::vector<std::string> channel_names(Content content, const HandoverRow& row) {
    const std::string label = label_of(content);
    if (row.mono()) return {label};
    const Layout layout = row.binaural ? Layout::Stereo : row.layout;
    std::vector<std::string> names;
    for (std::size_t c = 0; c < row.channels(); ++c) names.push_back(label + " " + channel_mark(layout, c));
    return names;
}

double true_peak_of(const LoudnessTimeline& course) {
    return course.loudness.true_peak_dbtp.value_or(-HUGE_VAL);
}

// Samples of equally long sounds, block by block; take gets one block of each.
template <typename Take>
Status side_by_side(std::span<const ScratchSound* const> sounds, const JobControl& job, Take take) {
    return sounds[0]->each(job, [&](std::int64_t at, const AudioBlock& first) -> Status {
        std::vector<AudioBlock> blocks = {first};
        for (const ScratchSound* sound : sounds.subspan(1)) {
            blocks.emplace_back(sound->sample_rate(), static_cast<std::size_t>(sound->channels()));
            const auto count = static_cast<std::int64_t>(first.frames());
            if (auto status = sound->read(at, count, blocks.back()); !status) return status;
        }
        return take(blocks);
    });
}

}  // namespace

Result<ScratchSound> SoundMaker::rendered(const HandoverRow& row, Content content,
                                          LoudnessTimelineMeter* meter) const {
    const Session session = session_for(plan_.session, content, row.card);
    const auto mix = std::make_shared<const MixPlan>(session, plan_.media);
    const std::size_t channels = channels_of(session.timeline.main_layout());
    auto out = ScratchSound::create(plan_.work, session.timeline.sample_rate, static_cast<int>(channels));
    if (!out) return out.error();
    const LoopRange range = range_of_row(plan_.session, row);
    // Kept and measured while the next is rendered.
    Status kept;
    std::atomic<bool> failed{false};
    BlocksInBackground keeping(session.timeline.sample_rate, channels, [&](const AudioBlock& block) {
        if (kept) kept = out->append(block);
        failed = !kept.ok();
        if (meter != nullptr) meter->add(block);
    });
    const Status status =
        render_mix(mix, range.first, range.last, quiet_, [&](std::int64_t, auto block) -> Status {
            keeping.add(block);
            return failed ? JobControl::cancelled_error() : Status();
        });
    keeping.finish();
    if (!kept) return kept.error();
    if (!status) return status.error();
    return out;
}

// Versions that differ only in what they are brought to have one mix.
Result<SoundMaker::SharedRendered> SoundMaker::mix_of(const HandoverRow& row) {
    return mixes_.get({row.card, row.loop_only}, [&]() -> Result<SharedRendered> {
        LoudnessTimelineMeter meter(plan_.session.timeline.sample_rate,
                                    static_cast<int>(channels_of(plan_.session.timeline.main_layout())));
        auto mix = rendered(row, Content::Mix, &meter);
        if (!mix) return mix.error();
        return std::make_shared<const Rendered>(Rendered{std::move(*mix), meter.finish()});
    });
}

Result<Level> SoundMaker::gated_lufs(const ScratchSound& sound, const LoudnessTimeline& course,
                                     const Version& version) const {
    if (!is_anchor(version.spoken.get())) return course.loudness.integrated_lufs;
    return spoken_lufs(sound, *version.spoken, quiet_);
}

Result<SoundMaker::Held> SoundMaker::held(const ScratchSound& sound, double ceiling_dbtp) const {
    auto limited_sound = limited(sound, ceiling_dbtp, plan_.work, quiet_);
    if (!limited_sound) return limited_sound.error();
    auto course = course_of(limited_sound->sound, quiet_);
    if (!course) return course.error();
    return Held{std::make_shared<const ScratchSound>(std::move(limited_sound->sound)), std::move(*course),
                limited_sound->highest_reduction_db, std::move(limited_sound->reduction_by_second)};
}

// The gain at which the mix comes out of its limiter as loud as the target. A limiter takes loudness away:
// what is missing is given again, a few times.
Status SoundMaker::reach(const LoudnessTarget& target, Version& version) const {
    const Rendered& mix = *version.programme;
    const auto missing_db = [&](const ScratchSound& sound, const LoudnessTimeline& course) -> Result<double> {
        const auto now = gated_lufs(sound, course, version);
        if (!now) return now.error();
        double missing = *now ? target.integrated_lufs - **now : 0;
        if (target.short_term_lufs && course.highest_short_term_lufs)
            missing = std::min(missing, *target.short_term_lufs - *course.highest_short_term_lufs);
        return missing;
    };
    const auto gain = missing_db(mix.sound, mix.course);
    if (!gain) return gain.error();
    version.gain_db = version.unlimited_gain_db = *gain;
    constexpr int kRounds = 4;
    constexpr double kNearEnoughDb = 0.05;
    for (int round = 0; round < kRounds; ++round) {
        if (true_peak_of(mix.course) + version.gain_db <= target.true_peak_dbtp) return {};
        const auto louder =
            converted(mix.sound, mix.sound.sample_rate(), false, version.gain_db, plan_.work, quiet_);
        if (!louder) return louder.error();
        auto made = held(*louder, target.true_peak_dbtp - kPeakMarginDb);
        if (!made) return made.error();
        version.held = std::move(*made);
        const auto missing = missing_db(*version.held->sound, version.held->course);
        if (!missing) return missing.error();
        if (round + 1 == kRounds || *missing < kNearEnoughDb) return {};
        version.gain_db += *missing;
    }
    return {};
}

// What the main bus has, in the channels of a row. Mono is the mean of two channels, as it was before there
// were more, and of a bed the mean of its fold-down to stereo.
Result<ScratchSound> SoundMaker::in_channels_of(const HandoverRow& row, const ScratchSound& sound) {
    const Layout from = plan_.session.timeline.main_layout();
    const ConversionSettings settings = plan_.session.timeline.conversion_settings();
    if (row.binaural) {
        const auto head = head_at(sound.sample_rate());
        if (!head) return head.error();
        const std::lock_guard lock(head_in_use_);  // a set of responses is read by one thread at a time
        return binaural(sound, from, **head, settings, plan_.work, quiet_);
    }
    if (row.mono()) {
        if (from == Layout::Stereo)
            return converted(sound, sound.sample_rate(), true, 0.0, plan_.work, quiet_);
        const auto stereo = mixed(sound, conversion(from, Layout::Stereo, settings), plan_.work, quiet_);
        if (!stereo) return stereo.error();
        return converted(*stereo, sound.sample_rate(), true, 0.0, plan_.work, quiet_);
    }
    if (row.layout == from) return sound.louder(0.0);
    return mixed(sound, conversion(from, row.layout, settings), plan_.work, quiet_);
}

Result<SoundMaker::SharedHead> SoundMaker::head_at(int sample_rate) {
    return heads_.get(sample_rate, [&]() -> Result<SharedHead> {
        auto head =
            HeadResponses::open(plan_.head.empty() ? HeadResponses::standard_set() : plan_.head, sample_rate);
        if (!head) return head.error();
        return std::make_shared<const HeadResponses>(std::move(*head));
    });
}

Result<SoundMaker::SharedVersion> SoundMaker::make_version(const HandoverRow& row) {
    auto version = std::make_shared<Version>();
    const auto mix = mix_of(row);
    if (!mix) return mix.error();
    version->programme = *mix;
    if (row.binaural || row.layout != plan_.session.timeline.main_layout()) {
        auto brought = in_channels_of(row, (*mix)->sound);
        if (!brought) return brought.error();
        auto course = course_of(*brought, quiet_);
        if (!course) return course.error();
        version->programme =
            std::make_shared<const Rendered>(Rendered{std::move(*brought), std::move(*course)});
    }
    const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
    if (target == nullptr) return SharedVersion(version);
    if (target->gate == LoudnessGate::Dialogue) {
        const auto voice = rendered(row, Content::Dialogue);
        if (!voice) return voice.error();
        auto spoken = find_spoken_parts(*voice, quiet_);
        if (!spoken) return spoken.error();
        version->spoken = std::make_shared<const SpokenParts>(std::move(*spoken));
    }
    if (auto status = reach(*target, *version); !status) return status.error();
    return SharedVersion(version);
}

Result<SoundMaker::SharedVersion> SoundMaker::version_of(const HandoverRow& row) {
    return versions_.get(version_key(row), [&] { return make_version(row); });
}

Result<ScratchSound> SoundMaker::stem(const HandoverRow& row, Content content, const Version& version) {
    const auto own = rendered(row, content);
    if (!own) return own.error();
    const auto brought = in_channels_of(row, *own);
    if (!brought) return brought.error();
    return converted(*brought, rate_of_row(plan_.session, row), false, version.gain_db, plan_.work, quiet_);
}

// The stems side by side, two channels each (one when mono), with the gain of their version.
Result<MadeSound> SoundMaker::make_poly(const HandoverRow& row, const Version& version) {
    std::vector<ScratchSound> stems;
    MadeSound out;
    for (const Content content : kStemContents) {
        auto made = stem(row, content, version);
        if (!made) return made.error();
        stems.push_back(std::move(*made));
        std::ranges::move(channel_names(content, row), std::back_inserter(out.track_names));
    }
    auto all = ScratchSound::create(plan_.work, stems[0].sample_rate(),
                                    static_cast<int>(stems.size()) * stems[0].channels());
    if (!all) return all.error();
    std::array<const ScratchSound*, kStemContents.size()> every{};
    std::ranges::transform(stems, every.begin(), [](const ScratchSound& s) { return &s; });
    const Status status = side_by_side(every, quiet_, [&](std::vector<AudioBlock>& blocks) {
        std::vector<std::vector<float>> joined;
        for (AudioBlock& block : blocks) std::ranges::move(block.take(), std::back_inserter(joined));
        return all->append(joined);
    });
    if (!status) return status.error();
    auto course = course_of(*all, quiet_);
    if (!course) return course.error();
    out.course = peaks_alone(std::move(*course));
    out.sound = std::make_shared<const ScratchSound>(std::move(*all));
    out.gain_db = version.gain_db;
    return out;
}

Result<MadeSound> SoundMaker::make_mix(const HandoverRow& row, const Version& version) const {
    const Rendered& mix = *version.programme;
    const int rate = rate_of_row(plan_.session, row);
    const bool overshoots = codes_with_loss(plan_.session, row);
    MadeSound out{{}, {}, channel_names(row.content, row), {}, version.gain_db, 0, {}, version.spoken};
    std::optional<Held> held_here = version.held;
    if (!version.held || rate != mix.sound.sample_rate() || overshoots) {
        held_here.reset();
        auto made = converted(mix.sound, rate, false, version.gain_db, plan_.work, quiet_);
        if (!made) return made.error();
        if (rate == mix.sound.sample_rate()) {
            out.course = shifted(mix.course, version.gain_db);
        } else {
            auto course = course_of(*made, quiet_);
            if (!course) return course.error();
            out.course = std::move(*course);
        }
        const LoudnessTarget* target = find_target(plan_.table.targets, row.target);
        const double ceiling_dbtp =
            target == nullptr ? HUGE_VAL : target->true_peak_dbtp - (overshoots ? kCodingMarginDb : 0);
        if (true_peak_of(out.course) > ceiling_dbtp) {
            auto now = held(*made, ceiling_dbtp - (overshoots ? 0 : kPeakMarginDb));
            if (!now) return now.error();
            held_here = std::move(*now);
        }
        out.sound = std::make_shared<const ScratchSound>(std::move(*made));
    }
    if (held_here) {
        out.sound = held_here->sound;
        out.course = std::move(held_here->course);
        out.limited_db = held_here->limited_db;
        out.reduction_by_second = std::move(held_here->reduction_by_second);
    }
    return out;
}

namespace {

// What diverted tracks hand over, channel by channel, until as much of the bed is there. Their pieces come
// before the bed's.
class ObjectSound {
  public:
    ObjectSound(MixPlan& plan, const std::vector<SoundObject>& objects, int sample_rate) {
        for (const auto& object : objects) {
            auto waiting = std::make_shared<AudioBlock>(sample_rate, object.sides.size());
            plan.divert(object.track, [waiting](const ChannelBlock& piece) {
                const std::size_t had = waiting->frames();
                waiting->resize(had + piece.frames());
                for (std::size_t c = 0; c < piece.size(); ++c)
                    std::ranges::copy(piece[c], (*waiting)[c].begin() + static_cast<std::ptrdiff_t>(had));
            });
            waiting_.push_back(std::move(waiting));
        }
    }
    // The next frames, behind the channels that are there.
    void append_to(std::vector<std::vector<float>>& channels, std::size_t frames) {
        for (const auto& waiting : waiting_) {
            for (std::size_t c = 0; c < waiting->channels(); ++c) {
                const auto from = (*waiting)[c].first(frames);
                channels.emplace_back(from.begin(), from.end());
            }
            waiting->drop_front(frames);
        }
    }

  private:
    std::vector<std::shared_ptr<AudioBlock>> waiting_;
};

}  // namespace

// The bed without the tracks that are objects, and behind it these. Not limited, as a limiter of the whole
// cannot act on what is put together later only.
Result<MadeSound> SoundMaker::make_objects(const HandoverRow& row, const Version& version) {
    const Session session = session_for(plan_.session, row.content, row.card);
    const LoopRange range = range_of_row(plan_.session, row);
    const int rate = session.timeline.sample_rate;
    MadeSound out;
    out.objects = sound_objects(session.timeline, range.first, range.last);
    const auto mix = std::make_shared<MixPlan>(session, plan_.media);
    ObjectSound objects(*mix, out.objects, rate);
    const ChannelMatrix to_bed =
        conversion(session.timeline.main_layout(), row.layout, session.timeline.conversion_settings());
    auto all = ScratchSound::create(plan_.work, rate,
                                    static_cast<int>(row.channels() + object_channels(plan_.session, row)));
    if (!all) return all.error();
    const Status status =
        render_mix(mix, range.first, range.last, quiet_, [&](std::int64_t, AudioBlock block) {
            AudioBlock bed(rate, row.channels(), block.frames());
            to_bed.apply(block.view(), bed.view());
            std::vector<std::vector<float>> channels = bed.take();
            objects.append_to(channels, block.frames());
            return all->append(channels);
        });
    if (!status) return status.error();
    out.gain_db = version.unlimited_gain_db;
    auto made = converted(*all, rate_of_row(plan_.session, row), false, out.gain_db, plan_.work, quiet_);
    if (!made) return made.error();
    float peak = 0;  // of bed and objects, which the file holds; the rest is of what they are together
    const Status looked = made->each(quiet_, [&](std::int64_t, const AudioBlock& block) -> Status {
        for (std::size_t c = 0; c < block.channels(); ++c) {
            for (const float x : block[c]) peak = std::max(peak, std::abs(x));
        }
        return {};
    });
    if (!looked) return looked.error();
    out.course = shifted(version.programme->course, out.gain_db);
    out.course.loudness.sample_peak_dbfs =
        peak > 0 ? Level(db_of_amplitude(static_cast<double>(peak))) : Level();
    out.sound = std::make_shared<const ScratchSound>(std::move(*made));
    out.track_names = channel_names(row.content, row);
    for (const auto& object : out.objects) {
        for (std::size_t side = 0; side < object.sides.size(); ++side) out.track_names.push_back(object.name);
    }
    out.spoken = version.spoken;
    return out;
}

// A stem or several. Never limited: it is to add up.
Result<MadeSound> SoundMaker::make_part(const HandoverRow& row, const Version& version) {
    auto made = stem(row, row.content, version);
    if (!made) return made.error();
    auto course = course_of(*made, quiet_);
    if (!course) return course.error();
    return MadeSound{std::make_shared<const ScratchSound>(std::move(*made)),
                     std::move(*course),
                     channel_names(row.content, row),
                     {},
                     version.gain_db,
                     0,
                     {},
                     {}};
}

// The mix less its stems.
Result<MadeSound> SoundMaker::make_difference(const HandoverRow& row, const Version& version) {
    HandoverRow mix_row = row;
    mix_row.content = Content::Mix;
    auto out = make_mix(mix_row, version);
    if (!out) return out.error();
    SharedSound rest = out->sound;
    for (const Content content : kStemContents) {
        const auto part = stem(row, content, version);
        if (!part) return part.error();
        auto less = ScratchSound::create(plan_.work, rest->sample_rate(), rest->channels());
        if (!less) return less.error();
        const std::array<const ScratchSound*, 2> both = {rest.get(), &*part};
        const Status status = side_by_side(both, quiet_, [&](std::vector<AudioBlock>& blocks) {
            for (std::size_t c = 0; c < blocks[0].channels(); ++c) {
                for (std::size_t i = 0; i < blocks[0].frames(); ++i) blocks[0][c][i] -= blocks[1][c][i];
            }
            return less->append(blocks[0]);
        });
        if (!status) return status.error();
        rest = std::make_shared<const ScratchSound>(std::move(*less));
    }
    auto course = course_of(*rest, quiet_);
    if (!course) return course.error();
    out->sound = std::move(rest);
    out->course = std::move(*course);
    out->track_names = channel_names(row.content, row);
    out->spoken.reset();
    return out;
}

Result<SharedSound> SoundMaker::before_limiter(const HandoverRow& row) {
    const auto version = version_of(row);
    if (!version) return version.error();
    auto made = converted((*version)->programme->sound, rate_of_row(plan_.session, row), false,
                          (*version)->gain_db, plan_.work, quiet_);
    if (!made) return made.error();
    return std::make_shared<const ScratchSound>(std::move(*made));
}

Result<MadeSound> SoundMaker::make(const HandoverRow& row) {
    const auto version = version_of(row);
    if (!version) return version.error();
    if (row.objects) return make_objects(row, **version);
    if (row.content == Content::Mix) return make_mix(row, **version);
    if (row.content == Content::Stems) return make_poly(row, **version);
    if (row.content == Content::Limiter) return make_difference(row, **version);
    return make_part(row, **version);
}

}  // namespace rivlen
