// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/strip_header.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMouseEvent>
#include <QPainter>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <cmath>

#include "app/rebuild/clip_painter.h"
#include "app/widgets/controls.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/dsp/decibels.h"
#include "core/project/strip_parameters.h"

namespace rivlen::app {

namespace {
constexpr double kLowestShownDb = -60;
constexpr double kFallDb = 1.1;  // a sixtieth of a second
constexpr int kHoldTicks = 60;

QToolButton* small_button(const QString& label, const QString& name, const QString& sentence,
                          QWidget* parent) {
    auto* b = make_button(label, name, sentence, parent);
    b->setAccessibleName(sentence);
    b->setCheckable(true);
    b->setProperty("compact", true);
    b->setFixedHeight(19);
    return b;
}
}  // namespace

LevelBar::LevelBar(QWidget* parent) : QWidget(parent) {
    setFixedWidth(9);
    setAccessibleName(tr("Level"));
}

void LevelBar::show_peak(float peak, float reduction_db) {
    const double now = peak > 0 ? db_of_amplitude(static_cast<double>(peak)) : -90.0;
    const double before = level_db_;
    const double reduction_before = reduction_db_;
    level_db_ = std::max(now, std::max(-90.0, level_db_ - kFallDb));
    if (now >= held_db_ || ++held_for_ > kHoldTicks) {
        held_db_ = now;
        held_for_ = 0;
    }
    reduction_db_ = std::min(static_cast<double>(reduction_db), std::min(0.0, reduction_db_ + 0.5));
    if (level_db_ != before || reduction_db_ != reduction_before) update();
}

void LevelBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    painter.fillRect(rect(), QColor(12, 14, 16));
    const auto y_of = [this](double db) {
        return height() * (1 - std::clamp((db - kLowestShownDb) / -kLowestShownDb, 0.0, 1.0));
    };
    // Steps of 6 dB, so that levels can be read without numbers.
    for (double db = kLowestShownDb; db < std::min(level_db_, 0.0); db += 6) {
        const double top = y_of(std::min(db + 6, level_db_));
        const double bottom = y_of(db) - 1;
        painter.fillRect(QRectF(1, top, width() - 2, std::max(0.0, bottom - top)), db >= -6 ? colour::kWarn
                                                                                   : db >= -18
                                                                                       ? colour::kText
                                                                                       : colour::kDim);
    }
    if (held_db_ > kLowestShownDb) painter.fillRect(QRectF(0, y_of(held_db_), width(), 1.5), colour::kAct);
    if (reduction_db_ < -0.1)
        painter.fillRect(QRectF(0, 0, 3, height() * std::min(1.0, -reduction_db_ / 40)), colour::kWarn);
}

StripHeader::StripHeader(Document& document, Selection& selection, SetStripValue set_value, int strip,
                         QWidget* parent)
    : QWidget(parent), document_(document), selection_(selection), strip_(strip) {
    setObjectName(QString("strip_%1").arg(strip));
    setMouseTracking(true);
    auto* row = new QHBoxLayout(this);
    row->setContentsMargins(8, 3, 4, 4);
    row->setSpacing(5);
    auto* column = new QVBoxLayout;
    column->setSpacing(3);
    name_ = new QLabel(this);
    solo_ = small_button(tr("Solo"), QString("solo_%1").arg(strip), tr("Hear only this"), this);
    mute_ = small_button(tr("Mute"), QString("mute_%1").arg(strip), tr("Silence this"), this);
    polarity_ = small_button(tr("Flip"), QString("flip_%1").arg(strip), tr("Flip the phase"), this);
    auto* buttons = new QHBoxLayout;
    buttons->setSpacing(3);
    buttons->addWidget(solo_);
    solo_->setVisible(strip != document.timeline().main_bus());  // everything goes through the main bus
    buttons->addWidget(mute_);
    buttons->addWidget(polarity_);
    buttons->addStretch(1);
    gain_ = new ParameterSlider(kStripGain, this);
    gain_->setObjectName(QString("gain_%1").arg(strip));
    auto* head = new QHBoxLayout;
    head->setSpacing(4);
    head->addWidget(name_, 1);
    line_ = new QComboBox(this);
    line_->setObjectName(QString("line_%1").arg(strip));
    line_->setToolTip(tr("The line that is drawn on this track and can be edited there."));
    line_->setAccessibleName(tr("Line shown"));
    line_->setFixedHeight(19);
    line_->setMaximumWidth(88);
    line_->setStyleSheet("QComboBox { padding: 0 4px; }");
    head->addWidget(line_);
    connect(line_, &QComboBox::activated, this, [this](int index) {
        selection_.show_line(
            strip_, index > 0 ? std::optional(targets_[static_cast<std::size_t>(index - 1)]) : std::nullopt);
    });
    column->addLayout(head);
    column->addLayout(buttons);
    column->addWidget(gain_);
    row->addLayout(column, 1);
    bar_ = new LevelBar(this);
    row->addWidget(bar_);
    const auto edit = [this](const QString& label, const std::function<void(Strip&)>& change) {
        document_.edit_timeline(label, {}, [&](Timeline& r) {
            if (Strip* s = r.strip(strip_)) change(*s);
        });
    };
    connect(solo_, &QToolButton::clicked, this,
            [edit](bool on) { edit(tr("Solo"), [on](Strip& s) { s.solo = on; }); });
    connect(mute_, &QToolButton::clicked, this,
            [edit](bool on) { edit(tr("Mute"), [on](Strip& s) { s.mute = on; }); });
    connect(polarity_, &QToolButton::clicked, this,
            [edit](bool on) { edit(tr("Flip the phase"), [on](Strip& s) { s.polarity_inverted = on; }); });
    connect(gain_, &ParameterSlider::moved, this, [this, set_value](double value) {
        selection_.choose_strip(strip_);
        set_value(strip_, {LaneTarget::Gain, 0, 0, {}}, value);
    });
    connect(gain_, &ParameterSlider::released, this, [this] { document_.close_step(); });
    connect(&selection_, &Selection::changed, this, [this] {
        fill_lines();
        update();
    });
    follow_session();
}

void StripHeader::fill_lines() {
    const Strip* strip = document_.timeline().strip(strip_);
    if (strip == nullptr) return;
    targets_.clear();
    QStringList names = {tr("no line")};
    const auto add = [&](const StripLane& target, const QString& name) {
        targets_.push_back(target);
        names << (find_lane(*strip, target) != nullptr ? "• " + name : name);
    };
    add({LaneTarget::Gain, 0, 0, {}}, tr("gain"));
    if (document_.timeline().is_placed(strip_)) {
        add({LaneTarget::Azimuth, 0, 0, {}}, tr("azimuth"));
        add({LaneTarget::Elevation, 0, 0, {}}, tr("elevation"));
        add({LaneTarget::Spread, 0, 0, {}}, tr("spread"));
        if (document_.timeline().layout_of(strip_) == Layout::Stereo)
            add({LaneTarget::Width, 0, 0, {}}, tr("width"));
        if (lfe_channel(document_.timeline().layout_behind(strip_)))
            add({LaneTarget::Lfe, 0, 0, {}}, tr("LFE"));
    } else if (document_.timeline().has_pan(strip_)) {
        add({LaneTarget::Pan, 0, 0, {}}, tr("pan"));
        if (strip->pan_law == PanLaw::Sides) add({LaneTarget::Width, 0, 0, {}}, tr("width"));
    }
    add({LaneTarget::Mute, 0, 0, {}}, tr("mute"));
    for (const auto& send : strip->sends)
        add({LaneTarget::Send, send.bus, 0, {}},
            tr("to %1").arg(text(document_.timeline().strip_name(send.bus))));
    for (const auto& part : strip->chain) {
        const EffectInfo& about = info(part.kind);
        for (std::size_t p = 0; p < about.parameters.size(); ++p)
            add({LaneTarget::Part, part.id, static_cast<int>(p), {}},
                QString("%1: %2").arg(words(about.label), words(about.parameters[p].label).toLower()));
    }
    int index = 0;
    if (const auto shown = selection_.line_of(strip_)) {
        for (std::size_t i = 0; i < targets_.size(); ++i) {
            if (targets_[i].same_target(*shown)) index = static_cast<int>(i) + 1;
        }
    }
    const QSignalBlocker quiet(line_);
    if (line_->count() != names.size()) {
        line_->clear();
        line_->addItems(names);
    } else {
        for (int i = 0; i < names.size(); ++i) line_->setItemText(i, names[i]);
    }
    line_->setCurrentIndex(index);
}

void StripHeader::follow_session() {
    const Timeline& r = document_.timeline();
    const Strip* strip = r.strip(strip_);
    if (strip == nullptr) return;
    const QString name = text(r.strip_name(strip_));
    name_->setText(name);
    solo_->setChecked(strip->solo);
    mute_->setChecked(strip->mute);
    polarity_->setChecked(strip->polarity_inverted);
    gain_->setAccessibleName(tr("Gain of %1").arg(name));
    gain_->set_marked(find_lane(*strip, {LaneTarget::Gain, 0, 0, {}}) != nullptr);
    follow_playhead(playhead_);
    fill_lines();
    update();
}

void StripHeader::follow_playhead(SessionFrame playhead) {
    playhead_ = playhead;
    if (const Strip* strip = document_.timeline().strip(strip_))
        gain_->set_value(value_at(*strip, {LaneTarget::Gain, 0, 0, {}}, playhead_.count));
}

void StripHeader::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const bool chosen = selection_.strip() == strip_;
    painter.fillRect(rect().adjusted(0, 0, 0, -3), chosen ? colour::kRaised : colour::kPanel);
    QColor tint = colour::kDim;
    if (const Track* track = document_.timeline().track(strip_); track != nullptr && !track->clips.empty())
        tint = ClipPainter::colour_of(track->clips.front().clip_source);
    painter.fillRect(QRect(0, 0, 4, height() - 3), tint);
}

bool StripHeader::at_edge(double y) const {
    constexpr double kReach = 6;
    return y >= height() - kReach;
}

void StripHeader::mousePressEvent(QMouseEvent* event) {
    resizing_ = at_edge(event->position().y());
    if (!resizing_) selection_.choose_strip(strip_);
}

// By its lower edge a head, and all rows with it, becomes higher or lower.
void StripHeader::mouseMoveEvent(QMouseEvent* event) {
    setCursor(resizing_ || at_edge(event->position().y()) ? Qt::SizeVerCursor : Qt::ArrowCursor);
    if (resizing_) emit height_wanted(static_cast<int>(event->position().y()));
}

void StripHeader::mouseReleaseEvent(QMouseEvent*) {
    resizing_ = false;
}

}  // namespace rivlen::app
