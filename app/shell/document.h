// SPDX-License-Identifier: GPL-3.0-or-later
// The open session as the window has it: history, saving and recovery (core/workflow) and the files that
// belong to it (media_pool). Views read it and change it only through edit().
#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <deque>
#include <filesystem>
#include <functional>
#include <memory>
#include <optional>

#include "app/shell/jobs.h"
#include "app/shell/media_pool.h"
#include "core/assessment/proposal.h"
#include "core/automation/recorder.h"
#include "core/base/position.h"
#include "core/project/editing.h"
#include "core/project/session.h"
#include "core/separation/separator.h"
#include "core/workflow/history.h"
#include "core/workflow/recovery.h"
#include "core/workflow/session_lock.h"

namespace rivlen::app {

class Document : public QObject {
    Q_OBJECT
  public:
    Document(JobList& jobs, std::filesystem::path work_folder, QObject* parent = nullptr);

    [[nodiscard]] const Session& session() const { return history_.session(); }
    [[nodiscard]] const History& history() const { return history_; }
    [[nodiscard]] const std::filesystem::path& work_folder() const { return work_folder_; }
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] QString title() const;

    [[nodiscard]] const SessionItem* current_item() const;
    [[nodiscard]] const Material* current_material() const;
    [[nodiscard]] std::shared_ptr<const Source> source() const;
    [[nodiscard]] std::shared_ptr<const MaskMap> map() const;
    // As the model had it, without corrections.
    [[nodiscard]] std::shared_ptr<const MaskMap> model_map() const;
    // To look at and listen to: also one that is still being made.
    [[nodiscard]] std::shared_ptr<const MaskMap> map_so_far() const;

    // One undoable change. Changes with the same non-empty key that follow each other become one (a drag is
    // one step).
    void edit(const QString& label, const QString& key, const std::function<void(Session&)>& change);
    void edit_settings(const QString& label, const QString& key,
                       const std::function<void(ShapeSettings&)>& change);
    // Ends a run of merged changes; a line that was written during it is thinned out.
    void close_step();
    void undo();
    void redo();

    // Where playback of the current recording is: what a line says there is what controls show and change.
    void set_playhead(RecordingFrame frame) { playhead_ = frame; }
    [[nodiscard]] RecordingFrame playhead() const { return playhead_; }
    // The settings that the controls show: of the loop's own range, else the base with its lines at the
    // playhead.
    [[nodiscard]] ShapeSettings shown_settings() const;
    // The line that a control of the current recording writes; null where it sets one value for all times.
    [[nodiscard]] const SettingLane* line_of(std::size_t stem, Setting setting) const;
    // Sets a value where the control shows it: at the playhead when the setting has a line (what lies between
    // two such calls of one step is overwritten, so that moving a control while playing writes the line),
    // else for all times.
    void set_value(const QString& label, std::size_t stem, Setting setting, double value);
    // A proposal as one step; a line of isolation gets a point.
    void take_proposal(const QString& label, std::size_t stem, const Proposal& proposal);
    // The corrections of the current recording.
    void edit_corrections(const QString& label, const QString& key,
                          const std::function<void(std::vector<Correction>&)>& change);
    void edit_lines(const QString& label, const QString& key,
                    const std::function<void(std::vector<SettingLane>&)>& change);

    // ---- the rebuild
    [[nodiscard]] const Timeline& timeline() const { return session().timeline; }
    void edit_timeline(const QString& label, const QString& key,
                       const std::function<void(Timeline&)>& change);
    [[nodiscard]] const Material* material_of(const std::filesystem::path& path) const;
    // What is there of the files that clips refer to, at the session rate.
    [[nodiscard]] MixMediaSet mix_media() const { return media_.at_session_rate(); }
    // Frames of a file at the session rate; 0 while it is not known.
    [[nodiscard]] std::int64_t media_length(const std::filesystem::path& path) const;
    [[nodiscard]] MediaLength media_length_function() const {
        return [this](const std::filesystem::path& path) { return media_length(path); };
    }
    // All stems of the current recording as tracks from a frame on, with its picture when it has one. The
    // first placement decides the session rate and the timecode. False when it is not split yet.
    bool place_stems(SessionFrame at);
    // A file onto a track (0: a new one, with this chain) from a frame on, as soon as it has been read.
    void place_file(const std::filesystem::path& path, int track, SessionFrame at,
                    std::vector<Insert> chain = {}, std::int64_t skip_frames = 0);
    // A file in place of a clip, with its loudness brought to that of the old.
    void replace_with(const std::filesystem::path& path, int clip);

    void bring_in(const std::filesystem::path& path);
    // Splits the current recording with a model that comes with the program. Does nothing while it is being
    // split already.
    void split(const std::string& model = kQuickModel);
    [[nodiscard]] bool splitting() const { return media_.splitting(); }
    // Opens the music of the current recording into its parts, unless that is done; music_opened() follows.
    void open_music();
    // Weights that were taught from a recording become its own, and it is split with them, and its music
    // opened. Either may be empty.
    void take_taught(const std::filesystem::path& recording, const std::filesystem::path& weights,
                     const std::filesystem::path& parts_weights);
    // The current recording as the taught model has it, or as the model comes.
    void use_taught(bool on);
    // How channels of the current recording share masks from now on; splits it so when it was split
    // otherwise.
    void set_channels(ChannelGrouping channels);
    // Starts a split by itself as soon as something is brought in.
    void set_split_on_arrival(bool on) { split_on_arrival_ = on; }

    void new_session();
    [[nodiscard]] bool open(const std::filesystem::path& path);
    // Not over a session that somebody else has open.
    [[nodiscard]] bool save(const std::filesystem::path& path);
    // Says where a missing recording is now; others that are missing are looked for beside it.
    void relocate(const std::filesystem::path& missing, const std::filesystem::path& found);
    [[nodiscard]] bool changed_since_saving() const { return !history_.saved(); }

    // Takes that were being recorded when an earlier run was killed become files of their own.
    void keep_cut_off_takes();
    // Opens what an earlier run that ended badly has left. True when there was something.
    bool recover();
    // Files that are not read by themselves, because an earlier run ended while it read them.
    [[nodiscard]] std::vector<std::filesystem::path> left_alone() const { return media_.left_alone(); }
    void read_anyway(const std::filesystem::path& path);

  signals:
    void session_changed();
    void material_changed();
    void music_opened();  // of the current recording
    void said(const QString& sentence, bool trouble);
    void media_missing(const QString& path);

  private:
    struct Waiting {  // for a file that is being read
        std::filesystem::path path;
        int track = 0, clip = 0;  // clip: to be replaced
        SessionFrame at;
        std::vector<Insert> chain;
        std::int64_t skip_frames = 0;  // of its beginning, at the session's rate
    };
    void follow_change(const Session& before);
    void follow_media();
    void take_up(const std::filesystem::path& path);
    void load_media();
    void load(const std::filesystem::path& path);
    [[nodiscard]] std::vector<Correction> corrections_of(const std::filesystem::path& path) const;
    [[nodiscard]] ChannelGrouping channels_of(const std::filesystem::path& path) const;
    [[nodiscard]] std::filesystem::path taught_of(const std::filesystem::path& path) const;
    [[nodiscard]] std::filesystem::path taught_parts_of(const std::filesystem::path& path) const;
    void want(Waiting waiting);
    void look_at(const std::filesystem::path& path, std::function<void()> then);
    void look_at_next();
    void place_waiting(const std::filesystem::path& path);
    void place_replacement(const Waiting& waiting, std::shared_ptr<const Source> source);
    void compare_hashes();
    void keep_for_recovery();
    void begin(Session session, bool saved);

    JobList& jobs_;
    std::filesystem::path work_folder_, path_;
    History history_;
    Recovery recovery_;
    SessionLock lock_;  // of path_
    MediaPool media_;
    QTimer keep_timer_;
    struct Line {
        std::size_t stem = 0;
        Setting setting = Setting::Isolation;
        bool operator==(const Line&) const = default;
    };
    Line written_;  // by set_value in this step
    AutomationRecorder writer_;
    std::vector<Waiting> waiting_;
    struct Look {  // at a file that may become part of the session
        std::filesystem::path path;
        std::function<void()> then;
    };
    std::deque<Look> looks_;  // one after another, so that files come in in their order
    bool looking_ = false;
    int sessions_begun_ = 0;
    RecordingFrame playhead_;
    bool split_on_arrival_ = false;
};

}  // namespace rivlen::app
