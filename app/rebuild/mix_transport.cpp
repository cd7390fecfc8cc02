// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/mix_transport.h"

#include <QHBoxLayout>

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
    line->addStretch(1);
    line->addWidget(loudness_);
    connect(play_, &QToolButton::clicked, this, &MixTransport::play_wanted);
    connect(loop_, &QToolButton::clicked, this, &MixTransport::loop_wanted);
    connect(record_, &QToolButton::clicked, this, &MixTransport::record_wanted);
    connect(silences_, &QToolButton::clicked, this, &MixTransport::silences_wanted);
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
    const auto shown = [](std::optional<double> value) {
        return value ? QString::number(*value, 'f', 1) : QString(QChar(0x2014));
    };
    loudness_->setText(tr("M %1   S %2   I %3 LUFS   peak %4 dBTP")
                           .arg(shown(m.momentary_lufs), shown(m.short_term_lufs), shown(m.integrated_lufs),
                                shown(m.true_peak_dbtp)));
}

}  // namespace rivlen::app
