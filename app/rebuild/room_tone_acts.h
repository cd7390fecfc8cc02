// SPDX-License-Identifier: GPL-3.0-or-later
// Edits that leave or lay room tone. Where a recording's room tone is not known yet it is looked for first,
// in the background; finding it and the edit are one step of the history.
#pragma once

#include <QObject>
#include <filesystem>
#include <functional>
#include <vector>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/selection.h"
#include "core/project/editing.h"

namespace rivlen::app {

class RoomToneActs : public QObject {
    Q_OBJECT
  public:
    RoomToneActs(Document& document, JobList& jobs, Selection& selection, QObject* parent = nullptr)
        : QObject(parent), document_(document), jobs_(jobs), selection_(selection) {}

    // What the chosen track plays in the loop range is muted; where that is the sound of a place, its room
    // tone is left.
    void mute_loop_range();
    // Under the loop range, where the chosen track plays nothing.
    void lay_in_loop_range();
    // In place of what the chosen clips play, or not.
    void toggle();
    [[nodiscard]] bool settled() const { return job_ == 0; }

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    using Edit = std::function<void(Timeline&, const HasRoomTone&)>;
    // edit is done once room tone was looked for in these recordings.
    void with_room_tone(const std::vector<std::filesystem::path>& unknown, const QString& label, Edit edit);
    Document& document_;
    JobList& jobs_;
    Selection& selection_;
    int job_ = 0;
};

}  // namespace rivlen::app
