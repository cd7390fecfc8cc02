// SPDX-License-Identifier: GPL-3.0-or-later
// Settings that change over time: a base, lines that move single settings, and ranges with settings of their
// own, which cross-fade at their edges.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "core/automation/lane.h"
#include "core/separation/mask_weights.h"
#include "core/separation/settings.h"

namespace rivlen {

struct SettingLane {
    std::size_t stem = 0;
    Setting setting = Setting::Isolation;
    std::vector<Breakpoint> points;
    [[nodiscard]] double at(std::int64_t frame) const { return lane_value(points, frame); }
    bool operator==(const SettingLane&) const = default;
};

// The line of a setting; null where it has none.
[[nodiscard]] const SettingLane* find_lane(const std::vector<SettingLane>& lines, std::size_t stem,
                                           Setting setting);
// Sets a point, in place of one at the same frame; begins the line where there is none.
void put_point(std::vector<SettingLane>& lines, std::size_t stem, Setting setting, Breakpoint point);
// Puts points, in order of time, in place of those of a line; without any the line ends.
void set_points(std::vector<SettingLane>& lines, std::size_t stem, Setting setting,
                std::vector<Breakpoint> points);
// Removes the points of [first, last); a line that has none left is removed, too.
void erase_points(std::vector<SettingLane>& lines, std::size_t stem, Setting setting, std::int64_t first,
                  std::int64_t last);
struct SettingsRange {
    std::int64_t first = 0, last = 0;  // frames; last is one past the end
    std::int64_t fade_frames = 0;      // length of the cross-fade, centred on each edge
    ShapeSettings settings;
    // How much of the range holds at a frame, 0 to 1.
    [[nodiscard]] double share(std::int64_t frame) const;
    bool operator==(const SettingsRange&) const = default;
};

struct TimedSettings {
    ShapeSettings base;
    std::vector<SettingLane> lines;
    std::vector<SettingsRange> ranges;  // a later one lies over an earlier one

    TimedSettings() = default;
    TimedSettings(ShapeSettings settings)  // NOLINT(google-explicit-constructor): the usual case
        : base(std::move(settings)) {}
    [[nodiscard]] bool changes() const { return !lines.empty() || !ranges.empty(); }
    // The base with the lines applied; ranges are left out.
    [[nodiscard]] ShapeSettings base_at(std::int64_t frame) const;
    bool operator==(const TimedSettings&) const = default;
};

// Weights of timed settings, frame by frame. What does not change is worked out once.
class TimedMaskWeights {
  public:
    explicit TimedMaskWeights(TimedSettings settings = {});
    [[nodiscard]] const TimedSettings& settings() const { return settings_; }
    [[nodiscard]] MaskWeights kept(std::int64_t frame) const;
    [[nodiscard]] MaskWeights stem(std::size_t stem, std::int64_t frame) const;

  private:
    struct Set {
        MaskWeights kept;
        std::array<MaskWeights, kSounds> stems;
    };
    static Set worked_out(const ShapeSettings& settings);
    template <typename Pick>
    [[nodiscard]] MaskWeights at(std::int64_t frame, const Pick& pick) const;
    TimedSettings settings_;
    Set base_;
    std::vector<Set> ranges_;
};

}  // namespace rivlen
