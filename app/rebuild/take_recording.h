// SPDX-License-Identifier: GPL-3.0-or-later
// Recording a take onto the chosen track while the mix plays.
#pragma once

#include <QObject>
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

  signals:
    void changed();  // whether it records
    void said(const QString& sentence, bool trouble);

  private:
    void begin();
    void end();
    Document& document_;
    Selection& selection_;
    MixPlayer& player_;
    Recorder recorder_;
    std::filesystem::path file_;
    SessionFrame start_;
    int track_ = 0;
};

}  // namespace rivlen::app
