// SPDX-License-Identifier: GPL-3.0-or-later
// A made picture with a figure whose way is known: where it is found, and that it is said to be lost where it
// cannot be.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "core/follow/following.h"

namespace rivlen {
namespace {

constexpr int kPictureWidth = 480, kPictureHeight = 270;
constexpr double kPictureRate = 25;

// Even noise, smoothed: a surface with spots of some pixels.
std::vector<float> surface(int width, int height, unsigned seed, int smooth) {
    std::mt19937 random(seed);
    std::uniform_real_distribution<float> some(0, 255);
    std::vector<float> raw(static_cast<std::size_t>(width * height)), out(raw.size());
    for (float& x : raw) x = some(random);
    for (int y = 0; y < height; ++y) {
        for (int x = 0; x < width; ++x) {
            float sum = 0;
            int count = 0;
            for (int dy = -smooth; dy <= smooth; ++dy) {
                for (int dx = -smooth; dx <= smooth; ++dx) {
                    const int sx = (x + dx + width) % width, sy = (y + dy + height) % height;
                    sum += raw[static_cast<std::size_t>(sy * width + sx)];
                    ++count;
                }
            }
            out[static_cast<std::size_t>(y * width + x)] =
                128 + (sum / static_cast<float>(count) - 128) * static_cast<float>(smooth);
        }
    }
    return out;
}

struct Spot {
    double x = 0.5, y = 0.5;  // of the picture
};

// Figures of 36 by 54 pixels on a still ground, and what stands before them.
class MadePicture {
  public:
    static constexpr int kWide = 36, kHigh = 54;
    std::function<Spot(double seconds)> way;
    std::function<std::optional<Spot>(double seconds)> other;  // another figure, before the first
    bool other_is_alike = false;
    std::function<bool(int x, double seconds)> hides = [](int, double) { return false; };

    [[nodiscard]] PictureFrame at(double seconds) {
        PictureFrame frame{kPictureWidth, kPictureHeight, seconds, {}};
        std::vector<float> picture = ground_;
        draw(picture, figure_, way(seconds));
        if (other) {
            if (const auto spot = other(seconds)) draw(picture, other_is_alike ? figure_ : stranger_, *spot);
        }
        std::normal_distribution<float> grain(0, 4);
        frame.rgb.resize(picture.size() * 3);
        for (int y = 0; y < kPictureHeight; ++y) {
            for (int x = 0; x < kPictureWidth; ++x) {
                const auto k = static_cast<std::size_t>(y * kPictureWidth + x);
                const float value = hides(x, seconds) ? curtain_[k] : picture[k];
                const auto byte = static_cast<std::uint8_t>(std::clamp(value + grain(random_), 0.0F, 255.0F));
                for (std::size_t c = 0; c < 3; ++c) frame.rgb[3 * k + c] = byte;
            }
        }
        return frame;
    }
    [[nodiscard]] Result<Following> followed(double seconds) {
        auto follower = load_follower(RIVLEN_FOLLOWER_FILE);
        if (!follower) return follower.error();
        const Spot begins = way(0);
        int number = 0;
        return follow(**follower,
                      {begins.x, begins.y, static_cast<double>(kWide) / kPictureWidth,
                       static_cast<double>(kHigh) / kPictureHeight},
                      [&]() -> Result<std::optional<PictureFrame>> {
                          const double now = number++ / kPictureRate;
                          if (now >= seconds) return std::optional<PictureFrame>();
                          return std::optional(at(now));
                      });
    }

  private:
    // To a part of a pixel, by its four neighbours.
    void draw(std::vector<float>& picture, const std::vector<float>& figure, Spot spot) const {
        const double left = spot.x * kPictureWidth - kWide / 2.0, top = spot.y * kPictureHeight - kHigh / 2.0;
        for (int y = static_cast<int>(std::ceil(top)); y < static_cast<int>(top + kHigh - 1); ++y) {
            for (int x = static_cast<int>(std::ceil(left)); x < static_cast<int>(left + kWide - 1); ++x) {
                if (x < 0 || y < 0 || x >= kPictureWidth || y >= kPictureHeight) continue;
                const double fx = x - left, fy = y - top;
                const int ix = static_cast<int>(fx), iy = static_cast<int>(fy);
                const auto value = [&](int dx, int dy) {
                    return static_cast<double>(figure[static_cast<std::size_t>((iy + dy) * kWide + ix + dx)]);
                };
                const double u = fx - ix, v = fy - iy;
                picture[static_cast<std::size_t>(y * kPictureWidth + x)] =
                    static_cast<float>((1 - v) * ((1 - u) * value(0, 0) + u * value(1, 0)) +
                                       v * ((1 - u) * value(0, 1) + u * value(1, 1)));
            }
        }
    }
    std::vector<float> ground_ = surface(kPictureWidth, kPictureHeight, 1, 3),
                       figure_ = surface(kWide, kHigh, 2, 2), stranger_ = surface(kWide, kHigh, 3, 2),
                       curtain_ = surface(kPictureWidth, kPictureHeight, 4, 3);
    std::mt19937 random_{5};
};

Spot walks(double seconds) {
    return {0.15 + 0.07 * seconds + 0.02 * std::sin(2 * std::numbers::pi * 0.8 * seconds),
            0.55 + 0.05 * std::sin(2 * std::numbers::pi * 0.4 * seconds)};
}

TEST(FollowingThePicture, FindsAFigureWithinTwoPercentOfTheWidth) {
    MadePicture picture;
    picture.way = walks;
    const auto following = picture.followed(9);
    ASSERT_TRUE(following.ok()) << following.error().message;
    ASSERT_EQ(following->frames.size(), 225U);
    int near = 0;
    for (const auto& frame : following->frames) {
        const Spot truth = walks(frame.seconds);
        const double off = std::hypot(frame.step.box.x - truth.x,
                                      (frame.step.box.y - truth.y) * kPictureHeight / kPictureWidth);
        if (!frame.step.lost && off < 0.02) ++near;
    }
    EXPECT_GE(near, 214);  // 95 %
    EXPECT_TRUE(following->lost.empty());
}

// Behind a curtain from the third to the fifth second it is lost, and seen again behind it.
TEST(FollowingThePicture, SaysThatAHiddenFigureIsLost) {
    MadePicture picture;
    picture.way = walks;
    const double first = walks(3).x * kPictureWidth - 22, last = walks(5).x * kPictureWidth + 22;
    picture.hides = [&](int x, double) { return x >= first && x <= last; };
    const auto following = picture.followed(9);
    ASSERT_TRUE(following.ok());
    int wrong = 0, again = 0;
    for (const auto& frame : following->frames) {
        const Spot truth = walks(frame.seconds);
        if (frame.seconds > 3.2 && frame.seconds < 4.8) {
            EXPECT_TRUE(frame.step.lost) << frame.seconds;
        }
        if (!frame.step.lost && std::abs(frame.step.box.x - truth.x) > 0.02) ++wrong;
        if (frame.seconds > 6.5 && !frame.step.lost) ++again;
    }
    EXPECT_LE(wrong, 4);  // while it goes behind the curtain
    EXPECT_GT(again, 50);
    EXPECT_GE(following->lost.size(), 1U);
}

TEST(FollowingThePicture, IsNotDrawnAwayByAnotherFigureThatCrosses) {
    MadePicture picture;
    picture.way = walks;
    picture.other = [](double seconds) { return Spot{0.95 - 0.1 * seconds, 0.55}; };
    const auto following = picture.followed(9);
    ASSERT_TRUE(following.ok());
    int wrong = 0;
    for (const auto& frame : following->frames)
        if (!frame.step.lost && std::abs(frame.step.box.x - walks(frame.seconds).x) > 0.03) ++wrong;
    EXPECT_LE(wrong, 4);
    EXPECT_FALSE(following->frames.back().step.lost);
}

// Its twin crosses before it: which is which cannot be told, and is not guessed.
TEST(FollowingThePicture, SaysThatATwinThatCrossesMakesItLost) {
    MadePicture picture;
    picture.way = walks;
    picture.other_is_alike = true;
    picture.other = [](double seconds) { return Spot{0.95 - 0.1 * seconds, 0.55}; };
    const auto following = picture.followed(9);
    ASSERT_TRUE(following.ok());
    bool lost_near_the_crossing = false;
    for (const auto& stretch : following->lost)
        lost_near_the_crossing =
            lost_near_the_crossing || (stretch.first_seconds < 4.8 && stretch.last_seconds > 4.2);
    EXPECT_TRUE(lost_near_the_crossing);
}

TEST(FollowedPlaces, AreOnTheScreenWhereTheFigureIsAndEmptyWhereItIsLost) {
    Following following;
    for (int k = 0; k < 100; ++k) {
        const bool lost = k >= 40 && k < 60;
        following.frames.push_back(
            {k / kPictureRate, {{0.1 + 0.008 * k, 0.5, 0.1, 0.1}, lost ? 0.0 : 1.0, lost}});
    }
    following.lost = {{40 / kPictureRate, 59 / kPictureRate}};
    const auto frame_of = [](double seconds) { return std::llround(seconds * 48000); };
    const auto place = place_of_following(following, 60, 16.0 / 9, frame_of);
    ASSERT_GE(place.azimuth_deg.size(), 4U);
    EXPECT_LT(place.azimuth_deg.size(), 40U);  // thinned
    for (const auto& point : place.azimuth_deg) {
        const double k = static_cast<double>(point.frame) / 48000 * kPictureRate;
        EXPECT_TRUE(k < 39.5 || k > 59.5) << k;
        EXPECT_NEAR(point.value, direction_of_point({0.1 + 0.008 * k, 0.5}, 60, 16.0 / 9).azimuth_deg, 0.3)
            << k;
    }
    for (const auto& point : place.elevation_deg) EXPECT_NEAR(point.value, 0, 0.1);
}

// A steady turn comes out where it was, neither earlier nor later; noise is halved at least.
TEST(SmoothedCourses, HaveNoLag) {
    std::mt19937 random(7);
    std::normal_distribution<double> some(0, 0.002);
    std::vector<double> truth, measured;
    for (int k = 0; k < 400; ++k) {
        truth.push_back(0.5 + 0.2 * std::sin(2 * std::numbers::pi * k / 100));
        measured.push_back(truth.back() + some(random));
    }
    const auto smoothed = smoothed_course(measured, 0.002, 0.0006);
    double before = 0, after = 0;
    for (std::size_t k = 0; k < truth.size(); ++k) {
        before += std::pow(measured[k] - truth[k], 2);
        after += std::pow(smoothed[k] - truth[k], 2);
    }
    EXPECT_LT(after, 0.5 * before);
    double best = 1e9, lag = 99;
    for (double d = -2; d <= 2; d += 0.1) {
        double miss = 0;
        for (std::size_t k = 20; k < 380; ++k)
            miss += std::pow(smoothed[k] - (0.5 + 0.2 * std::sin(2 * std::numbers::pi *
                                                                 (static_cast<double>(k) - d) / 100)),
                             2);
        if (miss < best) {
            best = miss;
            lag = d;
        }
    }
    EXPECT_NEAR(lag, 0, 0.15);  // frames
}

TEST(Followers, ThatAreNoneAreSaid) {
    EXPECT_EQ(load_follower("/nowhere.so").error().kind, ErrorKind::NotFound);
    EXPECT_EQ(load_follower(RIVLEN_BAND_ENGINE_FILE).error().kind, ErrorKind::Mismatch);
}

}  // namespace
}  // namespace rivlen
