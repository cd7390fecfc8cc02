// SPDX-License-Identifier: GPL-3.0-or-later
// The window: the three views, their menus, messages and jobs. What is done in a view is in the view.
#pragma once

#include <QLabel>
#include <QMainWindow>
#include <QMenu>
#include <QStackedWidget>
#include <QTimer>
#include <QToolButton>
#include <array>
#include <filesystem>

#include "app/handover/handover_view.h"
#include "app/rebuild/rebuild_view.h"
#include "app/separate/separate_view.h"
#include "app/shell/audio_output.h"
#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/menus.h"
#include "app/shell/recording_bar.h"
#include "app/shell/start_page.h"
#include "core/play/excerpt_player.h"

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
    [[nodiscard]] MixPlayer& mix_player() { return mix_player_; }
    [[nodiscard]] RecordingBar& recording() { return *recording_; }
    [[nodiscard]] SeparateView& separate_view() { return *separate_; }
    [[nodiscard]] RebuildView& rebuild_view() { return *rebuild_; }
    [[nodiscard]] HandoverView& handover_view() { return *handover_; }
    [[nodiscard]] const Menus& menus() const { return menus_; }
    void show_view(View view);
    [[nodiscard]] View view() const { return shown_view_; }
    // A session or a recording, by its extension.
    void open_path(const std::filesystem::path& path);

    // Picture, lanes, meters and controls catch up with playback: what a timer does all the time.
    void follow_time();
    // Nothing is being measured, or waits to be, or to be played.
    [[nodiscard]] bool settled() const;

  protected:
    void dragEnterEvent(QDragEnterEvent* event) override;
    void dropEvent(QDropEvent* event) override;
    void closeEvent(QCloseEvent* event) override;

  private:
    QWidget* build_top();
    void build_menus();
    [[nodiscard]] ActionMenu session_menu();
    [[nodiscard]] ActionMenu edit_menu();
    [[nodiscard]] ActionMenu view_menu();
    [[nodiscard]] ActionMenu help_menu();
    void say(const QString& sentence, bool trouble);
    void new_session();
    void ask_session();
    void save(bool ask_name);
    bool may_discard();
    void remember(const std::filesystem::path& path);
    void fill_recent(QMenu& menu);
    void show_page();
    void hear_excerpt(const std::shared_ptr<const AudioBlock>& sound);
    void show_keys();
    void show_guide();
    void show_about();

    JobList jobs_;
    Document document_;
    Player player_;
    MixPlayer mix_player_;
    ExcerptPlayer excerpt_player_;
    AudioOutput output_;
    Menus menus_;
    QTimer clock_, message_timer_;
    QLabel* message_ = nullptr;
    StartPage* start_ = nullptr;
    QStackedWidget* stack_ = nullptr;
    RecordingBar* recording_ = nullptr;
    SeparateView* separate_ = nullptr;
    RebuildView* rebuild_ = nullptr;
    HandoverView* handover_ = nullptr;
    std::array<QToolButton*, kViews> view_buttons_{};
    View shown_view_ = View::Separate;
};

}  // namespace rivlen::app
