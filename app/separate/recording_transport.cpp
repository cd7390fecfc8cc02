// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/separate/recording_transport.h"

#include <QButtonGroup>
#include <QHBoxLayout>
#include <algorithm>
#include <utility>

#include "app/widgets/controls.h"
#include "app/widgets/elided_label.h"
#include "app/widgets/theme.h"
#include "core/dsp/decibels.h"
#include "core/workflow/looping.h"

namespace rivlen::app {

namespace {

constexpr double kSilentDb = -90;
constexpr double kPeakFallDb = 0.4;  // each time the meter is looked at
constexpr auto kCut = static_cast<std::size_t>(Monitor::Cut);
constexpr int kMarkWidth = 30;     // of a button with a mark alone
constexpr int kMatchRestMs = 120;  // of the settings, before levels are measured

}  // namespace

RecordingTransport::RecordingTransport(Document& document, JobList& jobs, Player& player,
                                       const QString& device, QWidget* parent)
    : QWidget(parent), document_(document), jobs_(jobs), player_(player) {
    gains_.fill(1.0F);
    auto* line = new QHBoxLayout(this);
    line->setContentsMargins(0, 2, 0, 0);
    play_ = make_button(tr("Play"), "play", tr("Play or stop."), this);
    loop_ = make_button(tr("Loop"), "loop",
                        tr("Play the loop range again and again. Drag over the lanes to set it."), this);
    loop_->setCheckable(true);
    time_ = new QLabel(this);
    time_->setFont(number_font());
    time_->setMinimumWidth(96);
    time_->setAccessibleName(tr("Playhead"));
    level_match_ = make_button(tr("Level match"), "level_match",
                               tr("All ways of listening are made as loud as the source over the loop, so "
                                  "that the louder one does not seem better."),
                               this);
    level_match_->setCheckable(true);
    match_ = new QLabel(this);
    match_->setFont(number_font());
    match_->setMinimumWidth(64);
    match_->setObjectName("match_gain");
    sum_ = new QLabel(this);
    sum_->setObjectName("sum");
    sum_->setToolTip(tr("Peak of the difference between the four neutral stems together and the source."));
    meter_ = new QLabel(this);
    meter_->setFont(number_font());
    meter_->setMinimumWidth(84);
    meter_->setAlignment(Qt::AlignRight | Qt::AlignVCenter);
    meter_->setAccessibleName(tr("Peak level"));
    line->addWidget(play_);
    line->addWidget(loop_);
    line->addWidget(time_);
    line->addSpacing(14);
    line->addWidget(build_monitors());
    line->addWidget(level_match_);
    line->addWidget(match_);
    line->addSpacing(8);
    line->addWidget(sum_);
    line->addSpacing(8);
    line->addWidget(meter_);
    line->addSpacing(8);
    auto* device_label = new ElidedLabel(device, this);  // gives way first where there is little room
    line->addWidget(device_label, 1);
    connect(play_, &QToolButton::clicked, this, &RecordingTransport::play_or_stop);
    connect(loop_, &QToolButton::clicked, this, &RecordingTransport::toggle_loop);
    connect(level_match_, &QToolButton::clicked, this, &RecordingTransport::toggle_level_match);
    match_timer_.setSingleShot(true);
    match_timer_.setInterval(kMatchRestMs);
    connect(&match_timer_, &QTimer::timeout, this, &RecordingTransport::measure_match);
}

QWidget* RecordingTransport::build_monitors() {
    auto* row = new QWidget(this);
    auto* line = new QHBoxLayout(row);
    line->setContentsMargins(0, 0, 0, 0);
    line->setSpacing(4);
    line->addWidget(new QLabel(tr("Listen to"), row));
    std::array<QString, kMonitors> labels = {tr("Source"), tr("Kept"), tr("Removed")};  // others are stems
    labels[kCut] = tr("Cut");
    auto* group = new QButtonGroup(this);
    for (std::size_t m = 0; m < kMonitors; ++m) {
        const auto sound = sound_of_monitor(static_cast<Monitor>(m));
        const QString label = sound ? stem_label(*sound) : labels[m];
        const QString sentence = !sound                  ? tr("Listen to: %1.").arg(label)
                                 : is_music_part(*sound) ? tr("Listen to this part of the music alone.")
                                                         : tr("Listen to this stem alone.");
        monitors_[m] = make_button(label, QString("monitor_%1").arg(kMonitorKeys[m]), sentence, row);
        monitors_[m]->setCheckable(true);
        group->addButton(monitors_[m]);
        if (sound) {
            monitors_[m]->setProperty("drawn", true);
            monitors_[m]->setIcon(stem_icon(*sound));
            monitors_[m]->setToolButtonStyle(Qt::ToolButtonIconOnly);
            monitors_[m]->setProperty("compact", true);
            monitors_[m]->setFixedWidth(kMarkWidth);
            monitors_[m]->setVisible(!is_music_part(*sound));
        }
        connect(monitors_[m], &QToolButton::clicked, this,
                [this, m] { set_monitor(static_cast<Monitor>(m)); });
        line->addWidget(monitors_[m]);
    }
    return row;
}

void RecordingTransport::follow_session() {
    const Session& session = document_.session();
    const auto* item = document_.current_item();
    monitors_[static_cast<std::size_t>(session.monitor)]->setChecked(true);
    level_match_->setChecked(session.level_match);
    loop_->setChecked(item != nullptr && item->loop && item->loop_on);
    loop_->setEnabled(item != nullptr && item->loop);
}

void RecordingTransport::follow_material() {
    const Material* material = document_.current_material();
    const bool heard = document_.map_so_far() != nullptr;
    play_->setEnabled(document_.source() != nullptr);
    const bool opened = document_.map() && document_.map()->opens_music();
    for (std::size_t m = 1; m < kMonitors; ++m) {
        const auto sound = sound_of_monitor(static_cast<Monitor>(m));
        const bool part = sound && is_music_part(*sound);
        monitors_[m]->setEnabled(part ? opened : heard);
        if (part) monitors_[m]->setVisible(opened);
    }
    monitors_[kCut]->setEnabled(heard && document_.map() && document_.map()->cuts());
    if (!document_.source()) {
        sum_->setText({});
    } else if (!document_.map()) {
        sum_->setText(heard ? tr("What is split can be heard.") : tr("Not split yet."));
    } else if (material->sum_dbfs) {
        sum_->setText(tr("Sum %1 dBFS").arg(*material->sum_dbfs, 0, 'f', 1));
    } else {
        sum_->setText(tr("Sum check…"));
    }
}

void RecordingTransport::show_time(const QString& time) {
    time_->setText(time);
}

void RecordingTransport::follow_playing() {
    play_->setText(player_.playing() ? tr("Stop") : tr("Play"));
    const auto peak = static_cast<double>(player_.take_peak());
    meter_db_ = std::max(peak > 0 ? db_of_amplitude(peak) : kSilentDb, meter_db_ - kPeakFallDb);
    meter_->setText(meter_db_ > kSilentDb + 1 ? tr("%1 dBFS").arg(meter_db_, 0, 'f', 1) : tr("— dBFS"));
}

void RecordingTransport::play_or_stop() {
    player_.playing() ? player_.stop() : player_.play();
}

void RecordingTransport::toggle_loop() {
    document_.edit(tr("Loop"), {}, [](Session& s) {
        if (s.current >= 0) s.items[static_cast<std::size_t>(s.current)].loop_on ^= true;
    });
}

void RecordingTransport::toggle_level_match() {
    document_.edit(tr("Level match"), {}, [](Session& s) { s.level_match ^= true; });
}

void RecordingTransport::set_monitor(Monitor monitor) {
    document_.edit(tr("Listen to another"), "monitor", [monitor](Session& s) { s.monitor = monitor; });
    show_match_gain();
}

void RecordingTransport::show_match_gain() {
    const auto gain = static_cast<double>(gains_[static_cast<std::size_t>(document_.session().monitor)]);
    match_->setText(document_.session().level_match ? tr("%1 dB").arg(db_of_amplitude(gain), 0, 'f', 1)
                                                    : QString());
}

void RecordingTransport::begin_loop() {
    set_loop_end(rivlen::begin_loop);
}

void RecordingTransport::end_loop() {
    set_loop_end(rivlen::end_loop);
}

void RecordingTransport::set_loop_end(void (*set)(SessionItem&, std::int64_t, std::int64_t, int)) {
    const auto source = document_.source();
    if (!source || document_.current_item() == nullptr) return;
    document_.edit(tr("Loop range"), {}, [&](Session& s) {
        set(s.items[static_cast<std::size_t>(s.current)], player_.position(),
            static_cast<std::int64_t>(source->frames()), source->sample_rate());
    });
}

// Measured in the background over the loop, or the whole.
void RecordingTransport::measure_match() {
    const auto* item = document_.current_item();
    const auto source = document_.source();
    const auto map = document_.map_so_far();
    if (!source || !map || item == nullptr) return;
    if (match_job_ != 0) jobs_.cancel(match_job_);
    const int number = ++match_count_;
    const LoopRange whole{0, static_cast<std::int64_t>(source->frames())};
    const LoopRange range = item->loop && item->loop_on ? *item->loop : whole;
    match_job_ = jobs_.start_for<MatchResult>(
        tr("Measuring"),
        [source, map, settings = item->timed(), range](const JobControl& job) {
            return rivlen::measure_match(*source, map.get(), settings, range.first, range.last, job);
        },
        [this, number, wanted = document_.session().level_match](const Result<MatchResult>& match) {
            if (number == match_count_) match_job_ = 0;
            if (match) take_match(*match, wanted);
        },
        true);
}

void RecordingTransport::take_match(const MatchResult& match, bool wanted) {
    gains_ = match.gain;
    if (held_) return;
    std::array<float, kMonitors> flat{};
    flat.fill(1.0F);
    player_.set_match_gains(wanted ? gains_ : flat);
    show_match_gain();
}

}  // namespace rivlen::app
