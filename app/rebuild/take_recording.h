// SPDX-License-Identifier: GPL-3.0-or-later
// Recording a take onto the chosen track while the mix plays, and measuring how late sound comes back from
// output to input, by which takes are moved earlier.
#pragma once

#include <QObject>
#include <QTimer>
#include <filesystem>

#include "app/shell/document.h"
#include "app/shell/recorder.h"
#include "app/shell/selection.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class TakeRecording : public QObject {
    Q_OBJECT
  public:
    TakeRecording(Document& document, Selection& selection, MixPlayer& player, QObject* parent = nullptr);
    ~TakeRecording() override;  // what has been recorded stays as a file

    // Begins at the playhead, or ends and places the take.
    void toggle();
    [[nodiscard]] Recorder& recorder() { return recorder_; }
    // Plays a test sound and records it; the delay is kept for these devices.
    void measure_delay();
    [[nodiscard]] bool measuring() const { return measuring_; }
    // Of the devices in use, in frames; 0 where none was measured.
    [[nodiscard]] std::int64_t delay_frames() const;
    void set_output_name(const QString& name) { output_ = name; }

  signals:
    void changed();   // whether it records
    void measured();  // the player plays the test sound no more
    void said(const QString& sentence, bool trouble);

  private:
    void begin();
    void end();
    void end_measuring();
    [[nodiscard]] QString delay_key() const;
    [[nodiscard]] int session_rate() const;
    Document& document_;
    Selection& selection_;
    MixPlayer& player_;
    Recorder recorder_;
    std::filesystem::path file_;
    SessionFrame start_;
    int track_ = 0;
    bool measuring_ = false;
    std::int64_t playhead_ = 0;  // before measuring
    QTimer watch_;               // for the end of the test sound
    QString output_;
};

}  // namespace rivlen::app
