// SPDX-License-Identifier: GPL-3.0-or-later
// The Separate view: lanes of source and stems, tuning, cards, the risk line, and the transport of a
// recording.
#pragma once

#include <QBoxLayout>
#include <QToolButton>
#include <QWidget>
#include <array>
#include <memory>
#include <vector>

#include "app/separate/blind.h"
#include "app/separate/card_row.h"
#include "app/separate/correction_panel.h"
#include "app/separate/lanes.h"
#include "app/separate/measuring.h"
#include "app/separate/recording_transport.h"
#include "app/separate/region_editor.h"
#include "app/separate/risk_strip.h"
#include "app/separate/setting_line_editor.h"
#include "app/separate/teaching_panel.h"
#include "app/separate/tuning_panel.h"
#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/widgets/actions.h"
#include "app/widgets/overview_strip.h"
#include "app/widgets/picture_pane.h"
#include "app/widgets/side_pages.h"
#include "app/widgets/time_strip.h"
#include "core/play/player.h"

namespace rivlen::app {

class SeparateView : public QWidget {
    Q_OBJECT
  public:
    SeparateView(Document& document, JobList& jobs, Player& player, const QString& device,
                 QWidget* parent = nullptr);
    [[nodiscard]] std::vector<ActionMenu> menus();

    // Lanes, meters and controls catch up with playback.
    void follow_time();
    // Nothing is being measured, or waits to be.
    [[nodiscard]] bool settled() const;
    [[nodiscard]] TimeView& time_view() { return view_; }
    [[nodiscard]] Measuring& measuring() { return measuring_; }
    [[nodiscard]] Correcting& correcting() { return correcting_; }
    [[nodiscard]] Doubting& doubting() { return doubting_; }
    [[nodiscard]] Teaching& teaching() { return teaching_; }

  signals:
    void said(const QString& sentence, bool trouble);
    void recording_changed();  // another is shown and played

  protected:
    void resizeEvent(QResizeEvent* event) override;

  private:
    QWidget* build_lanes();
    QWidget* build_lane_header(int lane, QWidget* parent);
    void fill_stem_header(std::size_t sound, QBoxLayout* box);
    QWidget* build_side();
    [[nodiscard]] ActionMenu listen_menu();
    [[nodiscard]] ActionMenu stem_menu();
    [[nodiscard]] ActionMenu tune_menu();
    [[nodiscard]] ActionMenu correct_menu();
    [[nodiscard]] ActionMenu teach_menu();
    [[nodiscard]] ActionMenu show_menu();
    void follow_session();
    void follow_material();
    void feed_player();
    void choose_stem(int sound);
    void step_stem(int by);
    // The parts of the music below it, or not; opens it first where that has not been done.
    void unfold_music(bool on);
    void show_unfolded(bool on);
    void hear_music(MusicHeard what);
    [[nodiscard]] bool music_is_open() const { return shown_map_ && shown_map_->opens_music(); }
    void step_pre_roll();
    void toggle_own_settings();
    void go_to_start();
    void nudge(int picture_frames);
    void mark_room_tone();
    void move_playhead(double by_seconds);
    void change_isolation(double by);
    void open_line(Setting setting, bool open);
    void remove_line();
    void compare_blind();
    void show_loop();
    void take_tool(Correcting::Tool tool);
    void enlarge_lane(bool on);
    void step_frequency_scale();
    void show_doubt(bool on);
    void feed_material();
    void show_region(double first_seconds, double last_seconds);
    [[nodiscard]] double playhead_seconds() const;
    [[nodiscard]] std::size_t stem() const { return static_cast<std::size_t>(stem_); }

    Document& document_;
    JobList& jobs_;
    Player& player_;
    Measuring measuring_;
    Correcting correcting_;
    Doubting doubting_;
    Teaching teaching_;
    TimeView view_;
    LaneCanvas* lanes_ = nullptr;
    SettingLineEditor* line_ = nullptr;
    TimeStrip* strip_ = nullptr;
    OverviewStrip* overview_ = nullptr;
    PicturePane* picture_ = nullptr;
    RegionEditor* regions_ = nullptr;
    SidePages* pages_ = nullptr;
    TuningPanel* tuning_ = nullptr;
    CorrectionPanel* correction_ = nullptr;
    TeachingPanel* teaching_panel_ = nullptr;
    RiskStrip* risk_ = nullptr;
    CardRow* cards_ = nullptr;
    BlindComparison* blind_ = nullptr;
    RecordingTransport* transport_ = nullptr;
    QWidget* headers_ = nullptr;
    std::array<QWidget*, kLanes> lane_heads_{};
    std::array<QBoxLayout*, kLanes> lane_boxes_{};
    std::array<QToolButton*, kSounds> solo_{}, mute_{}, names_{};
    QToolButton* unfold_ = nullptr;
    std::shared_ptr<const Source> shown_source_;
    std::shared_ptr<const MaskMap> shown_map_;
    int stem_ = 0;
    bool doubt_shown_ = false;       // on the lanes
    bool unfold_when_open_ = false;  // the music is being opened for that
};

}  // namespace rivlen::app
