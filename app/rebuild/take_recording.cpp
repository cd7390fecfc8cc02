// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/take_recording.h"

#include <QSettings>
#include <cmath>

#include "app/widgets/text.h"
#include "core/media/decode.h"
#include "core/workflow/placing.h"
#include "core/workflow/recording_delay.h"
#include "core/workflow/takes.h"

namespace rivlen::app {

TakeRecording::TakeRecording(Document& document, Selection& selection, MixPlayer& player, QObject* parent)
    : QObject(parent), document_(document), selection_(selection), player_(player) {
    connect(&recorder_, &Recorder::failed, this, [this](const QString& sentence) {
        emit said(tr("%1 What was recorded until then is in \"%2\".").arg(sentence, text(file_)), true);
        player_.stop();
        emit changed();
    });
    constexpr int kWatchMs = 20;
    watch_.setInterval(kWatchMs);
    connect(&watch_, &QTimer::timeout, this, [this] {
        if (!player_.playing()) end_measuring();
    });
}

TakeRecording::~TakeRecording() {
    if (!recorder_.recording()) return;
    if (const Status kept = recorder_.stop(); !kept) qWarning("%s", kept.error().message.c_str());
}

int TakeRecording::session_rate() const {
    const int rate = document_.timeline().sample_rate;
    return rate > 0 ? rate : kModelRate;
}

QString TakeRecording::delay_key() const {
    QString devices = QString("%1 | %2").arg(Recorder::input_name(session_rate()), output_);
    return "recording_delay/" + devices.replace('/', ' ');
}

// Kept in seconds: another session may have another rate.
std::int64_t TakeRecording::delay_frames() const {
    return std::llround(QSettings().value(delay_key(), 0.0).toDouble() * session_rate());
}

void TakeRecording::measure_delay() {
    if (recorder_.recording() || measuring_)
        return emit said(tr("Something is being recorded. End that first."), false);
    const int rate = session_rate();
    const auto folder = document_.work_folder();
    auto plan = loop_back_plan(folder, rate);
    if (!plan) return emit said(text(plan.error().message), true);
    file_ = folder / "test-sound-back.wav";
    playhead_ = player_.position();
    player_.stop();
    player_.set_plan(std::move(*plan));
    player_.locate(0);
    if (const Status status = recorder_.start(file_, rate); !status) {
        emit measured();
        return emit said(text(status.error().message), true);
    }
    measuring_ = true;
    player_.play();
    watch_.start();
    emit said(tr("Measuring: a test sound is played. Connect the output with the input, or put the "
                 "microphone before the "
                 "loudspeaker."),
              false);
}

void TakeRecording::end_measuring() {
    watch_.stop();
    measuring_ = false;
    player_.stop();
    const Status status = recorder_.stop();
    emit measured();
    player_.locate(playhead_);
    if (!status) return emit said(text(status.error().message), true);
    const int rate = session_rate();
    const auto back = read_audio(file_, rate);
    if (!back) return emit said(text(back.error().message), true);
    const auto delay = recording_delay((*back)[0], rate);
    if (!delay) return emit said(text(delay.error().message), true);
    QSettings().setValue(delay_key(), static_cast<double>(*delay) / rate);
    emit said(tr("Sound comes back %1 ms late. Takes are moved earlier by as much, with these devices.")
                  .arg(1000.0 * static_cast<double>(*delay) / rate, 0, 'f', 1),
              false);
}

void TakeRecording::toggle() {
    if (measuring_) return emit said(tr("The delay is being measured; it takes three seconds."), false);
    recorder_.recording() ? end() : begin();
    emit changed();
}

void TakeRecording::begin() {
    document_.keep_cut_off_takes();
    file_ = next_take(document_.path(), document_.work_folder());
    start_ = {player_.position()};
    track_ = track_for_file(document_.timeline(), selection_.strip());
    if (const Status status = recorder_.start(file_, session_rate()); !status)
        return emit said(text(status.error().message), true);
    emit said(tr("Recording from %1…").arg(recorder_.device()), false);
    player_.play();
}

void TakeRecording::end() {
    player_.stop();
    if (const Status status = recorder_.stop(); !status) return emit said(text(status.error().message), true);
    document_.place_file(file_, track_, start_, {}, delay_frames());
}

}  // namespace rivlen::app
