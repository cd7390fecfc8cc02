// SPDX-License-Identifier: GPL-3.0-or-later
// A part of the plane of time and frequency, as a hand draws it, and how strongly it holds at a place.
#pragma once

#include <array>
#include <span>
#include <vector>

#include "core/separation/bands.h"

namespace rivlen {

struct RegionPoint {
    double seconds = 0;  // on the recording's line
    double hz = 1000;    // above 0
    bool operator==(const RegionPoint&) const = default;
};

enum class RegionShape {
    Box,      // two opposite corners
    Outline,  // a closed polygon of at least three points; what it encloses an odd number of times is inside
    Brush     // the path of a brush's middle, at least one point
};

struct Region {
    RegionShape shape = RegionShape::Box;
    std::vector<RegionPoint> points;
    double brush_ms = 40, brush_semitones = 2;  // from the middle of a brush to its rim
    double edge_ms = 20,
           edge_semitones = 0.5;  // widths over which it fades in and out, centred on the border
    // Acts on the other partials of the same fundamental, too; the region lies on this one (1: on the
    // fundamental itself).
    bool harmonics = false;
    int partial = 1;
    bool operator==(const Region&) const = default;
};

inline constexpr std::size_t kMostRegionPoints = 512;
inline constexpr int kMostPartials = 64;

// What reaches down or up so far has no border there.
inline constexpr double kOpenBelowHz = 22;
inline constexpr double kOpenAboveHz = 22000;

// Brings every value into its range and a path to at most kMostRegionPoints points. False when nothing is
// left that has an extent.
[[nodiscard]] bool normalise(Region& region);

struct RegionBounds {
    double first_seconds = 0, last_seconds = 0, lowest_hz = 0, highest_hz = 0;  // soft edges left out
};
[[nodiscard]] RegionBounds bounds_of(const Region& region);
[[nodiscard]] Region moved(Region region, double by_seconds, double by_semitones);

[[nodiscard]] double semitones_of_hz(double hz);  // above 1 Hz; less is brought to it
[[nodiscard]] double hz_of_semitones(double semitones);

// A region ready to be read, frame by frame. It never allocates when read; any number of threads may read it.
class RegionReader {
  public:
    // region: normalised.
    explicit RegionReader(const Region& region);
    // How strongly it holds in every band at a time, 0 to 1. False, and `strength` left alone, where it holds
    // nowhere. strength: kBands values.
    bool read(double seconds, std::span<float> strength) const;
    // Between these times it holds somewhere; soft edges counted.
    [[nodiscard]] double first_seconds() const { return first_seconds_; }
    [[nodiscard]] double last_seconds() const { return last_seconds_; }

  private:
    struct Interval {  // in semitones
        double low, high;
    };
    // Upper bound of what one moment can have: every side of an outline may cross it.
    using Intervals = std::array<Interval, kMostRegionPoints>;
    std::size_t intervals_at(double seconds, Intervals& out) const;
    std::size_t outline_at(double seconds, Intervals& out) const;
    std::size_t brush_at(double seconds, Intervals& out) const;
    void add(const Interval& interval, float weight, std::span<float> strength) const;

    RegionShape shape_;
    struct Place {
        double seconds, semitones;
    };
    std::vector<Place> places_;
    double brush_seconds_, brush_semitones_, edge_seconds_, edge_semitones_;
    std::vector<double> shifts_;  // from the region to what it acts on, in semitones: itself, or all partials
    double first_seconds_ = 0, last_seconds_ = 0;
};

}  // namespace rivlen
