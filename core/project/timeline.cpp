// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/timeline.h"

#include <algorithm>
#include <cmath>
#include <numbers>

namespace rivlen {

std::optional<std::size_t> sound_of_clip_source(ClipSource clip_source) {
    if (clip_source < ClipSource::Dialogue) return std::nullopt;
    return static_cast<std::size_t>(clip_source) - static_cast<std::size_t>(ClipSource::Dialogue);
}

bool plays_music_part(ClipSource clip_source) {
    const auto sound = sound_of_clip_source(clip_source);
    return sound && is_music_part(*sound);
}

double fade_gain(FadeShape shape, double part) {
    part = std::clamp(part, 0.0, 1.0);
    switch (shape) {
        case FadeShape::Linear:
            return part;
        case FadeShape::EqualPower:
            return std::sin(part * std::numbers::pi / 2);
        case FadeShape::Smooth:
            return 0.5 - 0.5 * std::cos(part * std::numbers::pi);
    }
    return part;
}

const ParameterInfo& info(DuckSetting setting) {
    static constexpr std::array<ParameterInfo, kDuckSettings> kInfos = {
        {{"depth", "Depth", "dB", -40, 0, -12, 0.5, false, false,
          "How far this track is turned down under the other one.",
          "The music seems to vanish and to return."},
         {"threshold", "Threshold", "dBFS", -70, 0, -40, 1, false, false,
          "From which level of the other track on it is turned down.", "Too low: breaths turn it down, too."},
         {"attack", "Attack", "ms", 5, 2000, 200, 5, false, false, "Time from full level to full depth.",
          "Too long: the first word is covered."},
         {"hold", "Hold", "ms", 0, 5000, 500, 10, false, false,
          "How long it stays down after the other track has fallen silent.",
          "Too short: it comes up between words."},
         {"release", "Release", "ms", 20, 10000, 900, 10, false, false, "Time from full depth to full level.",
          "Too short: it jumps up behind every sentence."},
         {"look_ahead", "Look ahead", "ms", 0, 1000, 150, 5, false, false,
          "How much earlier it begins, so that it is down when the first word comes.",
          "Too long: a hole in front of every sentence."},
         {"hysteresis", "Hysteresis", "dB", 0, 20, 4, 0.5, false, false,
          "Once down, the other track counts as talking until it is this far under the threshold.",
          "Too much: it stays down over the place behind the words."}}};
    return kInfos[static_cast<std::size_t>(setting)];
}

Ducking::Ducking() : values{} {
    for (std::size_t i = 0; i < kDuckSettings; ++i) values[i] = info(static_cast<DuckSetting>(i)).standard;
}

std::int64_t Timeline::end() const {
    std::int64_t last = 0;
    for (const auto& t : tracks) {
        for (const auto& c : t.clips) last = std::max(last, c.end());
    }
    for (const auto& cut : picture) last = std::max(last, cut.end());
    return last;
}

const Track* Timeline::track(int id) const {
    const auto found = std::ranges::find(tracks, id, &Track::id);
    return found != tracks.end() ? &*found : nullptr;
}
Track* Timeline::track(int id) {
    return const_cast<Track*>(std::as_const(*this).track(id));  // NOLINT(*const-cast): same object
}

const Track* Timeline::track_of_clip(int clip_id) const {
    for (const auto& t : tracks) {
        if (std::ranges::find(t.clips, clip_id, &Clip::id) != t.clips.end()) return &t;
    }
    return nullptr;
}
Track* Timeline::track_of_clip(int clip_id) {
    return const_cast<Track*>(std::as_const(*this).track_of_clip(clip_id));  // NOLINT(*const-cast)
}

const Clip* Timeline::clip(int id) const {
    const Track* t = track_of_clip(id);
    return t != nullptr ? &*std::ranges::find(t->clips, id, &Clip::id) : nullptr;
}
Clip* Timeline::clip(int id) {
    return const_cast<Clip*>(std::as_const(*this).clip(id));  // NOLINT(*const-cast): same object
}

const Send* Strip::send_to(int bus) const {
    const auto found = std::ranges::find(sends, bus, &Send::bus);
    return found != sends.end() ? &*found : nullptr;
}

const Insert* Strip::part(int id) const {
    const auto found = std::ranges::find(chain, id, &Insert::id);
    return found != chain.end() ? &*found : nullptr;
}
Insert* Strip::part(int id) {
    return const_cast<Insert*>(std::as_const(*this).part(id));  // NOLINT(*const-cast): same object
}

Layout Timeline::layout_of(int id) const {
    if (const Track* t = track(id)) return t->layout;
    const auto found = std::ranges::find(buses, id, &Bus::id);
    return found != buses.end() ? found->layout : Layout::Stereo;
}

Layout Timeline::layout_behind(int id) const {
    if (const Track* t = track(id)) return layout_of(t->bus);
    const auto found = std::ranges::find(buses, id, &Bus::id);
    return found == buses.end() || found->bus == 0 ? layout_of(id) : layout_of(found->bus);
}

bool Timeline::is_placed(int id) const {
    return channels_of(layout_of(id)) <= 2 && channels_of(layout_behind(id)) > 2;
}

bool Timeline::has_pan(int id) const {
    return channels_of(layout_of(id)) <= 2 && layout_behind(id) == Layout::Stereo;
}

std::string Timeline::strip_name(int id) const {
    if (const Track* t = track(id)) return t->name;
    const auto found = std::ranges::find(buses, id, &Bus::id);
    return found != buses.end() ? found->name : std::string();
}

const Strip* Timeline::strip(int id) const {
    if (const Track* t = track(id)) return &t->strip;
    const auto found = std::ranges::find(buses, id, &Bus::id);
    return found != buses.end() ? &found->strip : nullptr;
}
Strip* Timeline::strip(int id) {
    return const_cast<Strip*>(std::as_const(*this).strip(id));  // NOLINT(*const-cast): same object
}

namespace {

auto place_of(auto& strip, const StripLane& target) {
    return std::ranges::find_if(strip.lines, [&](const StripLane& l) { return l.same_target(target); });
}

const Insert* part_of(const Strip& strip, const StripLane& target) {
    const auto found = std::ranges::find(strip.chain, target.part, &Insert::id);
    if (found == strip.chain.end() || target.parameter < 0 ||
        static_cast<std::size_t>(target.parameter) >= found->values.size())
        return nullptr;
    return &*found;
}

}  // namespace

double clip_fade_gain(const Clip& clip, double frame) {
    double gain = 1.0;
    if (clip.fade_in.frames > 0)
        gain *= fade_gain(clip.fade_in.shape, frame / static_cast<double>(clip.fade_in.frames));
    if (clip.fade_out.frames > 0)
        gain *= fade_gain(clip.fade_out.shape, (static_cast<double>(clip.length) - frame) /
                                                   static_cast<double>(clip.fade_out.frames));
    return gain;
}

const StripLane* find_lane(const Strip& strip, const StripLane& target) {
    const auto found = place_of(strip, target);
    return found != strip.lines.end() ? &*found : nullptr;
}

std::span<const Breakpoint> points_of(const Strip& strip, const StripLane& target) {
    const StripLane* line = find_lane(strip, target);
    return line != nullptr ? std::span<const Breakpoint>(line->points) : std::span<const Breakpoint>();
}

void put_point(Strip& strip, const StripLane& target, Breakpoint point) {
    auto line = place_of(strip, target);
    if (line == strip.lines.end()) {
        line = strip.lines.insert(line, target);
        line->points.clear();
    }
    put_point(line->points, point);
}

void set_points(Strip& strip, const StripLane& target, std::vector<Breakpoint> points) {
    order_points(points);
    auto line = place_of(strip, target);
    if (points.empty()) {
        if (line != strip.lines.end()) strip.lines.erase(line);
        return;
    }
    if (line == strip.lines.end()) line = strip.lines.insert(line, target);
    line->points = std::move(points);
}

void erase_points(Strip& strip, const StripLane& target, std::int64_t first, std::int64_t last) {
    const auto line = place_of(strip, target);
    if (line == strip.lines.end()) return;
    erase_points(line->points, first, last);
    if (line->points.empty()) strip.lines.erase(line);
}

void set_base_value(Strip& strip, const StripLane& target, double value) {
    switch (target.target) {
        case LaneTarget::Gain:
            strip.gain_db = value;
            break;
        case LaneTarget::Pan:
            strip.pan_percent = value;
            break;
        case LaneTarget::Mute:
            strip.mute = value >= 0.5;
            break;
        case LaneTarget::Width:
            strip.width_percent = value;
            break;
        case LaneTarget::Send:
            for (auto& send : strip.sends) {
                if (send.bus == target.part) send.level_db = value;
            }
            break;
        case LaneTarget::Azimuth:
            strip.place.azimuth_deg = value;
            break;
        case LaneTarget::Elevation:
            strip.place.elevation_deg = value;
            break;
        case LaneTarget::Spread:
            strip.place.spread_percent = value;
            break;
        case LaneTarget::Lfe:
            strip.place.lfe_db = value;
            break;
        case LaneTarget::Part:
            for (auto& part : strip.chain) {
                const auto at = static_cast<std::size_t>(target.parameter);
                if (part.id == target.part && at < part.values.size()) part.values[at] = value;
            }
            break;
    }
}

double value_at(const Strip& strip, const StripLane& target, std::int64_t frame) {
    if (const StripLane* line = find_lane(strip, target); line != nullptr && !line->points.empty())
        return lane_value(line->points, frame);
    switch (target.target) {
        case LaneTarget::Gain:
            return strip.gain_db;
        case LaneTarget::Pan:
            return strip.pan_percent;
        case LaneTarget::Mute:
            return strip.mute ? 1.0 : 0.0;
        case LaneTarget::Width:
            return strip.width_percent;
        case LaneTarget::Send: {
            const Send* send = strip.send_to(target.part);
            return send != nullptr ? send->level_db : kLowestGainDb;
        }
        case LaneTarget::Azimuth:
            return strip.place.azimuth_deg;
        case LaneTarget::Elevation:
            return strip.place.elevation_deg;
        case LaneTarget::Spread:
            return strip.place.spread_percent;
        case LaneTarget::Lfe:
            return strip.place.lfe_db;
        case LaneTarget::Part:
            break;
    }
    const Insert* part = part_of(strip, target);
    return part != nullptr ? part->values[static_cast<std::size_t>(target.parameter)] : 0.0;
}

ValueRange range_of(const Strip& strip, const StripLane& target) {
    switch (target.target) {
        case LaneTarget::Gain:
            return {kLowestGainDb, kHighestGainDb, 0, "dB"};
        case LaneTarget::Pan:
            return {-100, 100, 0, "%"};
        case LaneTarget::Mute:
            return {0, 1, 0};
        case LaneTarget::Width:
            return {-100, 100, 100, "%"};
        case LaneTarget::Send:
            return {kLowestGainDb, kHighestGainDb, 0, "dB"};
        case LaneTarget::Azimuth:
            return {-kMostAzimuthDeg, kMostAzimuthDeg, 0, "°"};
        case LaneTarget::Elevation:
            return {-90, 90, 0, "°"};
        case LaneTarget::Spread:
            return {0, 100, 0, "%"};
        case LaneTarget::Lfe:
            return {kLowestGainDb, kHighestLfeDb, kLowestGainDb, "dB"};
        case LaneTarget::Part:
            break;
    }
    const Insert* part = part_of(strip, target);
    if (part == nullptr) return {};
    const ParameterInfo& p = info(part->kind).parameters[static_cast<std::size_t>(target.parameter)];
    return {p.lowest, p.highest, p.standard, p.unit};
}

}  // namespace rivlen
