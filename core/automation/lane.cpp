// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/automation/lane.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace rivlen {

double lane_value(std::span<const Breakpoint> points, std::int64_t frame) {
    const auto after = std::ranges::upper_bound(points, frame, {}, &Breakpoint::frame);
    if (after == points.begin()) return points.front().value;
    const Breakpoint& a = *(after - 1);
    if (after == points.end()) return a.value;
    const double part = static_cast<double>(frame - a.frame) / static_cast<double>(after->frame - a.frame);
    return a.value + part * (after->value - a.value);
}

void put_point(std::vector<Breakpoint>& points, Breakpoint point) {
    const auto at = std::ranges::lower_bound(points, point.frame, {}, &Breakpoint::frame);
    if (at != points.end() && at->frame == point.frame) {
        at->value = point.value;
    } else {
        points.insert(at, point);
    }
}

void order_points(std::vector<Breakpoint>& points) {
    std::ranges::stable_sort(points, {}, &Breakpoint::frame);
    std::size_t kept = 0;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (i + 1 < points.size() && points[i + 1].frame == points[i].frame) continue;
        points[kept++] = points[i];
    }
    points.resize(kept);
}

std::int64_t move_point(std::vector<Breakpoint>& points, std::int64_t from, Breakpoint to) {
    const auto at = std::ranges::lower_bound(points, from, {}, &Breakpoint::frame);
    if (at == points.end() || at->frame != from) return from;
    if (at + 1 != points.end()) to.frame = std::min(to.frame, (at + 1)->frame - 1);
    if (at != points.begin()) to.frame = std::max(to.frame, (at - 1)->frame + 1);
    *at = to;
    return to.frame;
}

void erase_points(std::vector<Breakpoint>& points, std::int64_t first, std::int64_t last) {
    std::erase_if(points, [&](const Breakpoint& p) { return p.frame >= first && p.frame < last; });
}

namespace {

// Marks the points to keep between first and last, both of which are kept.
void keep_between(std::span<const Breakpoint> points, double tolerance, std::size_t first, std::size_t last,
                  std::vector<bool>& keep) {
    const std::array<Breakpoint, 2> chord = {points[first], points[last]};
    double farthest = tolerance;
    std::size_t at = first;
    for (std::size_t i = first + 1; i < last; ++i) {
        const double distance = std::abs(points[i].value - lane_value(chord, points[i].frame));
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

std::vector<Breakpoint> thinned(std::span<const Breakpoint> points, double tolerance) {
    if (points.size() < 3) return {points.begin(), points.end()};
    std::vector<bool> keep(points.size(), false);
    keep.front() = keep.back() = true;
    keep_between(points, tolerance, 0, points.size() - 1, keep);
    std::vector<Breakpoint> out;
    for (std::size_t i = 0; i < points.size(); ++i) {
        if (keep[i]) out.push_back(points[i]);
    }
    return out;
}

}  // namespace rivlen
