// SPDX-License-Identifier: GPL-3.0-or-later
// What belongs to the files of a session but is no part of it: their working copies, maps and facts, made and
// found in the background.
#pragma once

#include <QObject>
#include <QString>
#include <filesystem>
#include <functional>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "app/shell/jobs.h"
#include "core/base/position.h"
#include "core/media/decode.h"
#include "core/media/source.h"
#include "core/mix/plan.h"
#include "core/separation/channel_groups.h"
#include "core/separation/mask_map.h"

namespace rivlen::app {

struct Material {
    std::shared_ptr<const Source> source;
    std::shared_ptr<const MaskMap> map;
    std::shared_ptr<const MaskMap> map_so_far;  // while it is split for the first time
    MediaInfo info;
    std::optional<double> sum_dbfs;                 // measured once the recording is split
    std::shared_ptr<const Source> at_session_rate;  // for the rebuild, once it is there
    bool loading = false, converting = false;
    bool left_alone = false;  // not to be read by itself: an earlier run ended over it
    QString trouble;          // why it cannot be used, if so
};

class MediaPool : public QObject {
    Q_OBJECT
  public:
    // channels_of: how the channels of a recording share masks now.
    MediaPool(JobList& jobs, std::filesystem::path work_folder,
              std::function<ChannelGrouping(const std::filesystem::path&)> channels_of,
              QObject* parent = nullptr);

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
    // After the channels of a recording share masks otherwise: the map of an earlier split, if there is one.
    void find_map_again(const std::filesystem::path& path);
    // Splits a recording, what follows `wanted` first. Does nothing while one is split already.
    void split(const std::filesystem::path& path, const std::string& model, RecordingFrame wanted);
    [[nodiscard]] bool splitting() const { return splitting_ != 0; }

  signals:
    void changed();
    void read(const QString& path);          // its working copy is there
    void ready_to_mix(const QString& path);  // at the session's rate, too
    void said(const QString& sentence, bool trouble);
    void missing(const QString& path);

  private:
    void say(const Error& error);
    void find_map(const std::filesystem::path& path);
    void convert(const std::filesystem::path& path);
    void measure_sum(const std::filesystem::path& path);
    void show_part(const std::filesystem::path& path, std::shared_ptr<const MaskMap> map);

    JobList& jobs_;
    std::filesystem::path work_folder_;
    std::function<ChannelGrouping(const std::filesystem::path&)> channels_of_;
    std::map<std::filesystem::path, Material> materials_;
    int session_rate_ = 0;
    int splitting_ = 0;
};

}  // namespace rivlen::app
