// SPDX-License-Identifier: GPL-3.0-or-later
// The window: menus, the Separate view, transport, jobs and messages.
#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QTimer>
#include <QToolButton>
#include <array>
#include <memory>

#include "app/handover/handover_view.h"
#include "app/rebuild/rebuild_view.h"
#include "app/separate/blind.h"
#include "app/separate/card_row.h"
#include "app/separate/lanes.h"
#include "app/separate/line_editor.h"
#include "app/separate/measuring.h"
#include "app/separate/risk_strip.h"
#include "app/separate/tuning_panel.h"
#include "app/shell/audio_output.h"
#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/widgets/picture_pane.h"
#include "app/widgets/time_strip.h"
#include "core/assessment/level_match.h"

class QComboBox;
class QStackedWidget;

namespace rivlen::app {

class MainWindow : public QMainWindow {
    Q_OBJECT
  public:
    explicit MainWindow(const std::filesystem::path& work_folder, QWidget* parent = nullptr);
    ~MainWindow() override;

    [[nodiscard]] Document& document() { return document_; }
    [[nodiscard]] Player& player() { return player_; }
    [[nodiscard]] JobList& jobs() { return jobs_; }
    [[nodiscard]] AudioOutput& output() { return output_; }
    [[nodiscard]] TimeView& time_view() { return view_; }
    [[nodiscard]] Measuring& measuring() { return measuring_; }
    [[nodiscard]] MixPlayer& mix_player() { return mix_player_; }
    [[nodiscard]] RebuildView& rebuild_view() { return *rebuild_; }
    [[nodiscard]] HandoverView& handover_view() { return *handover_; }
    enum class View { Separate, Rebuild, Handover };
    void show_view(View view);
    [[nodiscard]] View view() const { return shown_view_; }
    // A session or a recording, by its extension.
    void open_path(const std::filesystem::path& path);
    void write_stems_to(const std::filesystem::path& folder, bool overwrite);
    void lay_back_to(const std::filesystem::path& out, bool overwrite);

    // Picture, lanes, meters and controls catch up with playback: what a timer does all the time.
    void follow_time();
    // Nothing is being measured, or waits to be, or to be played.
    [[nodiscard]] bool settled() const;

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

  private:
    struct Key {  // of the key list in the help
        QString act, keys;
        std::optional<View> view{};
    };
    QAction* add_act(QMenu* menu, const QString& text, const QList<QKeySequence>& keys,
                     const std::function<void()>& act);
    void build_menus();
    void build_view_menus();
    void build_rebuild_menus();
    void build_handover_menus();
    void look_at_recording();
    QMenu* add_menu(const QString& title, std::optional<View> view);
    QWidget* build_top();
    QWidget* build_lanes();
    QWidget* build_side();
    QWidget* build_transport();
    void follow_session();
    void follow_material();
    void choose_stem(int stem);
    void set_monitor(Monitor monitor);
    void measure_match_soon();
    void say(const QString& sentence, bool trouble);
    void remember(const std::filesystem::path& path);
    void fill_recent();
    void show_keys();
    void save(bool ask_name);
    void toggle_loop();
    void hold_for_loop();
    void open_line(Setting setting, bool open);
    void step_pre_roll();
    void compare_blind();
    void feed_player();
    bool may_discard();

    JobList jobs_;
    Document document_;
    Player player_;
    MixPlayer mix_player_;
    AudioOutput output_;
    Measuring measuring_;
    TimeView view_;
    QTimer clock_, match_timer_, message_timer_;
    LaneCanvas* lanes_ = nullptr;
    LineEditor* line_ = nullptr;
    TimeStrip* strip_ = nullptr;
    PicturePane* picture_ = nullptr;
    TuningPanel* tuning_ = nullptr;
    RiskStrip* risk_ = nullptr;
    CardRow* cards_ = nullptr;
    BlindComparison* blind_ = nullptr;
    QComboBox* recordings_ = nullptr;
    QLabel *message_ = nullptr, *time_ = nullptr, *sum_ = nullptr, *match_ = nullptr, *meter_ = nullptr,
           *device_ = nullptr;
    QToolButton *split_ = nullptr, *write_ = nullptr, *lay_back_ = nullptr, *play_ = nullptr,
                *loop_ = nullptr, *level_match_ = nullptr;
    std::array<QToolButton*, kMonitors> monitors_{};
    std::array<QToolButton*, kStems> solo_{}, mute_{}, names_{};
    QMenu* recent_ = nullptr;
    View shown_view_ = View::Separate;
    QStackedWidget* stack_ = nullptr;
    RebuildView* rebuild_ = nullptr;
    HandoverView* handover_ = nullptr;
    std::array<QToolButton*, 3> view_buttons_{};
    struct ViewMenu {  // whose acts belong to one view
        QMenu* menu;
        View view;
    };
    std::vector<ViewMenu> view_menus_;
    std::vector<Key> keys_;
    std::shared_ptr<const Source> shown_source_;
    std::shared_ptr<const MaskMap> shown_map_;
    std::array<float, kMonitors> gains_{};
    int match_job_ = 0, match_count_ = 0, stem_ = 0;
    double meter_db_ = -90;
};

}  // namespace rivlen::app
