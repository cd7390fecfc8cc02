// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/plan.h"

#include <algorithm>
#include <cmath>

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

MixPlan::MixPlan(const Session& session, const MixMediaSet& media) : rebuild_(session.timeline) {
    std::map<std::pair<std::filesystem::path, int>, std::shared_ptr<const TimedMaskWeights>> weight_sets;
    const auto weights_for = [&](const std::filesystem::path& path, int card) {
        auto& made = weight_sets[{path, card}];
        if (made) return made;
        const auto item = std::ranges::find(session.items, path, &SessionItem::path);
        const auto loaded = media.find(path);
        TimedSettings settings;
        if (item != session.items.end()) {
            const auto slot = static_cast<std::size_t>(std::max(card, 0));
            settings = card >= 0 && slot < kCards && item->cards[slot]
                           ? TimedSettings(item->cards[slot]->settings)
                           : at_rate(item->timed(), loaded != media.end() ? loaded->second.recording_rate : 0,
                                     rebuild_.sample_rate);
        }
        made = std::make_shared<const TimedMaskWeights>(std::move(settings));
        return made;
    };
    for (const auto& track : rebuild_.tracks) {
        auto& list = clips_.emplace_back();
        for (const auto& clip : track.clips) {
            PlannedClip planned;
            if (const auto found = media.find(clip.path); found != media.end()) planned.media = found->second;
            if (clip.clip_source != ClipSource::Whole)
                planned.weight_sets =
                    weights_for(clip.path, clip.card == kTrackSettings ? track.card : clip.card);
            list.push_back(std::move(planned));
        }
        any_track_solo_ = any_track_solo_ || track.strip.solo;
    }
    const auto add_strip = [&](int id, const Strip& strip) {
        meters_.emplace(id, std::make_unique<StripMeter>());
        for (const auto& part : strip.chain)
            reductions_.emplace(part.id, std::make_unique<std::atomic<float>>(0.0F));
    };
    for (const auto& track : rebuild_.tracks) add_strip(track.id, track.strip);
    for (const auto& bus : rebuild_.buses) add_strip(bus.id, bus.strip);
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
    const auto bus = std::ranges::find(rebuild_.buses, track.bus, &Bus::id);
    const bool bus_solo = bus != rebuild_.buses.end() && bus->strip.solo;
    const bool any_bus_solo = std::ranges::any_of(rebuild_.buses, [](const Bus& b) { return b.strip.solo; });
    if (any_track_solo_ && !track.strip.solo) return false;
    return !any_bus_solo || bus_solo || track.strip.solo;
}

Status MixPlan::intact() const {
    for (const auto& track : clips_) {
        for (const auto& planned : track) {
            if (planned.media.source) {
                if (auto status = planned.media.source->intact(); !status) return status;
            }
            if (planned.media.map) {
                if (auto status = planned.media.map->intact(); !status) return status;
            }
        }
    }
    return {};
}

}  // namespace rivlen
