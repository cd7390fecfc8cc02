// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/mix_transport.h"

#include <QComboBox>
#include <QHBoxLayout>
#include <QPainter>
#include <algorithm>
#include <cmath>

#include "app/widgets/controls.h"
#include "app/widgets/theme.h"

namespace rivlen::app {

namespace {

QLabel* make_readout(const QString& name, const QString& accessible_name, int width, QWidget* parent) {
    auto* label = new QLabel(parent);
    label->setObjectName(name);
    label->setFont(number_font());
    label->setMinimumWidth(width);
    label->setAccessibleName(accessible_name);
    return label;
}

}  // namespace

CorrelationBar::CorrelationBar(QWidget* parent) : QWidget(parent) {
    setObjectName("mix_correlation");
    setFixedSize(74, 20);
    setAccessibleName(tr("Correlation of the sides"));
    setToolTip(
        tr("How alike both sides are: at the right end the same, in the middle nothing in common, at the "
           "left end "
           "opposite, and lost in mono."));
}

void CorrelationBar::show_value(Level value) {
    if (value == value_) return;
    value_ = value;
    update();
}

void CorrelationBar::paintEvent(QPaintEvent*) {
    QPainter painter(this);
    const QRectF ground = QRectF(rect()).adjusted(0, 6, 0, -6);
    painter.fillRect(ground, colour::kGround);
    const double middle = width() / 2.0;
    painter.fillRect(QRectF(middle - 0.5, 2, 1, height() - 4), colour::kLine);
    if (!value_) return;
    const double x = middle * (1 + std::clamp(*value_, -1.0, 1.0));
    painter.fillRect(QRectF(std::min(x, middle), ground.top(), std::abs(x - middle), ground.height()),
                     *value_ < 0 ? colour::kWarn : colour::kDim);
    painter.fillRect(QRectF(std::clamp(x - 1.5, 0.0, width() - 3.0), 2, 3, height() - 4),
                     *value_ < 0 ? colour::kWarn : colour::kText);
}

MixTransport::MixTransport(QWidget* parent) : QWidget(parent) {
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 2, 0, 0);
    play_ = make_button(tr("Play"), "mix_play", tr("Play or stop."), this);
    loop_ = make_button(tr("Loop"), "mix_loop",
                        tr("Play the loop range again and again. Drag over the ruler to set it."), this);
    record_ =
        make_button(tr("Record"), "record",
                    tr("Record from the microphone onto the chosen track, from the playhead on."), this);
    silences_ = make_button(tr("Silences…"), "silences", tr("Take the silences out of talk."), this);
    listening_ = new QComboBox(this);
    listening_->setObjectName("listening");
    listening_->setAccessibleName(tr("How the main bus is heard"));
    listening_->setToolTip(
        tr("How the main bus is heard: folded down to stereo; on headphones through a measured head, from "
           "where its loudspeakers stand; on the loudspeakers of a device that has more than two channels."));
    listening_->addItem(tr("Fold-down"), static_cast<int>(Monitoring::FoldDown));
    listening_->addItem(tr("Headphones"), static_cast<int>(Monitoring::Headphones));
    for (auto* b : {loop_, record_, silences_}) b->setCheckable(true);
    time_ = make_readout("mix_time", tr("Playhead in timecode"), 96, this);
    samples_ = make_readout("mix_samples", tr("Playhead in samples"), 120, this);
    loudness_ = make_readout("mix_loudness", tr("Loudness of the main bus"), 0, this);
    loudness_->setToolTip(
        tr("Main bus: momentary, short-term and integrated loudness (ITU-R BS.1770-4, EBU Tech 3341) and "
           "true peak since playing began."));
    for (QWidget* w :
         {static_cast<QWidget*>(play_), static_cast<QWidget*>(loop_), static_cast<QWidget*>(record_),
          static_cast<QWidget*>(time_), static_cast<QWidget*>(samples_), static_cast<QWidget*>(silences_)})
        line->addWidget(w);
    line->addWidget(listening_);
    line->addStretch(1);
    correlation_ = new CorrelationBar(this);
    line->addWidget(correlation_);
    line->addWidget(loudness_);
    connect(play_, &QToolButton::clicked, this, &MixTransport::play_wanted);
    connect(loop_, &QToolButton::clicked, this, &MixTransport::loop_wanted);
    connect(record_, &QToolButton::clicked, this, &MixTransport::record_wanted);
    connect(silences_, &QToolButton::clicked, this, &MixTransport::silences_wanted);
    connect(listening_, &QComboBox::activated, this, [this](int index) {
        emit listening_wanted(static_cast<Monitoring>(listening_->itemData(index).toInt()));
    });
}

void MixTransport::show_listening(Monitoring monitoring, bool has_loudspeakers) {
    const int loudspeakers = listening_->findData(static_cast<int>(Monitoring::Loudspeakers));
    if (has_loudspeakers && loudspeakers < 0)
        listening_->addItem(tr("Loudspeakers"), static_cast<int>(Monitoring::Loudspeakers));
    if (!has_loudspeakers && loudspeakers >= 0) listening_->removeItem(loudspeakers);
    // Without loudspeakers of its own a device folds down.
    listening_->setCurrentIndex(std::max(0, listening_->findData(static_cast<int>(monitoring))));
}

void MixTransport::follow_session(const Timeline& timeline) {
    loop_->setChecked(timeline.loop && timeline.loop_on);
    loop_->setEnabled(timeline.loop.has_value());
    play_->setEnabled(timeline.end() > 0);
}

void MixTransport::show_playing(bool playing) {
    play_->setText(playing ? tr("Stop") : tr("Play"));
}

void MixTransport::show_position(const QString& timecode, std::int64_t frame) {
    if (timecode.isEmpty()) {
        time_->clear();
        samples_->clear();
        return;
    }
    if (timecode != time_->text()) time_->setText(timecode);
    samples_->setText(tr("%1 samples").arg(frame));
}

void MixTransport::show_loudness(const MixPlayer::Meters& m) {
    correlation_->show_value(m.correlation);
    const auto shown = [](std::optional<double> value) {
        return value ? QString::number(*value, 'f', 1) : QString(QChar(0x2014));
    };
    loudness_->setText(tr("M %1   S %2   I %3 LUFS   peak %4 dBTP")
                           .arg(shown(m.momentary_lufs), shown(m.short_term_lufs), shown(m.integrated_lufs),
                                shown(m.true_peak_dbtp)));
}

}  // namespace rivlen::app
