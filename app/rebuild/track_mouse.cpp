// SPDX-License-Identifier: GPL-3.0-or-later
// What the mouse does on the tracks.
#include <QMouseEvent>
#include <cmath>

#include "app/rebuild/track_canvas.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {
constexpr int kEdge = 6;       // pixels in which an edge is taken hold of
constexpr int kFadeZone = 14;  // height of the zone of the fade grips, under the name
constexpr int kSnapPixels = 8;
constexpr double kLineReach = 8;  // pixels from the line
}  // namespace

// The later of two clips that lie over each other is taken.
TrackCanvas::Hit TrackCanvas::hit_at(QPointF at) const {
    const int row = row_at(at.y());
    const Timeline& r = document_.timeline();
    if (row < 0 || row >= static_cast<int>(r.tracks.size())) return {};
    const int rate = std::max(1, r.sample_rate);
    const auto& clips = r.tracks[static_cast<std::size_t>(row)].clips;
    const double y = at.y() - row_rect(static_cast<std::size_t>(row)).top();
    for (auto clip = clips.rbegin(); clip != clips.rend(); ++clip) {
        const double left = view_.frame_x(clip->start, rate, width());
        const double right = view_.frame_x(clip->end(), rate, width());
        if (at.x() < left || at.x() > right) continue;
        const double reach = std::min<double>(kEdge, (right - left) / 4);
        if (y > kNameZone && y < kNameZone + kFadeZone) {
            const double in = view_.frame_x(clip->start + clip->fade_in.frames, rate, width());
            const double out = view_.frame_x(clip->end() - clip->fade_out.frames, rate, width());
            if (std::abs(at.x() - in) <= reach) return {Grip::FadeIn, clip->id};
            if (std::abs(at.x() - out) <= reach) return {Grip::FadeOut, clip->id};
        }
        if (at.x() - left <= reach) return {Grip::Start, clip->id};
        if (right - at.x() <= reach) return {Grip::End, clip->id};
        return {Grip::Move, clip->id};
    }
    return {};
}

std::int64_t TrackCanvas::snapped_frame(std::int64_t frame, std::span<const int> moving) const {
    if (!snapping_) return frame;
    const Timeline& r = document_.timeline();
    const auto reach =
        static_cast<std::int64_t>(kSnapPixels * view_.span() * r.sample_rate / std::max(1, width()));
    auto points = snap_points(drag_ ? drag_->before : r, moving);
    points.push_back(player_.position());
    if (const auto near = snapped(points, frame, reach)) return *near;
    const std::int64_t on_frame = on_picture_frame(r, frame);  // else to whole frames of the picture
    return std::abs(on_frame - frame) <= reach ? on_frame : frame;
}

void TrackCanvas::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton || rows() == 0) return;
    const QPointF at = event->position();
    const int row = row_at(at.y());
    if (row >= 0) selection_.choose_strip(strip_at(static_cast<std::size_t>(row)));
    if (press_line(at)) return;
    lane_.choose_none();
    Hit hit = hit_at(at);
    Drag drag;
    drag.press = at;
    drag.frame = frame_at(at.x());
    drag.row = row;
    drag.before = document_.timeline();
    if (hit.clip == 0) {
        drag.grip = Grip::Range;
    } else {
        if (hit.grip == Grip::Move && (event->modifiers() & Qt::AltModifier)) hit.grip = Grip::Slip;
        drag.grip = hit.grip;
        drag.clip = hit.clip;
        const Clip& clip = *document_.timeline().clip(hit.clip);
        drag.start = clip.start;
        drag.end = clip.end();
        if (event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)) {
            selection_.toggle_clip(hit.clip);
        } else if (!selection_.has_clip(hit.clip)) {
            selection_.choose_clips({hit.clip});
        } else {
            drag.single = true;
        }
    }
    drag_ = std::move(drag);
}

void TrackCanvas::mouseMoveEvent(QMouseEvent* event) {
    const QPointF at = event->position();
    if (!drag_) {
        const Hit hit = hit_at(at);
        const bool edge = hit.grip == Grip::Start || hit.grip == Grip::End;
        const bool fade = hit.grip == Grip::FadeIn || hit.grip == Grip::FadeOut;
        setCursor(edge ? Qt::SizeHorCursor : fade ? Qt::PointingHandCursor : Qt::ArrowCursor);
        return;
    }
    if (!drag_->moved && (at - drag_->press).manhattanLength() < kDragPixels) return;
    drag_->moved = true;
    if (drag_->grip == Grip::Line) {
        if (const auto target = selection_.line_of(lane_strip_))
            lane_.drag_to(lane_scale(static_cast<std::size_t>(drag_->row), *target).point_at(at));
        return;
    }
    if (drag_->grip == Grip::Range) {
        const std::int64_t a = frame_at(std::min(at.x(), drag_->press.x()));
        const std::int64_t b = frame_at(std::max(at.x(), drag_->press.x()));
        const int first = std::min(drag_->row, row_at(at.y()));
        const int last = std::max(drag_->row, row_at(at.y()));
        std::vector<int> inside;
        const auto& tracks = document_.timeline().tracks;
        for (int t = std::max(first, 0); t <= last && t < static_cast<int>(tracks.size()); ++t) {
            for (const auto& c : tracks[static_cast<std::size_t>(t)].clips) {
                if (c.start < b && c.end() > a) inside.push_back(c.id);
            }
        }
        return selection_.choose_clips(std::move(inside));
    }
    drag_clip(at, !(event->modifiers() & Qt::ControlModifier));
}

// Every movement begins from what was there at the press, so that nothing adds up.
void TrackCanvas::drag_clip(QPointF at, bool snap) {
    const Drag& d = *drag_;
    std::int64_t by = frame_at(at.x()) - d.frame;
    const MediaLength length = document_.media_length_function();
    const auto edge = [&](std::int64_t from) {
        if (!snap) return by;
        const std::array<int, 1> one = {d.clip};
        return snapped_frame(from + by, with_groups(d.before, one)) - from;
    };
    const auto change = [&](const QString& label, const std::function<void(Timeline&)>& act) {
        document_.edit_timeline(label, "drag", [&](Timeline& r) {
            r = d.before;
            act(r);
        });
    };
    switch (d.grip) {
        case Grip::Move: {
            const auto moving = selection_.clips().empty() ? std::vector<int>{d.clip} : selection_.clips();
            if (snap) {  // by whichever end comes nearest
                const auto all = with_groups(d.before, moving);
                const std::int64_t head = snapped_frame(d.start + by, all) - d.start;
                const std::int64_t tail = snapped_frame(d.end + by, all) - d.end;
                by = std::abs(head - by) <= std::abs(tail - by) || tail == by ? head : tail;
            }
            const int row = std::min(row_at(at.y()), static_cast<int>(d.before.tracks.size()) - 1);
            const int steps = row >= 0 && d.row >= 0 ? row - d.row : 0;
            return change(tr("Move"), [&](Timeline& r) { move_clips(r, moving, by, steps); });
        }
        case Grip::Slip:
            return change(tr("Slip"), [&](Timeline& r) { slip(r, d.clip, -by, length); });
        case Grip::Start:
            by = edge(d.start);
            return change(tr("Trim the start"), [&](Timeline& r) { trim_start(r, d.clip, by); });
        case Grip::End:
            by = edge(d.end);
            return change(tr("Trim the end"), [&](Timeline& r) { trim_end(r, d.clip, by, length); });
        case Grip::FadeIn:
        case Grip::FadeOut: {
            const bool in = d.grip == Grip::FadeIn;
            const std::int64_t frames = in ? frame_at(at.x()) - d.start : d.end - frame_at(at.x());
            return change(in ? tr("Fade in") : tr("Fade out"), [&](Timeline& r) {
                const Clip& clip = *r.clip(d.clip);
                Fade fade = in ? clip.fade_in : clip.fade_out;
                fade.frames = std::max<std::int64_t>(0, frames);
                set_fade(r, d.clip, in, fade);
            });
        }
        case Grip::None:
        case Grip::Line:
        case Grip::Range:
            return;
    }
}

void TrackCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (!drag_) return;
    const Drag drag = std::move(*drag_);
    drag_.reset();
    if (drag.moved || drag.grip == Grip::Line) {
        document_.close_step();
        return;
    }
    if (drag.single) selection_.choose_clips({drag.clip});
    if (drag.grip == Grip::Range) selection_.choose_clips({});
    if (!(event->modifiers() & (Qt::ControlModifier | Qt::ShiftModifier)))
        player_.locate(frame_at(event->position().x()));
    update();
}

// With a line open on a track or bus, the body of its row is the line's: a press takes hold of a point, or
// sets one near the line. Names and the empty parts stay the clips'.
bool TrackCanvas::press_line(QPointF at) {
    const int row = row_at(at.y());
    if (row < 0) return false;
    const int id = strip_at(static_cast<std::size_t>(row));
    const auto target = selection_.line_of(id);
    if (!target) return false;
    const Strip& strip = *document_.timeline().strip(id);
    const LaneScale scale = lane_scale(static_cast<std::size_t>(row), *target);
    const Breakpoint here = {frame_at(at.x()), value_at(strip, *target, frame_at(at.x()))};
    const bool held = lane_.take_hold(scale, points_of(strip, *target), at);
    if (!held && std::abs(scale.y_of(here.value) - at.y()) > kLineReach) return false;
    lane_strip_ = id;
    Drag drag;
    drag.grip = Grip::Line;
    drag.press = at;
    drag.row = row;
    drag_ = std::move(drag);
    document_.close_step();
    if (!held) lane_.set(here);
    update();
    return true;
}

void TrackCanvas::change_lane(const QString& name, bool drag,
                              const std::function<void(LaneEditor::Points&)>& act) {
    const auto target = selection_.line_of(lane_strip_);
    if (!target) return;
    document_.edit_timeline(name, drag ? "drag" : QString(), [&](Timeline& r) {
        Strip* strip = r.strip(lane_strip_);
        if (strip == nullptr) return;
        const auto there = points_of(*strip, *target);
        LaneEditor::Points points(there.begin(), there.end());
        act(points);
        set_points(*strip, *target, std::move(points));
    });
}

bool TrackCanvas::remove_point() {
    return selection_.line_of(lane_strip_).has_value() && lane_.remove_chosen();
}

}  // namespace rivlen::app
