// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/region.h"

#include <algorithm>
#include <cmath>
#include <numeric>

namespace rivlen {

namespace {

constexpr double kLongestSeconds = 1e6;
constexpr double kLowestHz = 10, kHighestHz = 24000;
constexpr double kShortestSeconds = 1e-3, kNarrowestSemitones = 0.05;
// Looks within the width of a soft edge in time, one every 5 ms (frames of a map are 10.7 ms apart).
constexpr double kLookSeconds = 0.005;
constexpr int kMostLooks = 16;

// Where every band begins and ends, in semitones: half a bin on either side of its bins.
struct BandExtents {
    std::array<double, kBands> low{}, high{};
    BandExtents() {
        for (std::size_t b = 0; b < kBands; ++b) {
            low[b] = semitones_of_hz(std::max(kLowestHz / 4, band_edge_hz(b)));
            high[b] = semitones_of_hz(band_edge_hz(b + 1));
        }
    }
};
const BandExtents& extents() {
    static const BandExtents e;
    return e;
}

// Integral up to x of a trapezoid that rises over `edge` around `low`, is 1, and falls around `high`.
double trapezoid_to(double x, double low, double high, double edge) {
    const auto ramp_to = [edge](double from_border) {  // integral of the rise, from its start
        const double into = from_border + edge / 2;
        if (into <= 0) return 0.0;
        if (edge <= 0 || into >= edge) return from_border;
        return into * into / (2 * edge);
    };
    return ramp_to(x - low) - ramp_to(x - high);
}

double ramp(double from_border, double edge) {
    if (edge <= 0) return from_border >= 0 ? 1.0 : 0.0;
    return std::clamp(0.5 + from_border / edge, 0.0, 1.0);
}

// Every n-th point of a path, its last one kept.
void thin_out(std::vector<RegionPoint>& points) {
    if (points.size() <= kMostRegionPoints) return;
    std::vector<RegionPoint> kept;
    const double step = static_cast<double>(points.size() - 1) / (kMostRegionPoints - 1);
    for (std::size_t i = 0; i < kMostRegionPoints; ++i)
        kept.push_back(points[static_cast<std::size_t>(std::lround(static_cast<double>(i) * step))]);
    points = std::move(kept);
}

}  // namespace

double semitones_of_hz(double hz) {
    return 12 * std::log2(std::max(1.0, hz));
}

double hz_of_semitones(double semitones) {
    return std::exp2(semitones / 12);
}

bool normalise(Region& region) {
    const auto finite = [](double& x, double low, double high, double otherwise) {
        x = std::isfinite(x) ? std::clamp(x, low, high) : otherwise;
    };
    for (auto& point : region.points) {
        finite(point.seconds, 0, kLongestSeconds, 0);
        finite(point.hz, kLowestHz, kHighestHz, 1000);
    }
    thin_out(region.points);
    finite(region.brush_ms, 1, 10000, 40);
    finite(region.brush_semitones, kNarrowestSemitones, 60, 2);
    finite(region.edge_ms, 0, 10000, 20);
    finite(region.edge_semitones, 0, 60, 0.5);
    region.partial = std::clamp(region.partial, 1, kMostPartials);
    if (region.points.empty()) return false;
    if (region.shape == RegionShape::Brush) return true;
    if (region.shape == RegionShape::Box) {
        if (region.points.size() < 2) return false;
        auto& a = region.points.front();
        auto& b = region.points[1];
        const auto [first, last] = std::minmax(a.seconds, b.seconds);
        const auto [low, high] = std::minmax(a.hz, b.hz);
        region.points = {{first, low}, {last, high}};
    } else if (region.points.size() < 3) {
        return false;
    }
    const RegionBounds bounds = bounds_of(region);
    return bounds.last_seconds - bounds.first_seconds >= kShortestSeconds &&
           semitones_of_hz(bounds.highest_hz) - semitones_of_hz(bounds.lowest_hz) >= kNarrowestSemitones;
}

RegionBounds bounds_of(const Region& region) {
    if (region.points.empty()) return {};
    const auto [first, last] = std::ranges::minmax(region.points, {}, &RegionPoint::seconds);
    const auto [low, high] = std::ranges::minmax(region.points, {}, &RegionPoint::hz);
    if (region.shape != RegionShape::Brush) return {first.seconds, last.seconds, low.hz, high.hz};
    const double reach = region.brush_ms / 1000;
    const double factor = std::exp2(region.brush_semitones / 12);
    return {first.seconds - reach, last.seconds + reach, low.hz / factor, high.hz * factor};
}

Region moved(Region region, double by_seconds, double by_semitones) {
    for (auto& point : region.points) {
        point.seconds += by_seconds;
        point.hz *= std::exp2(by_semitones / 12);
    }
    return region;
}

RegionReader::RegionReader(const Region& region)
    : shape_(region.shape), brush_seconds_(region.brush_ms / 1000), brush_semitones_(region.brush_semitones) {
    for (const auto& point : region.points) places_.push_back({point.seconds, semitones_of_hz(point.hz)});
    const RegionBounds bounds = bounds_of(region);
    const double low = semitones_of_hz(bounds.lowest_hz), high = semitones_of_hz(bounds.highest_hz);
    // An edge is never wider than the region, so that its middle holds fully.
    edge_seconds_ = std::min(region.edge_ms / 1000, bounds.last_seconds - bounds.first_seconds);
    edge_semitones_ = std::min(region.edge_semitones, high - low);
    // What begins with the recording has no edge there.
    if (shape_ == RegionShape::Box && places_[0].seconds <= 0) places_[0].seconds = -edge_seconds_;
    first_seconds_ = bounds.first_seconds - edge_seconds_ / 2;
    last_seconds_ = bounds.last_seconds + edge_seconds_ / 2;
    for (int k = region.harmonics ? 1 : region.partial;
         k <= (region.harmonics ? kMostPartials : region.partial); ++k) {
        const double shift = 12 * std::log2(static_cast<double>(k) / region.partial);
        if (low + shift < semitones_of_hz(kHighestHz)) shifts_.push_back(shift);
    }
}

// Even-odd rule: the sides that a vertical line crosses, by pairs from below.
std::size_t RegionReader::outline_at(double seconds, Intervals& out) const {
    std::array<double, kMostRegionPoints> crossings;
    std::size_t count = 0;
    for (std::size_t i = 0; i < places_.size(); ++i) {
        const Place& a = places_[i];
        const Place& b = places_[(i + 1) % places_.size()];
        if ((a.seconds <= seconds) == (b.seconds <= seconds)) continue;
        const double part = (seconds - a.seconds) / (b.seconds - a.seconds);
        crossings[count++] = a.semitones + part * (b.semitones - a.semitones);
    }
    std::sort(crossings.begin(), crossings.begin() + static_cast<std::ptrdiff_t>(count));
    for (std::size_t i = 0; i + 1 < count; i += 2) out[i / 2] = {crossings[i], crossings[i + 1]};
    return count / 2;
}

// Every piece of the path is a segment with a round rim (an ellipse); a vertical line meets each in one
// interval, and those that touch are one.
std::size_t RegionReader::brush_at(double seconds, Intervals& out) const {
    std::size_t count = 0;
    const auto add_disc = [&](const Place& middle, Interval& into) {
        const double x = (seconds - middle.seconds) / brush_seconds_;
        if (std::abs(x) >= 1) return;
        const double reach = brush_semitones_ * std::sqrt(1 - x * x);
        into.low = std::min(into.low, middle.semitones - reach);
        into.high = std::max(into.high, middle.semitones + reach);
    };
    const std::size_t pieces = std::max<std::size_t>(1, places_.size() - 1);
    for (std::size_t i = 0; i < pieces; ++i) {
        const Place& a = places_[i];
        const Place& b = places_[std::min(i + 1, places_.size() - 1)];
        if (seconds < std::min(a.seconds, b.seconds) - brush_seconds_ ||
            seconds > std::max(a.seconds, b.seconds) + brush_seconds_)
            continue;
        Interval interval{1e9, -1e9};
        add_disc(a, interval);
        add_disc(b, interval);
        // The straight sides, in units of the brush: a and b moved at right angles to the path by 1.
        const double dx = (b.seconds - a.seconds) / brush_seconds_;
        const double dy = (b.semitones - a.semitones) / brush_semitones_;
        const double length = std::hypot(dx, dy);
        for (const double side : {-1.0, 1.0}) {
            if (length <= 0 || dx == 0) continue;
            const double x0 = a.seconds - side * dy / length * brush_seconds_;
            const double part = (seconds - x0) / (b.seconds - a.seconds);
            if (part < 0 || part > 1) continue;
            const double y =
                a.semitones + part * (b.semitones - a.semitones) + side * dx / length * brush_semitones_;
            interval.low = std::min(interval.low, y);
            interval.high = std::max(interval.high, y);
        }
        if (interval.low < interval.high) out[count++] = interval;
    }
    std::sort(out.begin(), out.begin() + static_cast<std::ptrdiff_t>(count),
              [](const Interval& a, const Interval& b) { return a.low < b.low; });
    std::size_t kept = 0;
    for (std::size_t i = 0; i < count; ++i) {
        if (kept > 0 && out[i].low <= out[kept - 1].high) {
            out[kept - 1].high = std::max(out[kept - 1].high, out[i].high);
        } else {
            out[kept++] = out[i];
        }
    }
    return kept;
}

std::size_t RegionReader::intervals_at(double seconds, Intervals& out) const {
    if (shape_ == RegionShape::Outline) return outline_at(seconds, out);
    if (shape_ == RegionShape::Brush) return brush_at(seconds, out);
    out[0] = {places_[0].semitones, places_[1].semitones};
    return 1;
}

// Adds the share of every band that the interval covers. An interval narrower than a band counts by the share
// of itself that lies in the band, so that a thin stroke still holds fully. One that reaches the end of what
// is heard goes on beyond it, so that no soft edge is left there.
void RegionReader::add(const Interval& drawn, float weight, std::span<float> strength) const {
    constexpr double kFarSemitones = 60;
    static const double open_below = semitones_of_hz(kOpenBelowHz);
    static const double open_above = semitones_of_hz(kOpenAboveHz);
    const Interval interval = {drawn.low <= open_below ? drawn.low - kFarSemitones : drawn.low,
                               drawn.high >= open_above ? drawn.high + kFarSemitones : drawn.high};
    const auto& bands = extents();
    const double edge = std::min(edge_semitones_, interval.high - interval.low);
    const double from = interval.low - edge / 2, to = interval.high + edge / 2;
    const auto first =
        static_cast<std::size_t>(std::ranges::upper_bound(bands.high, from) - bands.high.begin());
    for (std::size_t b = first; b < kBands && bands.low[b] < to; ++b) {
        const double narrower = std::min(bands.high[b] - bands.low[b], interval.high - interval.low);
        const double held = trapezoid_to(bands.high[b], interval.low, interval.high, edge) -
                            trapezoid_to(bands.low[b], interval.low, interval.high, edge);
        const auto share = static_cast<float>(std::clamp(held / std::max(narrower, 1e-9), 0.0, 1.0));
        strength[b] = std::min(1.0F, strength[b] + weight * share);
    }
}

bool RegionReader::read(double seconds, std::span<float> strength) const {
    if (seconds <= first_seconds_ || seconds >= last_seconds_) return false;
    std::ranges::fill(strength.first(kBands), 0.0F);
    Intervals intervals;
    const auto add_all = [&](std::size_t count, float weight) {
        for (const double shift : shifts_) {
            for (std::size_t i = 0; i < count; ++i)
                add({intervals[i].low + shift, intervals[i].high + shift}, weight, strength);
        }
    };
    if (shape_ == RegionShape::Box) {
        const double held = ramp(seconds - places_[0].seconds, edge_seconds_) *
                            ramp(places_[1].seconds - seconds, edge_seconds_);
        add_all(intervals_at(seconds, intervals), static_cast<float>(held));
        return held > 0;
    }
    bool anywhere = false;
    const int looks = std::clamp(static_cast<int>(std::ceil(edge_seconds_ / kLookSeconds)), 1, kMostLooks);
    for (int look = 0; look < looks; ++look) {
        const double at = seconds + edge_seconds_ * ((look + 0.5) / looks - 0.5);
        const std::size_t count = intervals_at(at, intervals);
        anywhere = anywhere || count > 0;
        add_all(count, 1.0F / static_cast<float>(looks));
    }
    return anywhere;
}

}  // namespace rivlen
