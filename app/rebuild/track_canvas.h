// SPDX-License-Identifier: GPL-3.0-or-later
// Tracks with their clips over time, and what is done to them with the mouse.
#pragma once

#include <QWidget>
#include <functional>
#include <map>
#include <optional>

#include "app/rebuild/clip_painter.h"
#include "app/shell/document.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "app/widgets/lane_editor.h"
#include "app/widgets/time_view.h"
#include "core/metering/loudness_trace.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

inline constexpr int kTrackHeight = 78, kLeastTrackHeight = 76, kMostTrackHeight = 320;
inline constexpr int kNameZone = 16;  // of a clip, above its waveform

class TrackCanvas : public QWidget {
    Q_OBJECT
  public:
    TrackCanvas(Document& document, MixPlayer& player, TimeView& view, Selection& selection,
                LevelWatch& levels, QWidget* parent = nullptr);
    [[nodiscard]] bool complete() const { return complete_ && painter_.idle(); }
    // Rows are those of the tracks, then those of the buses, the main bus last.
    [[nodiscard]] QRect row_rect(std::size_t row) const;
    [[nodiscard]] static std::vector<int> strips_of(const Timeline& timeline);
    // Loudness of the main bus where it was played, over its row; null: none.
    void show_loudness(const LoudnessTrace* trace) { loudness_ = trace; }
    // Of all rows, kLeastTrackHeight to kMostTrackHeight.
    void set_row_height(int height);
    [[nodiscard]] int row_height() const { return row_height_; }
    // Clips are drawn with the fades that they are played with.
    void set_plan(const MixPlan* plan);
    // A clip as it is drawn: with the fades that its edges get by themselves.
    [[nodiscard]] const Clip& as_played(const Clip& clip) const;
    // Where a clip is on the screen.
    [[nodiscard]] QRectF clip_rect(int clip) const;
    [[nodiscard]] QPointF position_of(int strip, const StripLane& target, const Breakpoint& point) const;
    // Ranges that are shown as about to go; empty: none.
    void set_preview(std::vector<LoopRange> ranges);
    void set_snapping(bool on) { snapping_ = on; }
    [[nodiscard]] bool snapping() const { return snapping_; }
    [[nodiscard]] std::int64_t frame_at(double x) const;
    void follow_playhead();
    // Removes the chosen point of a line; false when none is chosen.
    bool remove_point();

  signals:
    void height_wanted(int row_height);  // of all rows, in pixels
    void scroll_wanted(double rows);

  protected:
    void paintEvent(QPaintEvent* event) override;
    void mousePressEvent(QMouseEvent* event) override;
    void mouseMoveEvent(QMouseEvent* event) override;
    void mouseReleaseEvent(QMouseEvent* event) override;

  private:
    std::map<int, Clip> played_;  // by id, of the last plan
    enum class Grip { None, Move, Slip, Start, End, FadeIn, FadeOut, Line, Range };
    struct Hit {
        Grip grip = Grip::None;
        int clip = 0;
    };
    struct Drag {
        Grip grip = Grip::None;
        int clip = 0;
        QPointF press;
        std::int64_t frame = 0;           // under the mouse at the press
        std::int64_t start = 0, end = 0;  // of the clip at the press
        int row = 0;
        bool moved = false, single = false;  // single: a click that does not move chooses this clip alone
        Timeline before;
    };
    [[nodiscard]] Hit hit_at(QPointF at) const;
    [[nodiscard]] int row_at(double y) const;
    [[nodiscard]] std::int64_t snapped_frame(std::int64_t frame, std::span<const int> moving) const;
    void drag_clip(QPointF at, bool snap);
    void draw_row(QPainter& painter, std::size_t row, const QRect& visible);
    void fit_height();
    void draw_clips(QPainter& painter, const Track& track, const QRect& row, const QRect& visible);
    void draw_loudness(QPainter& painter, const QRect& row, const QRect& visible) const;
    void draw_line(QPainter& painter, std::size_t row, const QRect& visible);
    void draw_ducking(QPainter& painter, const Track& track, const QRect& row, const QRect& visible) const;
    [[nodiscard]] int strip_at(std::size_t row) const;
    [[nodiscard]] int row_of(int strip) const;  // -1: none
    [[nodiscard]] std::size_t rows() const;
    [[nodiscard]] LaneScale lane_scale(std::size_t row, const StripLane& target) const;
    void change_lane(const QString& name, bool drag, const std::function<void(LaneEditor::Points&)>& act);
    bool press_line(QPointF at);
    Document& document_;
    MixPlayer& player_;
    TimeView& view_;
    Selection& selection_;
    LevelWatch& levels_;
    ClipPainter painter_;
    std::vector<LoopRange> preview_;
    std::optional<Drag> drag_;
    const LoudnessTrace* loudness_ = nullptr;
    LaneEditor lane_;
    int lane_strip_ = 0;  // whose line was pressed last
    bool complete_ = false, snapping_ = true;
    double playhead_x_ = -1;
    int row_height_ = kTrackHeight;
};

}  // namespace rivlen::app
