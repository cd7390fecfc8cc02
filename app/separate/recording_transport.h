// SPDX-License-Identifier: GPL-3.0-or-later
// The transport of a recording: play, loop, where the playhead is, what is listened to, at the same level or
// not, and what the sum check says.
#pragma once

#include <QLabel>
#include <QTimer>
#include <QToolButton>
#include <QWidget>
#include <array>
#include <memory>

#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "core/assessment/level_match.h"
#include "core/play/player.h"

namespace rivlen::app {

class RecordingTransport : public QWidget {
    Q_OBJECT
  public:
    RecordingTransport(Document& document, JobList& jobs, Player& player, const QString& device,
                       QWidget* parent = nullptr);
    void follow_session();
    void follow_material();
    // time: as text.
    void show_time(const QString& time);
    [[nodiscard]] QString shown_time() const { return time_->text(); }
    // Meter and play button catch up with playback.
    void follow_playing();
    void set_monitor(Monitor monitor);
    void play_or_stop();
    void toggle_loop();
    // At the playhead.
    void begin_loop();
    void end_loop();
    void toggle_level_match();
    // Levels are measured as soon as settings rest for a moment, unless they are held (a blind comparison
    // sets its own).
    void measure_soon() { match_timer_.start(); }
    void hold_levels(bool held) { held_ = held; }
    [[nodiscard]] bool settled() const { return !match_timer_.isActive() && match_job_ == 0; }

  private:
    void set_loop_end(void (*set)(SessionItem&, std::int64_t, std::int64_t, int));
    QWidget* build_monitors();
    void measure_match();
    void take_match(const MatchResult& match, bool wanted);
    void show_match_gain();
    Document& document_;
    JobList& jobs_;
    Player& player_;
    QTimer match_timer_;
    QLabel *time_, *match_, *sum_, *meter_;
    QToolButton *play_, *loop_, *level_match_;
    std::array<QToolButton*, kMonitors> monitors_{};
    std::array<float, kMonitors> gains_{};
    int match_job_ = 0, match_count_ = 0;
    double meter_db_ = -90;
    bool held_ = false;
};

}  // namespace rivlen::app
