// SPDX-License-Identifier: GPL-3.0-or-later
// Gains of loudspeakers for a source in a direction: vector base amplitude panning (Pulkki, "Virtual sound
// source positioning using vector base amplitude panning", JAES 45, 1997), with a spread by several
// directions (Pulkki, "Uniform spreading of amplitude panned virtual sources", 1999).
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "core/space/layout.h"

namespace rivlen {

// Of one layout. The loudspeakers (without LFE) are corners of a convex hull; a source between three of them
// is played by these three. Where the hull would be open above or below, a loudspeaker is imagined in the
// zenith and the nadir, and what it would play goes to the loudspeakers around it in equal shares (as in
// ITU-R BS.2127). Where four corners lie in a plane, both ways to cut it into triangles count half, so that
// left and right are alike. Layouts all in front (mono, stereo, LCR) play what is behind from its mirror
// image in front, what is further aside than the outermost loudspeaker from there, and know no height.
class AmplitudePanner {
  public:
    explicit AmplitudePanner(Layout layout);
    // gains: one a channel, LFE 0; their squares add up to 1. spread_percent 0: a point; 100: from
    // everywhere. Does not allocate.
    void gains(Direction direction, double spread_percent, std::span<double> gains) const;

  private:
    static constexpr std::size_t kMostCorners = 16;
    using Corners = std::array<double, kMostCorners>;
    struct Triangle {
        std::array<std::size_t, 3> corners{};
        std::array<Vector3, 3> inverse{};  // a row a corner: its gain is the product with the direction
    };
    void add_point(const Vector3& at, double weight, Corners& sum) const;
    void add_in_front(const Vector3& at, double weight, Corners& sum) const;
    void find_triangles();
    void find_neighbours();
    bool in_front_ = false;
    std::size_t channels_ = 0;
    std::vector<Vector3> points_;          // corners of the hull, imagined ones last
    std::vector<std::size_t> channel_of_;  // of those that are there
    std::vector<Triangle> triangles_;
    std::vector<std::vector<std::size_t>> around_;  // of each imagined corner
    std::vector<double> azimuths_;                  // of layouts in front, in radians
    std::vector<std::size_t> by_azimuth_;           // their corners from right to left
};

}  // namespace rivlen
