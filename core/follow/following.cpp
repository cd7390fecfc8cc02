// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/follow/following.h"

#include <algorithm>
#include <array>
#include <cmath>

namespace rivlen {

namespace {

constexpr int kFollowedWidth = 480;  // pixels: finer than a quarter of a degree on most screens
constexpr double kMeasuredNoise = 0.002, kTurns = 0.0006;  // of the picture's width; in a frame
constexpr double kThinnedDeg = 0.25;

using Matrix2 = std::array<double, 4>;  // row by row
struct Estimate {
    double place = 0, speed = 0;
    Matrix2 spread{};
};

Estimate ahead(const Estimate& e, double change) {
    const auto& p = e.spread;
    return {e.place + e.speed,
            e.speed,
            {p[0] + p[1] + p[2] + p[3] + change * change / 4, p[1] + p[3] + change * change / 2,
             p[2] + p[3] + change * change / 2, p[3] + change * change}};
}

Estimate corrected(const Estimate& e, double measured, double noise) {
    const double all = e.spread[0] + noise * noise;
    const double k0 = e.spread[0] / all, k1 = e.spread[2] / all, off = measured - e.place;
    return {e.place + k0 * off,
            e.speed + k1 * off,
            {(1 - k0) * e.spread[0], (1 - k0) * e.spread[1], e.spread[2] - k1 * e.spread[0],
             e.spread[3] - k1 * e.spread[1]}};
}

}  // namespace

std::vector<double> smoothed_course(const std::vector<double>& measured, double noise, double change) {
    if (measured.size() < 3) return measured;
    std::vector<Estimate> forward, expected;
    Estimate now{measured[0], 0, {noise * noise, 0, 0, 1}};
    forward.push_back(now);
    expected.push_back(now);
    for (std::size_t i = 1; i < measured.size(); ++i) {
        expected.push_back(ahead(now, change));
        now = corrected(expected.back(), measured[i], noise);
        forward.push_back(now);
    }
    std::vector<double> out(measured.size());
    double place = now.place, speed = now.speed;
    out.back() = place;
    for (std::size_t i = measured.size() - 1; i-- > 0;) {
        const auto& f = forward[i];
        const auto& e = expected[i + 1];
        // C = P F' inverse(P expected).
        const auto& q = e.spread;
        const double det = q[0] * q[3] - q[1] * q[2];
        const Matrix2 pf = {f.spread[0] + f.spread[1], f.spread[1], f.spread[2] + f.spread[3], f.spread[3]};
        const Matrix2 inverse = {q[3] / det, -q[1] / det, -q[2] / det, q[0] / det};
        const Matrix2 c = {pf[0] * inverse[0] + pf[1] * inverse[2], pf[0] * inverse[1] + pf[1] * inverse[3],
                           pf[2] * inverse[0] + pf[3] * inverse[2], pf[2] * inverse[1] + pf[3] * inverse[3]};
        const double place_off = place - e.place, speed_off = speed - e.speed;
        place = f.place + c[0] * place_off + c[1] * speed_off;
        speed = f.speed + c[2] * place_off + c[3] * speed_off;
        out[i] = place;
    }
    return out;
}

Result<Following> follow(Follower& follower, const PictureBox& box, const NextPictureFrame& next,
                         const JobControl& job) {
    Following out;
    for (;;) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const auto frame = next();
        if (!frame) return frame.error();
        if (!*frame) break;
        FollowStep step{box, 1, false};
        if (out.frames.empty()) {
            follower.begin(**frame, box);
        } else {
            step = follower.next(**frame);
        }
        const double at = (*frame)->seconds;
        if (step.lost) {
            const bool goes_on = !out.frames.empty() && out.frames.back().step.lost;
            if (!goes_on) out.lost.push_back({at, at});
            out.lost.back().last_seconds = at;
        }
        out.frames.push_back({at, step});
    }
    return out;
}

Result<Following> follow_in_file(const std::filesystem::path& picture, double first_seconds,
                                 double last_seconds, double frames_a_second, Follower& follower,
                                 const PictureBox& box, const JobControl& job) {
    auto reader = PictureReader::open(picture);
    if (!reader) return reader.error();
    std::int64_t number = 0;
    const auto next = [&]() -> Result<std::optional<PictureFrame>> {
        // The middle of a frame, so that no rounding takes another one.
        const double at = first_seconds + (static_cast<double>(number) + 0.5) / frames_a_second;
        if (at >= last_seconds) return std::optional<PictureFrame>();
        ++number;
        auto frame = reader->frame_at(at, kFollowedWidth, kFollowedWidth);
        if (!frame) return frame.error();
        frame->seconds = at - 0.5 / frames_a_second;
        job.report((at - first_seconds) / (last_seconds - first_seconds));
        return std::optional(std::move(*frame));
    };
    return follow(follower, box, next, job);
}

FollowedPlace place_of_following(const Following& following, double screen_width_deg, double aspect,
                                 const std::function<std::int64_t(double seconds)>& frame_of) {
    FollowedPlace out;
    const auto& frames = following.frames;
    for (std::size_t first = 0; first < frames.size();) {
        if (frames[first].step.lost) {
            ++first;
            continue;
        }
        std::size_t last = first;
        std::vector<double> x, y;
        for (; last < frames.size() && !frames[last].step.lost; ++last) {
            x.push_back(frames[last].step.box.x);
            y.push_back(frames[last].step.box.y);
        }
        x = smoothed_course(x, kMeasuredNoise, kTurns);
        y = smoothed_course(y, kMeasuredNoise, kTurns);
        std::vector<Breakpoint> azimuth, elevation;
        for (std::size_t i = 0; i < x.size(); ++i) {
            const PicturePoint point = {std::clamp(x[i], 0.0, 1.0), std::clamp(y[i], 0.0, 1.0)};
            const Direction direction = direction_of_point(point, screen_width_deg, aspect);
            const std::int64_t at = frame_of(frames[first + i].seconds);
            azimuth.push_back({at, direction.azimuth_deg});
            elevation.push_back({at, direction.elevation_deg});
        }
        azimuth = thinned(azimuth, kThinnedDeg);
        elevation = thinned(elevation, kThinnedDeg);
        out.azimuth_deg.insert(out.azimuth_deg.end(), azimuth.begin(), azimuth.end());
        out.elevation_deg.insert(out.elevation_deg.end(), elevation.begin(), elevation.end());
        first = last;
    }
    return out;
}

}  // namespace rivlen
