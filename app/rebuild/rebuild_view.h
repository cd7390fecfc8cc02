// SPDX-License-Identifier: GPL-3.0-or-later
// The Rebuild view: tracks under the picture, with their strips, the side and the transport.
#pragma once

#include <QToolButton>
#include <QWidget>
#include <memory>
#include <vector>

#include "app/rebuild/aligning.h"
#include "app/rebuild/chain_row.h"
#include "app/rebuild/clip_acts.h"
#include "app/rebuild/follow_acts.h"
#include "app/rebuild/inspector.h"
#include "app/rebuild/listening.h"
#include "app/rebuild/mix_transport.h"
#include "app/rebuild/played_plan.h"
#include "app/rebuild/pulling.h"
#include "app/rebuild/room_tone_acts.h"
#include "app/rebuild/strip_writer.h"
#include "app/rebuild/take_recording.h"
#include "app/rebuild/track_area.h"
#include "app/shell/document.h"
#include "app/shell/level_watch.h"
#include "app/shell/selection.h"
#include "app/widgets/actions.h"
#include "app/widgets/picture_pane.h"
#include "app/widgets/time_view.h"
#include "core/mix/look.h"
#include "core/play/mix_player.h"

namespace rivlen::app {

class RebuildView : public QWidget {
    Q_OBJECT
  public:
    RebuildView(Document& document, JobList& jobs, MixPlayer& player, QWidget* parent = nullptr);
    ~RebuildView() override;

    // Menus of what can be done here, with keys.
    [[nodiscard]] std::vector<ActionMenu> menus();
    void bring_to_track(const std::filesystem::path& file);
    void write_mix(const std::filesystem::path& file);

    void follow_time();
    // How much later than the player's position sound is heard; the picture waits as long.
    void set_output_latency(double seconds) { latency_seconds_ = seconds; }
    void set_output_layout(Layout layout) { listening_.set_device(layout); }
    void set_output_name(const QString& name) { take_.set_output_name(name); }
    [[nodiscard]] TakeRecording& take_recording() { return take_; }
    [[nodiscard]] Selection& selection() { return selection_; }
    [[nodiscard]] TrackCanvas& canvas() { return area_->canvas(); }
    [[nodiscard]] TimeView& time_view() { return view_; }
    [[nodiscard]] LevelWatch& levels() { return levels_; }
    [[nodiscard]] MixRuler& ruler() { return area_->ruler(); }
    [[nodiscard]] PicturePane& picture() { return *picture_; }
    [[nodiscard]] Inspector& side() { return *side_; }
    // The last edit has reached the player.
    [[nodiscard]] bool settled() const {
        return played_.settled() && room_tone_.settled() && aligning_.settled() && pulling_.settled() &&
               listening_.settled() && following_.settled();
    }
    [[nodiscard]] Listening& listening() { return listening_; }
    [[nodiscard]] Recorder& recorder() { return take_.recorder(); }
    // The plan that is played now.
    [[nodiscard]] std::shared_ptr<const MixPlan> plan() const { return played_.plan(); }

  signals:
    void said(const QString& sentence, bool trouble);

  private:
    QWidget* build_tools();
    QWidget* build_side();
    void follow_session();
    [[nodiscard]] bool hands_on() const;
    void start_look(int track, const std::function<void(const TrackLook&)>& done);
    void show_picture(std::int64_t frame);
    void follow_place_in_picture();
    void place_in_picture(const PicturePane& pane, QPointF at);
    void connect_pointing(PicturePane* pane);
    [[nodiscard]] ActionMenu listen_menu();
    [[nodiscard]] ActionMenu clip_menu();
    [[nodiscard]] ActionMenu track_menu();
    [[nodiscard]] ActionMenu show_menu();
    void place_stems();
    void remove(bool close_gap);
    void choose_next_strip(int by);
    void toggle_line();
    void toggle_snapping();
    void step_nudge_unit();
    void toggle_groups();
    void toggle_silences();
    void toggle_loop();
    void jog(int picture_frames);
    void go_to_start();
    void toggle_marker_here();
    void go_to_marker(bool next);
    void zoom(double factor);
    void show_all();
    void show_loop();
    void show_picture_window();
    void ask_mix_file();
    void ask_file_for_track();
    void ask_replacement(int clip);
    void play_or_stop();
    void ask_head();
    // What is wrong with what a track plays, in a dialog that puts what mends it into its chain.
    void look_at(int track);
    // The amount of one part, from what the track plays.
    void propose(int track, int part);
    void learn_noise(int track, int part);
    Document& document_;
    JobList& jobs_;
    MixPlayer& player_;
    Selection selection_;
    TimeView view_;
    LevelWatch levels_;
    ClipActs clip_acts_;
    RoomToneActs room_tone_;
    Aligning aligning_;
    Pulling pulling_;
    Listening listening_;
    FollowActs following_;
    TakeRecording take_;
    StripWriter writer_;
    PlayedPlan played_;
    SetStripValue setting_;  // of controls: writes lines while playing
    TrackArea* area_ = nullptr;
    Inspector* side_ = nullptr;
    ChainRow* chain_ = nullptr;
    PicturePane* picture_ = nullptr;
    std::unique_ptr<PicturePane> window_;
    MixTransport* transport_ = nullptr;
    QToolButton *snap_ = nullptr, *groups_ = nullptr;
    SessionFrame playhead_;
    double latency_seconds_ = 0;
    double total_ = 0;
};

}  // namespace rivlen::app
