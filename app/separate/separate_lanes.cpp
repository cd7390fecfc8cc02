// SPDX-License-Identifier: GPL-3.0-or-later
// The lanes of the Separate view with what stands beside them: which of them are shown, and which is chosen.
#include <QGridLayout>
#include <QHBoxLayout>
#include <QVBoxLayout>
#include <algorithm>

#include "app/separate/separate_view.h"
#include "app/widgets/controls.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

constexpr int kHeaderWidth = 138, kFlatHeaderWidth = 250;

}  // namespace

QWidget* SeparateView::build_lanes() {
    auto* area = new QWidget(this);
    auto* grid = new QGridLayout(area);
    grid->setContentsMargins(0, 0, 0, 0);
    grid->setSpacing(3);
    strip_ = new TimeStrip(document_, player_, view_, area);
    lanes_ = new LaneCanvas(document_, player_, view_, area);
    lanes_->setObjectName("lanes");
    strip_->setObjectName("strip");
    regions_ = new RegionEditor(document_, correcting_, view_, *lanes_);
    line_ = new SettingLineEditor(document_, view_, *lanes_);
    headers_ = new QWidget(area);
    headers_->setFixedWidth(kHeaderWidth);
    auto* column = new QVBoxLayout(headers_);
    column->setContentsMargins(0, 0, 0, 0);
    column->setSpacing(3);
    for (const int lane : kLaneOrder) {
        lane_heads_[static_cast<std::size_t>(lane)] = build_lane_header(lane, headers_);
        lane_heads_[static_cast<std::size_t>(lane)]->setVisible(lanes_->shows(lane));
        column->addWidget(lane_heads_[static_cast<std::size_t>(lane)], 1);
    }
    overview_ = new OverviewStrip(
        view_,
        [this](QPainter& painter, const TimeView& whole) {
            lanes_->draw_overview(painter, whole, overview_->size());
        },
        area);
    overview_->setObjectName("overview");
    connect(lanes_, &LaneCanvas::drawn_anew, overview_, qOverload<>(&QWidget::update));
    grid->addWidget(overview_, 0, 1);
    grid->addWidget(strip_, 1, 1);
    grid->addWidget(headers_, 2, 0);
    grid->addWidget(lanes_, 2, 1);
    risk_ = new RiskStrip(document_, measuring_, view_, area);
    risk_->setObjectName("risk");
    auto* risk_label = new QLabel(tr("Risk"), area);
    risk_label->setContentsMargins(4, 0, 0, 0);
    risk_label->setToolTip(risk_->toolTip());
    grid->addWidget(risk_label, 3, 0);
    grid->addWidget(risk_, 3, 1);
    grid->setColumnStretch(1, 1);
    return area;
}

QWidget* SeparateView::build_lane_header(int lane, QWidget* parent) {
    auto* header = new QWidget(parent);
    auto* column = new QVBoxLayout(header);
    column->setContentsMargins(4, 4, 4, 2);
    auto* box = new QBoxLayout(QBoxLayout::TopToBottom);
    box->setSpacing(4);
    column->addLayout(box);
    lane_boxes_[static_cast<std::size_t>(lane)] = box;
    if (lane == 0) {
        box->addWidget(new QLabel(tr("Source"), header));
        auto* note = new QLabel(tr("as brought in"), header);
        dim(note);
        box->addWidget(note);
    } else {
        fill_stem_header(static_cast<std::size_t>(lane - 1), box);
    }
    column->addStretch(1);
    return header;
}

void SeparateView::fill_stem_header(std::size_t s, QBoxLayout* box) {
    QWidget* header = box->parentWidget();
    const QString key = kSoundNames[s];
    names_[s] = make_button(stem_label(s), "stem_" + key,
                            tr("Choose this stem for tuning (arrow up, arrow down)."), header);
    names_[s]->setCheckable(true);
    names_[s]->setProperty("drawn", true);  // its icon has the stem's colour: no bright ground behind it
    names_[s]->setIcon(stem_icon(s));
    names_[s]->setToolButtonStyle(Qt::ToolButtonTextBesideIcon);
    names_[s]->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    connect(names_[s], &QToolButton::clicked, this, [this, s] { choose_stem(static_cast<int>(s)); });
    solo_[s] = make_button(tr("Solo"), "solo_" + key, tr("Hear and keep only what has solo."), header);
    mute_[s] = make_button(tr("Mute"), "mute_" + key,
                           is_music_part(s) ? tr("Leave this part out of the music.")
                                            : tr("Leave this stem out of what is kept."),
                           header);
    solo_[s]->setProperty("action", "solo");
    mute_[s]->setProperty("action", "mute");
    auto* pair = new QHBoxLayout;
    pair->setSpacing(4);
    for (auto* b : {solo_[s], mute_[s]}) {
        b->setCheckable(true);
        b->setAccessibleName(QString("%1 %2").arg(b->text(), stem_label(s)));
        pair->addWidget(b);
    }
    auto* name = new QHBoxLayout;
    name->addWidget(names_[s]);
    if (s == kMusicSound) {
        unfold_ = make_button({}, "open_music",
                              tr("Voices, drums, bass and the rest of the music, each on a lane of its own."),
                              header);
        unfold_->setAccessibleName(tr("Parts of the music"));
        unfold_->setCheckable(true);
        unfold_->setArrowType(Qt::RightArrow);
        unfold_->setProperty("compact", true);
        name->addWidget(unfold_);
        connect(unfold_, &QToolButton::clicked, this, &SeparateView::unfold_music);
    }
    box->addLayout(name, 1);
    box->addLayout(pair);
    connect(solo_[s], &QToolButton::clicked, this, [this, s](bool on) {
        document_.edit_settings(tr("Solo"), {}, [&](ShapeSettings& x) { x.stems[s].solo = on; });
    });
    connect(mute_[s], &QToolButton::clicked, this, [this, s](bool on) {
        document_.edit_settings(tr("Mute"), {}, [&](ShapeSettings& x) { x.stems[s].mute = on; });
    });
}

// The chosen stem's lane, or back to all of them.
void SeparateView::enlarge_lane(bool on) {
    if (line_->setting()) line_->close_line();
    lanes_->enlarge(on ? std::optional(1 + stem_) : std::nullopt);
    for (int lane = 0; lane < kLanes; ++lane)
        lane_heads_[static_cast<std::size_t>(lane)]->setVisible(on ? lane == 1 + stem_ : lanes_->shows(lane));
}

void SeparateView::unfold_music(bool on) {
    unfold_->setChecked(lanes_->unfolded());  // it shows what is, not what is wanted
    if (!on || music_is_open()) return show_unfolded(on);
    unfold_when_open_ = document_.model_map() != nullptr;
    document_.open_music();
}

// With the parts below it, there is room for one row beside a lane.
void SeparateView::show_unfolded(bool on) {
    unfold_when_open_ = false;
    if (line_->setting()) line_->close_line();
    lanes_->unfold(on);
    if (!on && is_music_part(stem())) choose_stem(static_cast<int>(kMusicSound));
    unfold_->setChecked(on);
    unfold_->setArrowType(on ? Qt::DownArrow : Qt::RightArrow);
    headers_->setFixedWidth(on ? kFlatHeaderWidth : kHeaderWidth);
    for (int lane = 0; lane < kLanes; ++lane) {
        const auto at = static_cast<std::size_t>(lane);
        lane_boxes_[at]->setDirection(on ? QBoxLayout::LeftToRight : QBoxLayout::TopToBottom);
        lane_heads_[at]->setVisible(lanes_->enlarged() ? lane == 1 + stem_ : lanes_->shows(lane));
    }
    const int width = mute_.front()->sizeHint().width();
    for (const auto& buttons : {solo_, mute_}) {  // below each other
        for (auto* button : buttons) {
            button->setMinimumWidth(on ? width : 0);
            button->setMaximumWidth(on ? width : QWIDGETSIZE_MAX);
        }
    }
}

// Again: all of it.
void SeparateView::hear_music(MusicHeard what) {
    if (document_.current_item() == nullptr || !document_.model_map())
        return emit said(tr("Split the recording first."), false);
    const bool back = music_heard(document_.shown_settings()) == what;
    const QString label =
        what == MusicHeard::Instrumental ? tr("Instrumental") : tr("Voices of the music only");
    document_.edit_settings(label, {},
                            [&](ShapeSettings& s) { rivlen::hear_music(s, back ? MusicHeard::All : what); });
    document_.open_music();
    emit said(back                               ? tr("All of the music.")
              : what == MusicHeard::Instrumental ? tr("The music without its voices.")
                                                 : tr("Of the music the voices only."),
              false);
}

void SeparateView::choose_stem(int chosen) {
    if (stem_ != chosen && line_->setting()) line_->close_line();
    stem_ = chosen;
    tuning_->choose(stem());
    measuring_.set_doubt(doubting_.line_of(stem()).doubt);
    lanes_->set_chosen(chosen);
    if (lanes_->enlarged()) enlarge_lane(true);
    for (std::size_t s = 0; s < kSounds; ++s) names_[s]->setChecked(s == stem());
}

// The next one on the lanes.
void SeparateView::step_stem(int by) {
    auto at = std::ranges::find(kLaneOrder, 1 + stem_);
    do {
        if (by < 0 ? at == kLaneOrder.begin() + 1 : at + 1 == kLaneOrder.end()) return;
        at += by;
    } while (!lanes_->shows(*at));
    choose_stem(*at - 1);
}

}  // namespace rivlen::app
