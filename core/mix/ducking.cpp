// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/ducking.h"

#include "core/project/silences.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {

constexpr double kFreezeToleranceDb = 0.2;
constexpr double kSilenceDbfs = -200.0;

std::int64_t steps_of(double ms, int sample_rate) {
    return std::llround(ms / 1000.0 * sample_rate / kDuckStep);
}
// Into places, which keeps its memory.
void find_keys(const MixPlan& plan, std::size_t track, std::vector<std::size_t>& places) {
    places.clear();
    const auto& tracks = plan.timeline().tracks;
    const Ducking& ducking = tracks[track].ducking;
    if (!ducking.acts()) return;
    for (std::size_t t = 0; t < tracks.size(); ++t) {
        if (ducking.has_key(tracks[t].id)) places.push_back(t);
    }
}

}  // namespace

DuckRule::DuckRule(const Ducking& d, int sample_rate)
    : depth_(d.value(DuckSetting::Depth)),
      talks_(Activity::of_talk(d.value(DuckSetting::Threshold), d.value(DuckSetting::Hysteresis),
                               static_cast<double>(sample_rate) / kDuckStep)) {
    const double step_ms = 1000.0 * kDuckStep / sample_rate;
    down_ = -depth_ * step_ms / std::max(d.value(DuckSetting::Attack), step_ms);
    up_ = -depth_ * step_ms / std::max(d.value(DuckSetting::Release), step_ms);
    hold_steps_ = steps_of(d.value(DuckSetting::Hold), sample_rate);
    look_steps_ = steps_of(d.value(DuckSetting::LookAhead), sample_rate);
    memory_steps_ =
        hold_steps_ +
        steps_of(1000 * Activity::kTalkSeconds + d.value(DuckSetting::Attack) + d.value(DuckSetting::Release),
                 sample_rate) +
        2;
}

double DuckRule::next(double key_db) {
    held_ = talks_.step(key_db) ? hold_steps_ + 1 : std::max<std::int64_t>(0, held_ - 1);
    gain_db_ = held_ > 0 ? std::max(depth_, gain_db_ - down_) : std::min(0.0, gain_db_ + up_);
    return gain_db_;
}

double KeyLevels::loudest_dbfs(const MixPlan& plan, std::span<const std::size_t> tracks, std::int64_t step) {
    while (readers_.size() < tracks.size()) readers_.emplace_back(TrackReader::Hears::Talk);
    double loudest = kSilenceDbfs;
    for (std::size_t k = 0; k < tracks.size(); ++k)
        loudest = std::max(loudest, level_dbfs(plan, tracks[k], step, readers_[k]));
    return loudest;
}

double KeyLevels::level_dbfs(const MixPlan& plan, std::size_t track, std::int64_t step, TrackReader& reader) {
    if (step < 0) return kSilenceDbfs;
    const std::size_t channels = channels_of(plan.timeline().tracks[track].layout);
    if (block_.size() < channels) block_.resize(channels, std::vector<float>(kDuckStep));
    const ChannelBlock block(std::span<std::vector<float>>(block_).first(channels), kDuckStep);
    reader.read(plan, track, step * kDuckStep, block);
    const double power = energy_of(block) / (static_cast<double>(channels) * kDuckStep);
    return power > 1e-20 ? 10.0 * std::log10(power) : kSilenceDbfs;
}

double DuckLine::gain_of_next_step(const MixPlan& plan) {
    ++step_;
    return rule_->next(levels_.loudest_dbfs(plan, keys_, step_ + rule_->look_steps()));
}

// The past that matters is gone through first, so that playing from anywhere gives what playing from the
// start gives.
void DuckLine::seek(const MixPlan& plan, std::size_t track, std::int64_t frame) {
    find_keys(plan, track, keys_);
    frame_ = frame;
    if (keys_.empty()) {
        rule_.reset();
        return;
    }
    with_ = plan.timeline().tracks[track].ducking;
    rule_.emplace(with_, plan.timeline().sample_rate);
    const std::int64_t now = frame / kDuckStep;
    step_ = std::max<std::int64_t>(-1, now - 2 * rule_->memory_steps());
    from_ = to_ = 0;
    while (step_ <= now) {
        from_ = to_;
        to_ = gain_of_next_step(plan);
    }
}

double DuckLine::apply(const MixPlan& plan, std::size_t track, const ChannelBlock& block) {
    find_keys(plan, track, keys_);
    const auto size = static_cast<std::int64_t>(block[0].size());
    if (keys_.empty()) {
        rule_.reset();
        frame_ += size;
        return 0;
    }
    if (!rule_ || !(with_ == plan.timeline().tracks[track].ducking)) {
        const double was = rule_ ? to_ : 0;
        seek(plan, track, frame_);
        if (rule_) from_ = was;  // a change of settings glides over one step
    }
    double lowest = 0;
    for (std::int64_t i = 0; i < size; ++i, ++frame_) {
        if (frame_ >= step_ * kDuckStep) {
            from_ = to_;
            to_ = gain_of_next_step(plan);
        }
        if (from_ == 0 && to_ == 0) continue;
        const double part = static_cast<double>(frame_ - (step_ - 1) * kDuckStep) / kDuckStep;
        const double gain_db = from_ + part * (to_ - from_);
        lowest = std::min(lowest, gain_db);
        const auto gain = static_cast<float>(amplitude_of_db(gain_db));
        for (auto& channel : block) channel[static_cast<std::size_t>(i)] *= gain;
    }
    return lowest;
}

std::vector<float> duck_gains(const Ducking& ducking, int sample_rate, std::span<const float> levels,
                              std::int64_t steps) {
    DuckRule rule(ducking, sample_rate);
    std::vector<float> out;
    out.reserve(static_cast<std::size_t>(steps));
    for (std::int64_t k = 0; k < steps; ++k) {
        const auto at = static_cast<std::size_t>(k + rule.look_steps());
        out.push_back(static_cast<float>(
            rule.next(at < levels.size() ? static_cast<double>(levels[at]) : kSilenceDbfs)));
    }
    return out;
}

Result<std::vector<float>> track_levels(const MixPlan& plan, std::size_t track, const JobControl& job) {
    std::int64_t end = 0;
    for (const auto& clip : plan.timeline().tracks[track].clips) end = std::max(end, clip.end());
    const std::int64_t steps = (end + kDuckStep - 1) / kDuckStep;
    KeyLevels levels;
    std::vector<float> out;
    out.reserve(static_cast<std::size_t>(steps));
    for (std::int64_t k = 0; k < steps; ++k) {
        if (job.cancelled()) return JobControl::cancelled_error();
        out.push_back(static_cast<float>(levels.loudest_dbfs(plan, std::span(&track, 1), k)));
        if (k % 256 == 0) job.report(static_cast<double>(k) / static_cast<double>(steps));
    }
    return out;
}

std::vector<int> likely_keys(const Timeline& timeline, int track) {
    auto keys = dialogue_tracks(timeline);
    std::erase(keys, track);
    return keys;
}

void freeze_ducking(Track& track, std::span<const float> gains_db) {
    const StripLane target{LaneTarget::Gain, 0, 0, {}};
    std::vector<Breakpoint> points;
    points.reserve(gains_db.size());
    for (std::size_t k = 0; k < gains_db.size(); ++k) {
        const auto frame = static_cast<std::int64_t>(k) * kDuckStep;
        points.push_back({frame, std::max(kLowestGainDb, value_at(track.strip, target, frame) +
                                                             static_cast<double>(gains_db[k]))});
    }
    track.ducking.on = false;
    const auto fewer = thinned(points, kFreezeToleranceDb);
    if (fewer.empty()) return;
    erase_points(track.strip, target, 0, points.back().frame + 1);
    for (const auto& point : fewer) put_point(track.strip, target, point);
}

}  // namespace rivlen
