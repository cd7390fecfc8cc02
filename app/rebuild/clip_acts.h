// SPDX-License-Identifier: GPL-3.0-or-later
// Edits of chosen clips, picture cuts, tracks and buses: one step of the history each.
#pragma once

#include <QObject>

#include "app/shell/document.h"
#include "app/shell/selection.h"
#include "core/play/mix_player.h"
#include "core/project/spotting.h"

namespace rivlen::app {

class ClipActs : public QObject {
    Q_OBJECT
  public:
    // The playhead is that of the player.
    ClipActs(Document& document, Selection& selection, const MixPlayer& player, QObject* parent = nullptr)
        : QObject(parent), document_(document), selection_(selection), player_(player) {}

    // By the unit that is chosen.
    void nudge(int by);
    void to_own_timecode();
    void set_nudge_unit(NudgeUnit unit) { nudge_unit_ = unit; }
    [[nodiscard]] NudgeUnit nudge_unit() const { return nudge_unit_; }
    void split_at_playhead();
    void trim_to_playhead(bool start);
    void remove(bool close_gap);
    void copy_behind();
    void mute_clips();
    void group_clips(bool together);
    // The four parts in place of chosen clips that play the music.
    void open_music();
    void cross_fade_to_next();
    void add_track();
    void add_bus();
    void remove_strip();
    void move_strip(int by);

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    Document& document_;
    Selection& selection_;
    const MixPlayer& player_;
    NudgeUnit nudge_unit_ = NudgeUnit::Frame;
};

}  // namespace rivlen::app
