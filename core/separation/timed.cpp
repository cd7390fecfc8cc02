// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/timed.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace rivlen {

namespace {

auto place_of(auto& lines, std::size_t stem, Setting setting) {
    return std::ranges::find_if(
        lines, [&](const SettingLane& line) { return line.stem == stem && line.setting == setting; });
}

}  // namespace

const SettingLane* find_lane(const std::vector<SettingLane>& lines, std::size_t stem, Setting setting) {
    const auto found = place_of(lines, stem, setting);
    return found != lines.end() ? &*found : nullptr;
}

void put_point(std::vector<SettingLane>& lines, std::size_t stem, Setting setting, Breakpoint point) {
    auto line = place_of(lines, stem, setting);
    if (line == lines.end()) line = lines.insert(line, SettingLane{stem, setting, {}});
    put_point(line->points, point);
}

void set_points(std::vector<SettingLane>& lines, std::size_t stem, Setting setting,
                std::vector<Breakpoint> points) {
    auto line = place_of(lines, stem, setting);
    if (points.empty()) {
        if (line != lines.end()) lines.erase(line);
        return;
    }
    if (line == lines.end()) line = lines.insert(line, SettingLane{stem, setting, {}});
    line->points = std::move(points);
}

void erase_points(std::vector<SettingLane>& lines, std::size_t stem, Setting setting, std::int64_t first,
                  std::int64_t last) {
    const auto line = place_of(lines, stem, setting);
    if (line == lines.end()) return;
    erase_points(line->points, first, last);
    if (line->points.empty()) lines.erase(line);
}

double SettingsRange::share(std::int64_t frame) const {
    const auto edge = [&](std::int64_t distance) {  // from the edge inwards
        if (fade_frames <= 0) return distance >= 0 ? 1.0 : 0.0;
        return std::clamp(0.5 + static_cast<double>(distance) / static_cast<double>(fade_frames), 0.0, 1.0);
    };
    return std::min(edge(frame - first), edge(last - 1 - frame));
}

ShapeSettings TimedSettings::base_at(std::int64_t frame) const {
    ShapeSettings out = base;
    for (const auto& line : lines) {
        if (!line.points.empty()) out.stems[line.stem].set(line.setting, line.at(frame));
    }
    return out;
}

TimedMaskWeights::TimedMaskWeights(TimedSettings settings)
    : settings_(std::move(settings)), base_(worked_out(settings_.base)) {
    for (const auto& range : settings_.ranges) ranges_.push_back(worked_out(range.settings));
}

TimedMaskWeights::Set TimedMaskWeights::worked_out(const ShapeSettings& settings) {
    Set set;
    set.kept = kept_weights(settings);
    for (std::size_t s = 0; s < kSounds; ++s) set.stems[s] = sound_weights(settings, s);
    return set;
}

template <typename Pick>
MaskWeights TimedMaskWeights::at(std::int64_t frame, const Pick& pick) const {
    MaskWeights out = settings_.lines.empty() ? pick(base_) : pick(worked_out(settings_.base_at(frame)));
    for (std::size_t i = 0; i < ranges_.size(); ++i) {
        const double share = settings_.ranges[i].share(frame);
        if (share > 0.0) out = blend(out, pick(ranges_[i]), static_cast<float>(share));
    }
    return out;
}

MaskWeights TimedMaskWeights::kept(std::int64_t frame) const {
    return at(frame, [](const Set& set) { return set.kept; });
}

MaskWeights TimedMaskWeights::stem(std::size_t stem, std::int64_t frame) const {
    return at(frame, [stem](const Set& set) { return set.stems[stem]; });
}

}  // namespace rivlen
