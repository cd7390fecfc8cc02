// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/lanes.h"

#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "app/separate/doubt_painter.h"
#include "app/widgets/sound_painter.h"
#include "app/widgets/theme.h"
#include "app/widgets/time_input.h"
#include "core/workflow/looping.h"

namespace rivlen::app {

namespace {
constexpr int kLaneGap = 3;
constexpr int kEnlargedRows = 288;
}  // namespace

LaneCanvas::LaneCanvas(Document& document, Player& player, TimeView& view, QWidget* parent)
    : QWidget(parent), document_(document), player_(player), view_(view), tiles_(this) {
    setMinimumSize(240, 200);
    new TimeInput(view_, this,
                  {[this](double factor, double y) {
                       if (enlarged_) zoom_frequencies(factor, hz_at(*enlarged_, y));
                       return enlarged_.has_value();
                   },
                   [this](double steps) {
                       constexpr double kScrollStep = 0.1;
                       if (enlarged_) scroll_frequencies(kScrollStep * steps);
                       return enlarged_.has_value();
                   }});
    setAccessibleName(tr("Source and stems over time"));
    setToolTip({});
    const auto redraw = [this] {
        back_valid_ = false;
        update();
        emit drawn_anew();
    };
    connect(&view_, &TimeView::changed, this, redraw);
    connect(&tiles_, &TileStore::ready, this, redraw);
    connect(&document_, &Document::session_changed, this, redraw);
    connect(&document_, &Document::material_changed, this,
            [this] { tiles_.set_material(document_.source(), document_.map_so_far()); });
}

void LaneCanvas::set_chosen(int sound) {
    chosen_ = sound;
    back_valid_ = false;
    update();
}

void LaneCanvas::unfold(bool on) {
    unfolded_ = on;
    back_valid_ = false;
    update();
    emit range_changed();
}

QRect LaneCanvas::lane_rect(int lane) const {
    if (enlarged_) return lane == *enlarged_ ? rect() : QRect();
    if (!shows(lane)) return {};
    const int lanes = unfolded_ ? kLanes : kLanes - kMusicParts;
    int place = 0;
    for (const int above : kLaneOrder) {
        if (above == lane) break;
        place += shows(above) ? 1 : 0;
    }
    const int height_each = (height() - kLaneGap * (lanes - 1)) / lanes;
    return {0, place * (height_each + kLaneGap), width(), height_each};
}

void LaneCanvas::enlarge(std::optional<int> lane) {
    if (lane == enlarged_) return;
    enlarged_ = lane;
    show_rows();
}

void LaneCanvas::set_range(const FrequencyRange& range) {
    range_ = range;
    show_rows();
}

void LaneCanvas::show_doubt(std::shared_ptr<const DoubtPicture> stems,
                            std::shared_ptr<const DoubtPicture> parts) {
    doubt_ = std::move(stems);
    parts_doubt_ = std::move(parts);
    back_valid_ = false;
    update();
}

const DoubtPicture* LaneCanvas::doubt_over(int lane) const {
    constexpr int kSource = 0, kMusic = 1 + static_cast<int>(kMusicSound);
    if (is_part(lane)) return enlarged_ ? parts_doubt_.get() : nullptr;
    if (lane == kMusic && unfolded_ && !enlarged_) return parts_doubt_.get();
    return lane == kSource || enlarged_ ? doubt_.get() : nullptr;
}

void LaneCanvas::scroll_frequencies(double part) {
    if (enlarged_) set_range(range_.moved(part));
}

void LaneCanvas::zoom_frequencies(double factor, double around_hz) {
    if (enlarged_) set_range(range_.zoomed(factor, around_hz));
}

void LaneCanvas::show_rows() {
    tiles_.set_rows({range(), enlarged_ ? kEnlargedRows : kOverviewRows});
    back_valid_ = false;
    update();
    emit range_changed();
}

std::optional<int> LaneCanvas::lane_at(QPointF at) const {
    for (int lane = 0; lane < kLanes; ++lane) {
        if (lane_rect(lane).contains(at.toPoint())) return lane;
    }
    return {};
}

double LaneCanvas::hz_at(int lane, double y) const {
    const QRect rect = lane_rect(lane);
    return range().hz_at((rect.bottom() + 1 - y) / std::max(1, rect.height()));
}

double LaneCanvas::y_of(int lane, double hz) const {
    const QRect rect = lane_rect(lane);
    return rect.bottom() + 1 - range().position(hz) * rect.height();
}

std::optional<double> LaneCanvas::level_at(int lane, double seconds, double hz) {
    const auto source = document_.source();
    const double position = range().position(hz);
    if (!source || position < 0 || position > 1) return {};
    return level_of_sound(tiles_, view_, width(), source->sample_rate(), seconds, position,
                          lane > 0 ? std::optional(static_cast<std::size_t>(lane - 1)) : std::nullopt);
}

std::int64_t LaneCanvas::frame_at(double x) const {
    const auto source = document_.source();
    if (!source) return 0;
    const double seconds = std::clamp(view_.to_seconds(x, width()), 0.0, view_.total());
    return static_cast<std::int64_t>(std::llround(seconds * source->sample_rate()));
}

void LaneCanvas::draw_back() {
    back_ = QPixmap(size() * devicePixelRatioF());
    back_.setDevicePixelRatio(devicePixelRatioF());
    back_.fill(colour::kGround);
    QPainter painter(&back_);
    complete_ = true;
    const auto source = document_.source();
    if (!source) {
        painter.setPen(colour::kDim);
        painter.drawText(rect(), Qt::AlignCenter,
                         tr("Drop a recording here, with or without picture,\nor bring one in with Ctrl+B."));
    } else {
        for (int lane = 0; lane < kLanes; ++lane) {
            if (!lane_rect(lane).isEmpty()) draw_lane(painter, lane, lane_rect(lane));
        }
    }
    back_valid_ = true;
}

void LaneCanvas::draw_lane(QPainter& painter, int lane, const QRect& rect) {
    const auto source = document_.source();
    const bool is_stem = lane > 0;
    const auto stem = static_cast<std::size_t>(std::max(lane - 1, 0));
    painter.fillRect(rect, QColor(12, 14, 16));
    if (is_stem && !document_.map_so_far()) {
        painter.setPen(colour::kLine);
        painter.drawLine(rect.left(), rect.center().y(), rect.right(), rect.center().y());
        return;
    }
    const auto item = document_.current_item();
    const bool audible = !is_stem || (item != nullptr && item->settings.audible(stem));
    painter.save();
    painter.setClipRect(rect);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    if (!audible) painter.setOpacity(0.28);  // removed: drawn in the stem it came from, faded
    SoundLook look;
    look.body = rect;
    look.sample_rate = source->sample_rate();
    look.from_frame = std::max(0.0, view_.start() * look.sample_rate);
    look.to_frame =
        std::min(static_cast<double>(source->frames()), (view_.start() + view_.span()) * look.sample_rate);
    if (is_stem) look.stem = stem;
    look.outline = is_stem ? stem_colour(stem).lighter(125) : colour::kText;
    look.outline.setAlpha(enlarged_ ? 0 : 200);  // the waveform would lie over what is drawn on
    look.antialiased = true;
    complete_ = draw_sound(painter, tiles_, view_, width(), look) && complete_;
    if (const auto* doubt = doubt_over(lane)) draw_doubt(painter, *doubt, view_, rect, range());
    painter.restore();
    if (enlarged_) draw_frequencies(painter, rect);
    if (is_stem && chosen_ == static_cast<int>(stem)) {
        painter.setPen(QPen(stem_colour(stem), 1));
        painter.drawRect(rect.adjusted(0, 0, -1, -1));
    }
}

// As many labels as there is room for.
void LaneCanvas::draw_frequencies(QPainter& painter, const QRect& rect) const {
    constexpr double kApart = 26;
    painter.setFont(number_font());
    double last = 1e9;
    for (double decade = 10; decade < kHighestShownHz; decade *= 10) {
        for (int k = 1; k < 10; ++k) {
            const double hz = decade * k;
            const double y = rect.bottom() + 1 - range().position(hz) * rect.height();
            if (y < rect.top() + 12 || y > rect.bottom() - 4 || last - y < kApart) continue;
            last = y;
            painter.setPen(QPen(colour::kLine, 1, Qt::DotLine));
            painter.drawLine(QPointF(rect.left(), y), QPointF(rect.right(), y));
            painter.setPen(colour::kDim);
            painter.drawText(QPointF(rect.left() + 4, y - 2),
                             hz < 1000 ? tr("%1 Hz").arg(hz) : tr("%1 kHz").arg(hz / 1000));
        }
    }
}

void LaneCanvas::paintEvent(QPaintEvent*) {
    if (!back_valid_ || back_.size() != size() * devicePixelRatioF()) draw_back();
    QPainter painter(this);
    painter.drawPixmap(0, 0, back_);
    const auto source = document_.source();
    if (!source) return;
    const auto* item = document_.current_item();
    if (item != nullptr && item->loop) {
        const double left = view_.frame_x(item->loop->first, source->sample_rate(), width());
        const double right = view_.frame_x(item->loop->last, source->sample_rate(), width());
        QColor shade = colour::kGround;
        shade.setAlpha(item->loop_on ? 120 : 60);
        painter.fillRect(QRectF(0, 0, std::max(0.0, left), height()), shade);
        painter.fillRect(
            QRectF(std::min<double>(width(), right), 0, std::max(0.0, width() - right), height()), shade);
        painter.setPen(QPen(item->loop_on ? colour::kAct : colour::kDim, 1, Qt::DashLine));
        painter.drawLine(QPointF(left, 0), QPointF(left, height()));
        painter.drawLine(QPointF(right, 0), QPointF(right, height()));
        if (const auto heard = item->heard_loop(); heard && heard->first < item->loop->first) {
            const double lead = view_.frame_x(heard->first, source->sample_rate(), width());
            painter.setPen(QPen(colour::kAct, 1, Qt::DotLine));
            painter.drawLine(QPointF(lead, 0), QPointF(lead, height()));
            painter.drawLine(QPointF(lead, 4), QPointF(left, 4));
        }
    }
    const double x = view_.frame_x(player_.position(), source->sample_rate(), width());
    painter.setPen(QPen(colour::kAct, 1.4));
    painter.drawLine(QPointF(x, 0), QPointF(x, height()));
}

void LaneCanvas::draw_overview(QPainter& painter, const TimeView& whole, QSize size) {
    const auto source = document_.source();
    if (!source) return;
    SoundLook look;
    look.body = QRectF(QPointF(0, 0), size);
    look.sample_rate = source->sample_rate();
    look.to_frame = static_cast<double>(source->frames());
    look.outline = colour::kText;
    draw_sound(painter, tiles_, whole, size.width(), look);
    const double x = whole.frame_x(player_.position(), source->sample_rate(), size.width());
    painter.fillRect(QRectF(x - 0.5, 0, 1.5, size.height()), colour::kAct);
}

void LaneCanvas::resizeEvent(QResizeEvent*) {
    back_valid_ = false;
}

void LaneCanvas::mousePressEvent(QMouseEvent* event) {
    if (event->button() != Qt::LeftButton) return;
    press_x_ = event->position().x();
    dragging_ = false;
    for (int lane = 0; lane < kLanes; ++lane) {
        if (lane_rect(lane).contains(event->position().toPoint())) emit lane_clicked(lane);
    }
}

void LaneCanvas::mouseMoveEvent(QMouseEvent* event) {
    if (press_x_ < 0) return;
    if (!dragging_ && std::abs(event->position().x() - press_x_) < kDragPixels) return;
    dragging_ = true;
    const auto source = document_.source();
    if (!source) return;
    const LoopRange loop = loop_between(frame_at(press_x_), frame_at(event->position().x()),
                                        static_cast<std::int64_t>(source->frames()), source->sample_rate());
    document_.edit(tr("Loop range"), "loop", [&](Session& session) {
        if (session.current < 0) return;
        auto& item = session.items[static_cast<std::size_t>(session.current)];
        item.loop = loop;
        item.loop_on = true;
    });
}

void LaneCanvas::mouseReleaseEvent(QMouseEvent* event) {
    if (press_x_ >= 0 && !dragging_ && document_.source()) {
        player_.locate(frame_at(event->position().x()));
        update();
    }
    if (dragging_) document_.close_step();
    press_x_ = -1;
    dragging_ = false;
}

}  // namespace rivlen::app
