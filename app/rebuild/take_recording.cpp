// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/rebuild/take_recording.h"

#include "app/widgets/text.h"
#include "core/workflow/placing.h"
#include "core/workflow/takes.h"

namespace rivlen::app {

TakeRecording::TakeRecording(Document& document, Selection& selection, MixPlayer& player, QObject* parent)
    : QObject(parent), document_(document), selection_(selection), player_(player) {
    connect(&recorder_, &Recorder::failed, this, [this](const QString& sentence) {
        emit said(tr("%1 What was recorded until then is in \"%2\".").arg(sentence, text(file_)), true);
        player_.stop();
        emit changed();
    });
}

TakeRecording::~TakeRecording() {
    if (!recorder_.recording()) return;
    if (const Status kept = recorder_.stop(); !kept) qWarning("%s", kept.error().message.c_str());
}

void TakeRecording::toggle() {
    recorder_.recording() ? end() : begin();
    emit changed();
}

void TakeRecording::begin() {
    document_.keep_cut_off_takes();
    file_ = next_take(document_.path(), document_.work_folder());
    start_ = {player_.position()};
    track_ = track_for_file(document_.timeline(), selection_.strip());
    const int session_rate = document_.timeline().sample_rate;
    if (const Status status = recorder_.start(file_, session_rate > 0 ? session_rate : kModelRate); !status)
        return emit said(text(status.error().message), true);
    emit said(tr("Recording from %1…").arg(recorder_.device()), false);
    player_.play();
}

void TakeRecording::end() {
    player_.stop();
    if (const Status status = recorder_.stop(); !status) return emit said(text(status.error().message), true);
    document_.place_file(file_, track_, start_);
}

}  // namespace rivlen::app
