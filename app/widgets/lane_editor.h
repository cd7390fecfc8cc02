// SPDX-License-Identifier: GPL-3.0-or-later
// Draws and changes a value's line over time, whatever the value belongs to.
#pragma once

#include <QCoreApplication>
#include <QKeyEvent>
#include <QPainter>
#include <functional>
#include <optional>
#include <span>
#include <vector>

#include "core/automation/lane.h"

namespace rivlen::app {

// Where a line lies on the screen.
struct LaneScale {
    QRectF area;                               // the lowest value at its bottom, the highest at its top
    double lowest = 0, highest = 1, step = 0;  // values are multiples of the step; 0: any
    QString unit;
    std::function<double(std::int64_t frame)> x_of;
    std::function<std::int64_t(double x)> frame_at;

    [[nodiscard]] double y_of(double value) const;
    [[nodiscard]] QPointF position_of(const Breakpoint& point) const;
    // The nearest point of the line's range.
    [[nodiscard]] Breakpoint point_at(QPointF at) const;
};

class LaneEditor {
    Q_DECLARE_TR_FUNCTIONS(rivlen::app::LaneEditor)
  public:
    using Points = std::vector<Breakpoint>;
    // Applies an act to the points of the line, as one step of the history by this name; steps of one drag
    // belong together.
    using Change =
        std::function<void(const QString& name, bool drag, const std::function<void(Points&)>& act)>;
    explicit LaneEditor(Change change) : change_(std::move(change)) {}

    // The frame of the chosen point.
    [[nodiscard]] std::optional<std::int64_t> chosen() const { return chosen_; }
    // Chooses the point under the mouse. False when there is none.
    bool take_hold(const LaneScale& scale, std::span<const Breakpoint> points, QPointF at);
    [[nodiscard]] static bool is_over_point(const LaneScale& scale, std::span<const Breakpoint> points,
                                            QPointF at);
    // Sets a point and chooses it.
    void set(Breakpoint point);
    void drag_to(Breakpoint place);
    // False when none is chosen.
    bool remove_chosen();
    // Left and right choose the next point, up and down move it by a step (Shift: ten), Delete removes it.
    // False for any other key.
    bool key(const QKeyEvent& event, const LaneScale& scale, std::span<const Breakpoint> points);
    void choose_none() { chosen_.reset(); }

  private:
    Change change_;
    std::optional<std::int64_t> chosen_;
};

// Draws what lies between two places; without points the standing value, dashed.
void draw_lane(QPainter& painter, const LaneScale& scale, std::span<const Breakpoint> points, double standing,
               double left, double right, std::optional<std::int64_t> chosen);

}  // namespace rivlen::app
