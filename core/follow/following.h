// SPDX-License-Identifier: GPL-3.0-or-later
// From what is followed in the picture to a place over time.
#pragma once

#include <functional>
#include <optional>
#include <vector>

#include "core/automation/lane.h"
#include "core/base/job.h"
#include "core/follow/follower.h"

namespace rivlen {

struct FollowedFrame {
    double seconds = 0;  // of the picture
    FollowStep step;
};
struct FollowedStretch {
    double first_seconds = 0, last_seconds = 0;
};
struct Following {
    std::vector<FollowedFrame> frames;
    std::vector<FollowedStretch> lost;  // where nothing is known, in order
};

// The next frame of the picture; nothing at the end.
using NextPictureFrame = std::function<Result<std::optional<PictureFrame>>()>;

// Follows what the box holds in the first frame. Errors: those of next; Cancelled.
[[nodiscard]] Result<Following> follow(Follower& follower, const PictureBox& box,
                                       const NextPictureFrame& next, const JobControl& job = {});
// Of [first, last) seconds of a picture file, frame by frame at its rate, at a width that suffices. Errors:
// those of PictureReader.
[[nodiscard]] Result<Following> follow_in_file(const std::filesystem::path& picture, double first_seconds,
                                               double last_seconds, double frames_a_second,
                                               Follower& follower, const PictureBox& box,
                                               const JobControl& job = {});

// Where the sound is, over the session's frames: azimuth and elevation of the box's middle, smoothed, thinned
// to within a quarter of a degree. Stretches that are lost have no points, so that lines go straight over
// them.
struct FollowedPlace {
    std::vector<Breakpoint> azimuth_deg, elevation_deg;
};
// frame_of: of the session, from seconds of the picture. Smoothing goes both ways over each stretch that is
// not lost (Rauch, Tung and Striebel 1965, constant velocity), and so has no lag.
[[nodiscard]] FollowedPlace place_of_following(const Following& following, double screen_width_deg,
                                               double aspect,
                                               const std::function<std::int64_t(double seconds)>& frame_of);

// One coordinate, in even steps: smoothed forwards and backwards. noise: standard deviation of what was
// measured; change: of the velocity's change in a step.
[[nodiscard]] std::vector<double> smoothed_course(const std::vector<double>& measured, double noise,
                                                  double change);

}  // namespace rivlen
