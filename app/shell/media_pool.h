// SPDX-License-Identifier: GPL-3.0-or-later
// What belongs to the files of a session but is no part of it: their working copies, maps and facts, made and
// found in the background.
#pragma once

#include <QObject>
#include <QString>
#include <QTimer>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <vector>

#include "app/shell/jobs.h"
#include "core/base/position.h"
#include "core/media/decode.h"
#include "core/media/source.h"
#include "core/mix/plan.h"
#include "core/separation/channel_groups.h"
#include "core/separation/corrections.h"
#include "core/separation/mask_map.h"

namespace rivlen::app {

struct Material {
    std::shared_ptr<const Source> source;
    std::shared_ptr<const MaskMap> model_map;  // as the model had it; with the parts of the music once opened
    std::shared_ptr<const MaskMap> map;        // with the corrections: what everything reads
    std::shared_ptr<const PreparedCorrections> corrections;
    std::shared_ptr<const MaskMap> map_so_far;  // while it is split for the first time
    MediaInfo info;
    std::optional<double> sum_dbfs;                 // measured once the recording is split
    std::shared_ptr<const Source> at_session_rate;  // for the rebuild, once it is there
    bool loading = false, converting = false;
    int correcting = 0;       // how often that was begun
    int sum_job = 0;          // measures sum_dbfs
    bool left_alone = false;  // not to be read by itself: an earlier run ended over it
    QString trouble;          // why it cannot be used, if so
};

class MediaPool : public QObject {
    Q_OBJECT
  public:
    // What the session says of a recording.
    struct Wishes {
        std::function<ChannelGrouping(const std::filesystem::path&)> channels;  // how they share masks now
        std::function<std::vector<Correction>(const std::filesystem::path&)> corrections;
        // Weights that are in use for it; empty: it is split with a model as it comes.
        std::function<std::filesystem::path(const std::filesystem::path&)> taught;
        // The same for the parts of its music.
        std::function<std::filesystem::path(const std::filesystem::path&)> taught_parts;
        // Whether the session needs the parts of its music.
        std::function<bool(const std::filesystem::path&)> music_parts;
    };
    MediaPool(JobList& jobs, std::filesystem::path work_folder, Wishes wishes, QObject* parent = nullptr);

    [[nodiscard]] const Material* find(const std::filesystem::path& path) const;
    [[nodiscard]] bool has(const std::filesystem::path& path) const { return materials_.contains(path); }
    [[nodiscard]] MixMediaSet at_session_rate() const;
    // Files that are being read.
    [[nodiscard]] bool reading() const;

    // Reads a file unless that has been begun; missing() when it is not there.
    void load(const std::filesystem::path& path);
    // So that the next load() tries anew.
    void forget(const std::filesystem::path& path) { materials_.erase(path); }
    // Files that load() is not to read until read_anyway().
    void leave_alone(const std::vector<std::filesystem::path>& paths);
    [[nodiscard]] std::vector<std::filesystem::path> left_alone() const;
    void read_anyway(const std::filesystem::path& path);

    // Everything at this rate, in Hz; 0: the session has none yet.
    void set_session_rate(int rate);
    // After the channels of a recording share masks otherwise, or other weights are in use: the map of an
    // earlier split, if there is one.
    void find_map_again(const std::filesystem::path& path);
    // After the corrections of a recording have changed.
    void correct(const std::filesystem::path& path);
    // Splits a recording with a model's file, what follows `wanted` first. Does nothing while one is split
    // already.
    void split(const std::filesystem::path& path, const std::filesystem::path& model, RecordingFrame wanted);
    [[nodiscard]] bool splitting() const { return splitting_ != 0; }
    // Opens the music of a recording that is split into its parts. Does nothing where that is done, or while
    // one is being opened.
    void open_music(const std::filesystem::path& path, RecordingFrame wanted);
    // Its music is opened whenever it is split from now on.
    void keep_open(const std::filesystem::path& path) { kept_open_.insert(path); }
    // Where the session needs parts that are not there, as after an edit, or where they are kept open.
    void open_what_is_needed();

  signals:
    void changed();
    void read(const QString& path);          // its working copy is there
    void ready_to_mix(const QString& path);  // at the session's rate, too
    void said(const QString& sentence, bool trouble);
    void missing(const QString& path);
    void music_opened(const QString& path);

  private:
    void say(const Error& error);
    void find_map(const std::filesystem::path& path);
    [[nodiscard]] bool is_to_open(const std::filesystem::path& path) const {
        return kept_open_.contains(path) || wishes_.music_parts(path);
    }
    // What is in use for it; where its file is gone that is said, and nothing is.
    [[nodiscard]] std::filesystem::path taught_there(const std::filesystem::path& path,
                                                     const std::filesystem::path& taught);
    void set_map(const std::filesystem::path& path, MaskMap map);
    void take_model_map(const std::filesystem::path& path, MaskMap map);
    void convert(const std::filesystem::path& path);
    void measure_sum(const std::filesystem::path& path);
    void show_part(const std::filesystem::path& path, std::shared_ptr<const MaskMap> map);

    JobList& jobs_;
    std::filesystem::path work_folder_;
    Wishes wishes_;
    std::map<std::filesystem::path, Material> materials_;
    int session_rate_ = 0;
    int splitting_ = 0, opening_ = 0;
    std::set<std::filesystem::path> not_opened_;  // where that has failed: not tried again by itself
    std::set<std::filesystem::path> kept_open_;   // opened by hand, or taught
    QTimer sum_timer_;                            // after corrections, when they have rested
    std::set<std::filesystem::path> sums_due_;
};

}  // namespace rivlen::app
