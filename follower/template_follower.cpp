// SPDX-License-Identifier: GPL-3.0-or-later
// Following by likeness: what the box held at first, and what it has become since, are looked for around
// where it is expected, in three sizes, by normalised correlation (Lewis, "Fast normalized
// cross-correlation", 1995; OpenCV's matchTemplate). Where nothing is like it, or two places are equally like
// it, it is lost, and looked for further and further around until it is seen again. Trackers that always
// answer would have to be asked where they are wrong; likeness says it by itself.
#include <algorithm>
#include <cmath>
#include <memory>
#include <opencv2/imgproc.hpp>
#include <optional>
#include <vector>

#include "core/follow/follower.h"

namespace rivlen {
namespace {

constexpr double kSeen = 0.6, kSeenAgain = 0.72;  // likeness from which it is there; once lost, a little more
constexpr double kAmbiguous =
    0.92;  // of the best place's likeness: another one that is so like it is as good
constexpr double kLearnFrom = 0.8, kLearnShare = 0.05;
constexpr double kLargestTemplate = 64;  // pixels
constexpr double kSizeStep = 1.04, kLeastSize = 0.4, kMostSize = 2.5;

cv::Mat grey_of(const PictureFrame& frame) {
    const cv::Mat rgb(frame.height, frame.width, CV_8UC3,
                      const_cast<std::uint8_t*>(frame.rgb.data()));  // NOLINT: read only
    cv::Mat grey;
    cv::cvtColor(rgb, grey, cv::COLOR_RGB2GRAY);
    return grey;
}

struct Match {
    cv::Point2d middle;  // pixels
    double likeness = -1, next_best = -1, size = 1;
};

// The best place of a pattern in a piece of the picture, to a part of a pixel, and how like the best other
// place is.
Match best_match(const cv::Mat& piece, const cv::Mat& pattern) {
    Match found;
    if (piece.cols <= pattern.cols || piece.rows <= pattern.rows) return found;
    cv::Mat likeness;
    cv::matchTemplate(piece, pattern, likeness, cv::TM_CCOEFF_NORMED);
    double top = 0;
    cv::Point at;
    cv::minMaxLoc(likeness, nullptr, &top, nullptr, &at);
    if (!std::isfinite(top)) return found;
    const auto value = [&](int x, int y) { return static_cast<double>(likeness.at<float>(y, x)); };
    const auto between = [](double before, double here, double after) {
        const double bend = before - 2 * here + after;
        return bend < 0 ? std::clamp(0.5 * (before - after) / bend, -0.5, 0.5) : 0.0;
    };
    double dx = 0, dy = 0;
    if (at.x > 0 && at.x + 1 < likeness.cols) dx = between(value(at.x - 1, at.y), top, value(at.x + 1, at.y));
    if (at.y > 0 && at.y + 1 < likeness.rows) dy = between(value(at.x, at.y - 1), top, value(at.x, at.y + 1));
    found.likeness = top;
    found.middle = {at.x + dx + pattern.cols / 2.0, at.y + dy + pattern.rows / 2.0};
    // Beside it everything is like it: another place is one half a pattern away.
    const cv::Rect around(at.x - pattern.cols / 2, at.y - pattern.rows / 2, pattern.cols, pattern.rows);
    cv::Mat others = likeness.clone();
    others(around & cv::Rect(0, 0, others.cols, others.rows)).setTo(-1);
    cv::minMaxLoc(others, nullptr, &found.next_best);
    return found;
}

class TemplateFollower : public Follower {
  public:
    void begin(const PictureFrame& frame, const PictureBox& box) override {
        const cv::Mat grey = grey_of(frame);
        middle_ = {box.x * grey.cols, box.y * grey.rows};
        width_ = std::clamp(box.width * grey.cols, 8.0, static_cast<double>(grey.cols));
        height_ = std::clamp(box.height * grey.rows, 8.0, static_cast<double>(grey.rows));
        shrink_ = std::min(1.0, kLargestTemplate / std::max(width_, height_));
        size_ = 1;
        speed_ = {};
        lost_for_ = 0;
        first_ = patch(grey, middle_, size_);
        now_ = first_.clone();
    }

    FollowStep next(const PictureFrame& frame) override {
        const cv::Mat grey = grey_of(frame);
        const Match found = look(grey);
        const bool ambiguous = found.next_best > kAmbiguous * found.likeness;
        const bool seen = found.likeness >= (lost_for_ > 0 ? kSeenAgain : kSeen) && !ambiguous;
        FollowStep step;
        if (seen) {
            const cv::Point2d moved = found.middle - middle_;
            speed_ = lost_for_ > 0 ? cv::Point2d() : 0.6 * speed_ + 0.4 * moved;
            middle_ = found.middle;
            size_ = std::clamp(0.8 * size_ + 0.2 * found.size, kLeastSize, kMostSize);
            lost_for_ = 0;
            if (found.likeness > kLearnFrom) {
                const cv::Mat fresh = patch(grey, middle_, size_);
                cv::addWeighted(now_, 1 - kLearnShare, fresh, kLearnShare, 0, now_);
            }
        } else {
            ++lost_for_;
            speed_ = {};
        }
        step.box = {middle_.x / grey.cols, middle_.y / grey.rows, width_ * size_ / grey.cols,
                    height_ * size_ / grey.rows};
        step.confidence =
            std::clamp((found.likeness - kSeen / 2) / (1 - kSeen / 2), 0.0, 1.0) * (ambiguous ? 0.5 : 1.0);
        step.lost = !seen;
        return step;
    }

  private:
    // What lies around a place, as large as the pattern.
    [[nodiscard]] cv::Mat patch(const cv::Mat& grey, cv::Point2d middle, double size) const {
        cv::Mat out;
        const cv::Size whole(std::max(8, static_cast<int>(std::lround(width_ * size))),
                             std::max(8, static_cast<int>(std::lround(height_ * size))));
        cv::getRectSubPix(grey, whole, cv::Point2f(middle), out);
        cv::Mat pattern;
        cv::resize(out, pattern,
                   cv::Size(std::max(8, static_cast<int>(std::lround(width_ * shrink_))),
                            std::max(8, static_cast<int>(std::lround(height_ * shrink_)))),
                   0, 0, cv::INTER_AREA);
        pattern.convertTo(pattern, CV_32F);
        return pattern;
    }

    // The picture around where it is expected, in sizes in which the pattern fits.
    [[nodiscard]] Match look(const cv::Mat& grey) const {
        const cv::Point2d expected = middle_ + speed_;
        const double reach = 16 + std::max(width_, height_) * size_ * 0.75 +
                             2 * std::hypot(speed_.x, speed_.y) + 10.0 * lost_for_;
        const cv::Rect whole(0, 0, grey.cols, grey.rows);
        const cv::Rect around(static_cast<int>(expected.x - width_ * size_ / 2 - reach),
                              static_cast<int>(expected.y - height_ * size_ / 2 - reach),
                              static_cast<int>(width_ * size_ + 2 * reach),
                              static_cast<int>(height_ * size_ + 2 * reach));
        const cv::Rect piece = around & whole;
        Match best;
        if (piece.empty()) return best;
        for (const double step : {1.0, kSizeStep, 1 / kSizeStep}) {
            const double by = shrink_ / (size_ * step);
            cv::Mat scaled;
            cv::resize(grey(piece), scaled, {}, by, by, by < 1 ? cv::INTER_AREA : cv::INTER_LINEAR);
            scaled.convertTo(scaled, CV_32F);
            for (const cv::Mat* pattern : {&first_, &now_}) {
                Match match = best_match(scaled, *pattern);
                if (match.likeness <= best.likeness) continue;
                match.middle = {piece.x + match.middle.x * piece.width / scaled.cols,
                                piece.y + match.middle.y * piece.height / scaled.rows};
                match.size = size_ * step;
                best = match;
            }
        }
        return best;
    }

    cv::Mat first_, now_;         // the pattern as it was chosen, and as it has become
    cv::Point2d middle_, speed_;  // pixels; a frame
    double width_ = 0, height_ = 0, size_ = 1, shrink_ = 1;
    int lost_for_ = 0;  // frames
};

}  // namespace
}  // namespace rivlen

extern "C" __attribute__((visibility("default"))) std::unique_ptr<rivlen::Follower> rivlen_follower(
    int version) {
    if (version != rivlen::kFollowerVersion) return nullptr;
    return std::make_unique<rivlen::TemplateFollower>();
}
