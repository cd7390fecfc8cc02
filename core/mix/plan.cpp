// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/plan.h"

#include <algorithm>
#include <cmath>

#include "core/project/joints.h"

namespace rivlen {

TimedSettings at_rate(TimedSettings settings, int from_rate, int to_rate) {
    if (from_rate == to_rate || from_rate <= 0) return settings;
    const auto scaled = [&](std::int64_t frames) {
        return static_cast<std::int64_t>(std::llround(static_cast<double>(frames) * to_rate / from_rate));
    };
    for (auto& line : settings.lines) {
        for (auto& point : line.points) point.frame = scaled(point.frame);
    }
    for (auto& range : settings.ranges) {
        range.first = scaled(range.first);
        range.last = scaled(range.last);
        range.fade_frames = scaled(range.fade_frames);
    }
    return settings;
}

namespace {

// Correlation of what two clips play over a hundredth of a second around their joint.
double likeness_of(const MixMediaSet& media, const Clip& earlier, const Clip& later) {
    const auto a = media.find(earlier.path);
    const auto b = media.find(later.path);
    if (a == media.end() || b == media.end() || !a->second.source || !b->second.source) return 0;
    if (earlier.room_tone || later.room_tone) return 0;
    const auto frames = static_cast<std::size_t>(a->second.source->sample_rate() / 100);
    std::vector<float> x(frames), y(frames);
    const auto half = static_cast<std::int64_t>(frames / 2);
    a->second.source->read(0, earlier.offset + earlier.length - half, x);
    b->second.source->read(0, later.offset - half, y);
    double xy = 0, xx = 0, yy = 0;
    for (std::size_t i = 0; i < frames; ++i) {
        xy += static_cast<double>(x[i]) * static_cast<double>(y[i]);
        xx += static_cast<double>(x[i]) * static_cast<double>(x[i]);
        yy += static_cast<double>(y[i]) * static_cast<double>(y[i]);
    }
    return xx > 0 && yy > 0 ? xy / std::sqrt(xx * yy) : 0;
}

}  // namespace

void StripMeter::take(const ChannelBlock& left) {
    float highest = 0;
    for (std::size_t c = 0; c < left.size(); ++c) {
        float of_channel = 0;
        for (const float x : left[c]) of_channel = std::max(of_channel, std::abs(x));
        auto& kept = channel_peaks[c];
        kept.store(std::max(kept.load(std::memory_order_relaxed), of_channel), std::memory_order_relaxed);
        highest = std::max(highest, of_channel);
    }
    peak.store(std::max(peak.load(std::memory_order_relaxed), highest), std::memory_order_relaxed);
}

// Looks up, once for all clips that share it, what clips need.
class MixPlan::Planning {
  public:
    Planning(const Session& session, const MixMediaSet& media) : session_(session), media_(media) {}

    PlannedClip plan(const Track& track, const Clip& clip) {
        PlannedClip planned;
        planned.clip = clip;
        if (const auto found = media_.find(clip.path); found != media_.end()) planned.media = found->second;
        planned.weight_sets = weights_for(clip.path, clip.card == kTrackSettings ? track.card : clip.card);
        if (clip.room_tone) planned.room_tone = room_tone_of(clip.path);
        return planned;
    }

  private:
    [[nodiscard]] const SessionItem* item(const std::filesystem::path& path) const {
        const auto found = std::ranges::find(session_.items, path, &SessionItem::path);
        return found != session_.items.end() ? &*found : nullptr;
    }
    [[nodiscard]] int recording_rate(const std::filesystem::path& path) const {
        const auto loaded = media_.find(path);
        return loaded != media_.end() ? loaded->second.recording_rate : 0;
    }
    const std::shared_ptr<const TimedMaskWeights>& weights_for(const std::filesystem::path& path, int card) {
        auto& made = weight_sets_[{path, card}];
        if (made) return made;
        const SessionItem* of = item(path);
        TimedSettings settings;
        if (of != nullptr) {
            const auto slot = static_cast<std::size_t>(std::max(card, 0));
            settings = card >= 0 && slot < kCards && of->cards[slot]
                           ? TimedSettings(of->cards[slot]->settings)
                           : at_rate(of->timed(), recording_rate(path), session_.timeline.sample_rate);
        }
        made = std::make_shared<const TimedMaskWeights>(std::move(settings));
        return made;
    }
    std::shared_ptr<const RoomTone> room_tone_of(const std::filesystem::path& path) {
        const SessionItem* of = item(path);
        const int from = recording_rate(path);
        const int to = session_.timeline.sample_rate;
        if (of == nullptr || of->room_tone.empty() || from <= 0) return nullptr;
        auto& made = room_tones_[path];
        if (made) return made;
        auto stretches = of->room_tone;
        for (auto& s : stretches) s = {s.first * to / from, s.last * to / from};
        const auto tone = std::make_shared<const RoomTone>(stretches, to);
        if (!tone->usable()) return nullptr;
        return made = tone;
    }

    const Session& session_;
    const MixMediaSet& media_;
    std::map<std::pair<std::filesystem::path, int>, std::shared_ptr<const TimedMaskWeights>> weight_sets_;
    std::map<std::filesystem::path, std::shared_ptr<const RoomTone>> room_tones_;
};

MixPlan::MixPlan(const Session& session, const MixMediaSet& media) : timeline_(session.timeline) {
    Planning planning(session, media);
    const MediaLength length = [&media](const std::filesystem::path& path) {
        const auto found = media.find(path);
        return found != media.end() && found->second.source
                   ? static_cast<std::int64_t>(found->second.source->frames())
                   : 0;
    };
    const auto likeness = [&media](const Clip& a, const Clip& b) { return likeness_of(media, a, b); };
    for (const auto& track : timeline_.tracks) {
        for (const auto& clip : track.clips) by_id_.emplace(clip.id, planning.plan(track, clip));
        auto& list = clips_.emplace_back();
        for (const auto& played : played_clips(timeline_, track, length, likeness))
            list.push_back(planning.plan(track, played.clip));
        any_track_solo_ = any_track_solo_ || track.strip.solo;
    }
    const auto add_strip = [&](int id, const Strip& strip) {
        meters_.emplace(id, std::make_unique<StripMeter>());
        for (const auto& part : strip.chain)
            reductions_.emplace(part.id, std::make_unique<std::atomic<float>>(0.0F));
    };
    for (const auto& track : timeline_.tracks) add_strip(track.id, track.strip);
    for (const auto& bus : timeline_.buses) add_strip(bus.id, bus.strip);
}

const PlannedClip* MixPlan::clip(int id) const {
    const auto found = by_id_.find(id);
    return found != by_id_.end() ? &found->second : nullptr;
}

StripMeter* MixPlan::meter(int strip_id) const {
    const auto found = meters_.find(strip_id);
    return found != meters_.end() ? found->second.get() : nullptr;
}

std::atomic<float>* MixPlan::reduction(int part_id) const {
    const auto found = reductions_.find(part_id);
    return found != reductions_.end() ? found->second.get() : nullptr;
}

bool MixPlan::audible(const Track& track) const {
    const auto bus = std::ranges::find(timeline_.buses, track.bus, &Bus::id);
    const bool bus_solo = bus != timeline_.buses.end() && bus->strip.solo;
    const bool any_bus_solo = std::ranges::any_of(timeline_.buses, [](const Bus& b) { return b.strip.solo; });
    if (any_track_solo_ && !track.strip.solo) return false;
    return !any_bus_solo || bus_solo || track.strip.solo;
}

Status MixPlan::intact() const {
    for (const auto& [id, planned] : by_id_) {
        if (planned.media.source) {
            if (auto status = planned.media.source->intact(); !status) return status;
        }
        if (planned.media.map) {
            if (auto status = planned.media.map->intact(); !status) return status;
        }
    }
    return {};
}

}  // namespace rivlen
