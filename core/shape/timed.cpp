#include "core/shape/timed.h"

#include <algorithm>

namespace rivlen {

double SettingLine::at(std::int64_t frame) const {
    const auto after = std::ranges::upper_bound(points, frame, {}, &LinePoint::frame);
    if (after == points.begin()) return points.front().value;
    const LinePoint& a = *(after - 1);
    if (after == points.end()) return a.value;
    const double part = static_cast<double>(frame - a.frame) / static_cast<double>(after->frame - a.frame);
    return a.value + part * (after->value - a.value);
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

TimedRecipes::TimedRecipes(TimedSettings settings)
    : settings_(std::move(settings)), base_(worked_out(settings_.base)) {
    for (const auto& range : settings_.ranges) ranges_.push_back(worked_out(range.settings));
}

TimedRecipes::Set TimedRecipes::worked_out(const ShapeSettings& settings) {
    Set set;
    set.kept = kept_recipe(settings);
    for (std::size_t s = 0; s < kStems; ++s) set.stems[s] = stem_recipe(settings.stems[s], s);
    return set;
}

template <typename Pick>
Recipe TimedRecipes::at(std::int64_t frame, const Pick& pick) const {
    Recipe out = settings_.lines.empty() ? pick(base_) : pick(worked_out(settings_.base_at(frame)));
    for (std::size_t i = 0; i < ranges_.size(); ++i) {
        const double share = settings_.ranges[i].share(frame);
        if (share > 0.0) out = blend(out, pick(ranges_[i]), static_cast<float>(share));
    }
    return out;
}

Recipe TimedRecipes::kept(std::int64_t frame) const {
    return at(frame, [](const Set& set) { return set.kept; });
}

Recipe TimedRecipes::stem(std::size_t stem, std::int64_t frame) const {
    return at(frame, [stem](const Set& set) { return set.stems[stem]; });
}

}  // namespace rivlen
