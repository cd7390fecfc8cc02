// Settings that change over time: a base, lines that move single settings, and ranges with settings of their
// own, which cross-fade at their edges.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

#include "core/shape/recipe.h"
#include "core/shape/settings.h"

namespace rivlen {

struct LinePoint {
    std::int64_t frame = 0;
    double value = 0;  // in the unit of the setting
    bool operator==(const LinePoint&) const = default;
};

// Lines are straight between points, level before the first and after the last. Points stand in order of
// time.
[[nodiscard]] double line_value(std::span<const LinePoint> points, std::int64_t frame);  // needs a point
// Sets a point, in place of one at the same frame.
void put_point(std::vector<LinePoint>& points, LinePoint point);
// Removes the points of [first, last).
void erase_points(std::vector<LinePoint>& points, std::int64_t first, std::int64_t last);

struct SettingLine {
    std::size_t stem = 0;
    Setting setting = Setting::Isolation;
    std::vector<LinePoint> points;
    [[nodiscard]] double at(std::int64_t frame) const { return line_value(points, frame); }
    bool operator==(const SettingLine&) const = default;
};

// The line of a setting; null where it has none.
[[nodiscard]] const SettingLine* find_line(const std::vector<SettingLine>& lines, std::size_t stem,
                                           Setting setting);
// Sets a point, in place of one at the same frame; begins the line where there is none.
void put_point(std::vector<SettingLine>& lines, std::size_t stem, Setting setting, LinePoint point);
// Removes the points of [first, last); a line that has none left is removed, too.
void erase_points(std::vector<SettingLine>& lines, std::size_t stem, Setting setting, std::int64_t first,
                  std::int64_t last);
// Leaves out points without which the line stays within `tolerance` of where it was (Ramer 1972; Douglas and
// Peucker 1973, with the distance taken along the value).
[[nodiscard]] std::vector<LinePoint> thinned(std::span<const LinePoint> points, double tolerance);

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
    std::vector<SettingLine> lines;
    std::vector<SettingsRange> ranges;  // a later one lies over an earlier one

    TimedSettings() = default;
    TimedSettings(ShapeSettings settings)  // NOLINT(google-explicit-constructor): the usual case
        : base(std::move(settings)) {}
    [[nodiscard]] bool changes() const { return !lines.empty() || !ranges.empty(); }
    // The base with the lines applied; ranges are left out.
    [[nodiscard]] ShapeSettings base_at(std::int64_t frame) const;
    bool operator==(const TimedSettings&) const = default;
};

// Recipes of timed settings, frame by frame. What does not change is worked out once.
class TimedRecipes {
  public:
    explicit TimedRecipes(TimedSettings settings = {});
    [[nodiscard]] const TimedSettings& settings() const { return settings_; }
    [[nodiscard]] Recipe kept(std::int64_t frame) const;
    [[nodiscard]] Recipe stem(std::size_t stem, std::int64_t frame) const;

  private:
    struct Set {
        Recipe kept;
        std::array<Recipe, kStems> stems;
    };
    static Set worked_out(const ShapeSettings& settings);
    template <typename Pick>
    [[nodiscard]] Recipe at(std::int64_t frame, const Pick& pick) const;
    TimedSettings settings_;
    Set base_;
    std::vector<Set> ranges_;
};

}  // namespace rivlen
