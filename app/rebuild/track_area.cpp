// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/track_area.h"

#include <QPainter>
#include <QScrollBar>
#include <QSettings>
#include <algorithm>
#include <cmath>

#include "app/rebuild/clip_painter.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

TrackArea::TrackArea(Document& document, MixPlayer& player, TimeView& view, Selection& selection,
                     LevelWatch& levels, SetStripValue set_value, QWidget* tools, QWidget* parent)
    : QWidget(parent),
      document_(document),
      player_(player),
      view_(view),
      selection_(selection),
      levels_(levels),
      set_value_(std::move(set_value)),
      scroll_(new QScrollArea(this)),
      asked_height_(QSettings().value("sizes/rebuild_rows", 0).toInt()) {
    auto* column = new QVBoxLayout(this);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(2);
    column->addLayout(build_times(tools));
    scroll_->setObjectName("track_area");
    scroll_->setWidgetResizable(true);
    scroll_->setFrameShape(QFrame::NoFrame);
    scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    scroll_->setWidget(build_rows());
    scroll_->installEventFilter(this);
    scroll_->viewport()->installEventFilter(this);
    column->addWidget(scroll_, 1);
}

QLayout* TrackArea::build_times(QWidget* tools) {
    auto* top = new QHBoxLayout;
    top->setSpacing(3);
    ruler_ = new MixRuler(document_, player_, view_, selection_, this);
    ruler_->setObjectName("mix_ruler");
    overview_ = new OverviewStrip(
        view_, [this](QPainter& painter, const TimeView& whole) { draw_overview(painter, whole); }, this);
    overview_->setObjectName("mix_overview");
    over_time_ = new QVBoxLayout;
    over_time_->setSpacing(2);
    over_time_->addWidget(overview_);
    over_time_->addWidget(ruler_, 1);
    top->addWidget(tools);
    top->addLayout(over_time_, 1);
    return top;
}

QWidget* TrackArea::build_rows() {
    auto* content = new QWidget(scroll_);
    auto* row = new QHBoxLayout(content);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(3);
    heads_ = new QWidget(content);
    heads_->setFixedWidth(kHeadWidth);
    auto* head_column = new QVBoxLayout(heads_);
    head_column->setContentsMargins(0, 0, 0, 0);
    head_column->setSpacing(0);
    canvas_ = new TrackCanvas(document_, player_, view_, selection_, levels_, content);
    canvas_->setObjectName("tracks");
    canvas_->show_loudness(&loudness_);
    connect(canvas_, &TrackCanvas::height_wanted, this, &TrackArea::set_row_height);
    connect(canvas_, &TrackCanvas::scroll_wanted, this, [this](double rows) {
        auto* bar = scroll_->verticalScrollBar();
        bar->setValue(bar->value() + static_cast<int>(std::lround(rows * canvas_->row_height())));
    });
    row->addWidget(heads_, 0, Qt::AlignTop);
    row->addWidget(canvas_, 1, Qt::AlignTop);
    return content;
}

void TrackArea::follow_session() {
    build_headers();
    for (auto* header : headers_) header->follow_session();
    loudness_.clear();  // of another state of the mix
}

void TrackArea::follow_playhead(SessionFrame playhead) {
    for (auto* header : headers_) header->follow_playhead(playhead);
}

int TrackArea::strip_beside(int strip, int by) const {
    const auto at = std::ranges::find(headed_, strip);
    if (at == headed_.end()) return strip;
    const auto to = std::clamp<std::ptrdiff_t>(at - headed_.begin() + by, 0, std::ssize(headed_) - 1);
    return headed_[static_cast<std::size_t>(to)];
}

bool TrackArea::hand_is_near() const {
    const bool drawing = canvas_->underMouse() && selection_.line_of(selection_.strip()).has_value();
    return heads_->underMouse() || drawing;
}

// The clips, a thin line of them a track.
void TrackArea::draw_overview(QPainter& painter, const TimeView& whole) const {
    const Timeline& r = document_.timeline();
    const int rate = std::max(1, r.sample_rate);
    const double high =
        static_cast<double>(overview_->height()) / std::max<double>(1, static_cast<double>(r.tracks.size()));
    for (std::size_t t = 0; t < r.tracks.size(); ++t) {
        for (const auto& clip : r.tracks[t].clips) {
            const double left = whole.frame_x(clip.start, rate, overview_->width());
            const double right = whole.frame_x(clip.end(), rate, overview_->width());
            painter.fillRect(QRectF(left, high * static_cast<double>(t), std::max(1.0, right - left),
                                    std::max(1.0, high - 1)),
                             clip.mute ? colour::kLine : ClipPainter::colour_of(clip.clip_source));
        }
    }
    const double x = whole.frame_x(player_.position(), rate, overview_->width());
    painter.fillRect(QRectF(x - 0.5, 0, 1.5, overview_->height()), colour::kAct);
}

void TrackArea::build_headers() {
    const Timeline& r = document_.timeline();
    auto ids = TrackCanvas::strips_of(r);
    if (ids == headed_) return;
    headed_ = std::move(ids);
    for (auto* header : headers_) {
        header->hide();
        header->deleteLater();
    }
    headers_.clear();
    for (const int id : headed_) {
        auto* header = new StripHeader(document_, selection_, set_value_, id, heads_);
        connect(header, &StripHeader::height_wanted, this, &TrackArea::set_row_height);
        headers_.push_back(header);
        heads_->layout()->addWidget(header);
        header->show();
    }
    fit_rows();
}

void TrackArea::set_row_height(int height) {
    asked_height_ = std::clamp(height, kLeastTrackHeight, kMostTrackHeight);
    QSettings().setValue("sizes/rebuild_rows", asked_height_);
    fit_rows();
}

// As high as was asked for; until something is asked for, so high that they fill what there is.
void TrackArea::fit_rows() {
    constexpr int kFullTrackHeight = 130;  // higher only when asked for
    const int rows = std::max(1, static_cast<int>(headed_.size()));
    const int filling = std::clamp(scroll_->height() / rows, kLeastTrackHeight, kFullTrackHeight);
    canvas_->set_row_height(asked_height_ > 0 ? asked_height_ : filling);
    for (auto* header : headers_) header->setFixedHeight(canvas_->row_height());
}

bool TrackArea::eventFilter(QObject* watched, QEvent* event) {
    if (event->type() == QEvent::Resize) {
        if (watched == scroll_) fit_rows();
        // A scroll bar beside the tracks: the times above end where theirs do.
        if (watched == scroll_->viewport())
            over_time_->setContentsMargins(0, 0, scroll_->width() - scroll_->viewport()->width(), 0);
    }
    return QWidget::eventFilter(watched, event);
}

}  // namespace rivlen::app
