#include "core/shape/timed.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace rivlen {

double line_value(std::span<const LinePoint> points, std::int64_t frame) {
    const auto after = std::ranges::upper_bound(points, frame, {}, &LinePoint::frame);
    if (after == points.begin()) return points.front().value;
    const LinePoint& a = *(after - 1);
    if (after == points.end()) return a.value;
    const double part = static_cast<double>(frame - a.frame) / static_cast<double>(after->frame - a.frame);
    return a.value + part * (after->value - a.value);
}

void put_point(std::vector<LinePoint>& points, LinePoint point) {
    const auto at = std::ranges::lower_bound(points, point.frame, {}, &LinePoint::frame);
    if (at != points.end() && at->frame == point.frame) {
        at->value = point.value;
    } else {
        points.insert(at, point);
    }
}

void erase_points(std::vector<LinePoint>& points, std::int64_t first, std::int64_t last) {
    std::erase_if(points, [&](const LinePoint& p) { return p.frame >= first && p.frame < last; });
}

namespace {

auto place_of(auto& lines, std::size_t stem, Setting setting) {
    return std::ranges::find_if(
        lines, [&](const SettingLine& line) { return line.stem == stem && line.setting == setting; });
}

// Marks the points to keep between first and last, both of which are kept.
void keep_between(std::span<const LinePoint> points, double tolerance, std::size_t first, std::size_t last,
                  std::vector<bool>& keep) {
    const std::array<LinePoint, 2> chord = {points[first], points[last]};
    double farthest = tolerance;
    std::size_t at = first;
    for (std::size_t i = first + 1; i < last; ++i) {
        const double distance = std::abs(points[i].value - line_value(chord, points[i].frame));
        if (distance > farthest) {
            farthest = distance;
            at = i;
        }
    }
    if (at == first) return;
    keep[at] = true;
    keep_between(points, tolerance, first, at, keep);
    keep_between(points, tolerance, at, last, keep);
}

}  // namespace

const SettingLine* find_line(const std::vector<SettingLine>& lines, std::size_t stem, Setting setting) {
    const auto found = place_of(lines, stem, setting);
    return found != lines.end() ? &*found : nullptr;
}

void put_point(std::vector<SettingLine>& lines, std::size_t stem, Setting setting, LinePoint point) {
    auto line = place_of(lines, stem, setting);
    if (line == lines.end()) line = lines.insert(line, SettingLine{stem, setting, {}});
    put_point(line->points, point);
}

void erase_points(std::vector<SettingLine>& lines, std::size_t stem, Setting setting, std::int64_t first,
                  std::int64_t last) {
    const auto line = place_of(lines, stem, setting);
    if (line == lines.end()) return;
    erase_points(line->points, first, last);
    if (line->points.empty()) lines.erase(line);
}

std::vector<LinePoint> thinned(std::span<const LinePoint> points, double tolerance) {
    if (points.size() < 3) return {points.begin(), points.end()};
    std::vector<bool> keep(points.size(), false);
    keep.front() = keep.back() = true;
    keep_between(points, tolerance, 0, points.size() - 1, keep);
    std::vector<LinePoint> out;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (keep[i]) out.push_back(points[i]);
    }
    return out;
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
