// SPDX-License-Identifier: GPL-3.0-or-later
// The open session: its data, undo and redo, saving and recovery, and the recordings that belong to it.
// Views read it and change it only through edit().
#pragma once

#include <QLockFile>
#include <QObject>
#include <QString>
#include <QTimer>
#include <QUndoStack>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>

#include "app/shell/jobs.h"
#include "core/assessment/proposal.h"
#include "core/automation/recorder.h"
#include "core/media/decode.h"
#include "core/media/source.h"
#include "core/mix/plan.h"
#include "core/project/editing.h"
#include "core/project/session.h"
#include "core/separation/mask_map.h"
#include "core/separation/separator.h"

namespace rivlen::app {

// What belongs to an item of the session but is not part of it.
struct Material {
    std::shared_ptr<const Source> source;
    std::shared_ptr<const MaskMap> map;
    std::shared_ptr<const MaskMap> map_so_far;  // while it is split for the first time
    MediaInfo info;
    std::optional<double> sum_dbfs;                 // measured once the recording is split
    std::shared_ptr<const Source> at_session_rate;  // for the rebuild, once it is there
    bool loading = false, converting = false;
    QString trouble;  // why it cannot be used, if so
};

class Document : public QObject {
    Q_OBJECT
  public:
    Document(JobList& jobs, std::filesystem::path work_folder, QObject* parent = nullptr);
    ~Document() override;

    [[nodiscard]] const Session& session() const { return session_; }
    [[nodiscard]] QUndoStack& undo_stack() { return undo_; }
    [[nodiscard]] const std::filesystem::path& work_folder() const { return work_folder_; }
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }
    [[nodiscard]] QString title() const;

    [[nodiscard]] const SessionItem* current_item() const;
    [[nodiscard]] const Material* current_material() const;
    [[nodiscard]] std::shared_ptr<const Source> source() const;
    [[nodiscard]] std::shared_ptr<const MaskMap> map() const;
    // To look at and listen to: also one that is still being made.
    [[nodiscard]] std::shared_ptr<const MaskMap> map_so_far() const;

    // One undoable change. Changes with the same non-empty key that follow each other become one (a drag is
    // one step).
    void edit(const QString& label, const QString& key, const std::function<void(Session&)>& change);
    void edit_settings(const QString& label, const QString& key,
                       const std::function<void(ShapeSettings&)>& change);
    // Ends a run of merged changes; a line that was written during it is thinned out.
    void close_step();

    // Where playback is: what a line says there is what controls show and change.
    void set_playhead(std::int64_t frame) { playhead_ = frame; }
    [[nodiscard]] std::int64_t playhead() const { return playhead_; }
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
    void edit_lines(const QString& label, const QString& key,
                    const std::function<void(std::vector<SettingLane>&)>& change);

    // ---- the rebuild
    [[nodiscard]] const Timeline& timeline() const { return session_.timeline; }
    void edit_timeline(const QString& label, const QString& key,
                       const std::function<void(Timeline&)>& change);
    [[nodiscard]] const Material* material_of(const std::filesystem::path& path) const;
    // What is there of the files that clips refer to, at the session rate.
    [[nodiscard]] MixMediaSet mix_media() const;
    // Frames of a file at the session rate; 0 while it is not known.
    [[nodiscard]] std::int64_t media_length(const std::filesystem::path& path) const;
    [[nodiscard]] MediaLength media_length_function() const {
        return [this](const std::filesystem::path& path) { return media_length(path); };
    }
    // All stems of the current recording as tracks from a frame on, with its picture when it has one. The
    // first placement decides the session rate and the timecode. False when it is not split yet.
    bool place_stems(std::int64_t at);
    // A file onto a track (0: a new one, with this chain) from a frame on, as soon as it has been read.
    void place_file(const std::filesystem::path& path, int track, std::int64_t at,
                    std::vector<Insert> chain = {});
    // A file in place of a clip, with its loudness brought to that of the old.
    void replace_with(const std::filesystem::path& path, int clip);

    void bring_in(const std::filesystem::path& path);
    // Splits the current recording with a model that comes with the program. Does nothing while it is being
    // split already.
    void split(const std::string& model = kQuickModel);
    [[nodiscard]] bool splitting() const { return splitting_ != 0; }
    // How channels of the current recording share masks from now on; splits it so when it was split
    // otherwise.
    void set_channels(ChannelGrouping channels);
    // Starts a split by itself as soon as something is brought in.
    void set_split_on_arrival(bool on) { split_on_arrival_ = on; }

    void new_session();
    [[nodiscard]] bool open(const std::filesystem::path& path);
    [[nodiscard]] bool save(const std::filesystem::path& path);
    // Says where a missing recording is now; others that are missing are looked for beside it.
    void relocate(const std::filesystem::path& missing, const std::filesystem::path& found);
    [[nodiscard]] bool changed_since_saving() const { return !undo_.isClean() || recovered_; }

    // Recovery: opens what an earlier run that ended badly has left. True when there was something.
    bool recover();

  signals:
    void session_changed();
    void material_changed();
    void said(const QString& sentence, bool trouble);
    void media_missing(const QString& path);

  private:
    friend class SessionCommand;
    struct Waiting {  // for a file that is being read
        std::filesystem::path path;
        int track = 0, clip = 0;  // clip: to be replaced
        std::int64_t at = 0;
        std::vector<Insert> chain;
    };
    void apply(const Session& session);
    void load_materials();
    void load_material(const std::filesystem::path& path);
    [[nodiscard]] ChannelGrouping channels_of(const std::filesystem::path& path) const;
    void find_map(const std::filesystem::path& path, Material& material);
    void convert_materials();
    void want(const Waiting& waiting);
    void place_waiting(const std::filesystem::path& path);
    void place_replacement(const Waiting& waiting, std::shared_ptr<const Source> source);
    void compare_hashes();
    void measure_sum(const std::filesystem::path& path);
    void autosave();
    void reset_history();

    JobList& jobs_;
    std::filesystem::path work_folder_, path_, recovery_path_;
    std::unique_ptr<QLockFile> recovery_lock_;
    Session session_;
    QUndoStack undo_;
    std::map<std::filesystem::path, Material> materials_;
    QTimer autosave_timer_;
    struct Line {
        std::size_t stem = 0;
        Setting setting = Setting::Isolation;
        bool operator==(const Line&) const = default;
    };
    Line written_;  // by set_value in this step
    AutomationRecorder writer_;
    std::vector<Waiting> waiting_;
    std::int64_t playhead_ = 0;
    int step_ = 0;
    int splitting_ = 0;
    bool split_on_arrival_ = false, recovered_ = false;
};

}  // namespace rivlen::app
