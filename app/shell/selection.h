// SPDX-License-Identifier: GPL-3.0-or-later
// What is chosen in the rebuild: clips, a picture cut, a track or bus, and the line that is shown on each
// track.
#pragma once

#include <QObject>
#include <algorithm>
#include <map>
#include <optional>
#include <vector>

#include "core/project/timeline.h"

namespace rivlen::app {

class Selection : public QObject {
    Q_OBJECT
  public:
    using QObject::QObject;
    [[nodiscard]] const std::vector<int>& clips() const { return clips_; }
    [[nodiscard]] int video_clip() const { return video_clip_; }
    [[nodiscard]] int strip() const { return strip_; }
    [[nodiscard]] bool has_clip(int id) const { return std::ranges::find(clips_, id) != clips_.end(); }
    // The line of a track that is drawn and edited; nothing: none.
    [[nodiscard]] std::optional<StripLane> line_of(int strip) const {
        const auto found = lines_.find(strip);
        return found != lines_.end() ? std::optional(found->second) : std::nullopt;
    }
    void choose_clips(std::vector<int> clips) {
        clips_ = std::move(clips);
        video_clip_ = 0;
        emit changed();
    }
    void toggle_clip(int id) {
        if (has_clip(id)) {
            std::erase(clips_, id);
        } else {
            clips_.push_back(id);
        }
        emit changed();
    }
    void choose_picture(int cut) {
        clips_.clear();
        video_clip_ = cut;
        emit changed();
    }
    void choose_strip(int id) {
        if (strip_ == id) return;
        strip_ = id;
        emit changed();
    }
    void show_line(int strip, const std::optional<StripLane>& target) {
        if (target) {
            lines_[strip] = *target;
        } else {
            lines_.erase(strip);
        }
        emit changed();
    }
    // Forgets what is no longer there.
    void follow(const Timeline& timeline) {
        std::erase_if(clips_, [&](int id) { return timeline.clip(id) == nullptr; });
        if (std::ranges::find(timeline.picture, video_clip_, &VideoClip::id) == timeline.picture.end())
            video_clip_ = 0;
        if (timeline.strip(strip_) == nullptr)
            strip_ = !timeline.tracks.empty() ? timeline.tracks.front().id : timeline.main_bus();
        std::erase_if(lines_, [&](const auto& entry) {
            const Strip* strip = timeline.strip(entry.first);
            return strip == nullptr ||
                   (entry.second.target == LaneTarget::Part &&
                    std::ranges::find(strip->chain, entry.second.part, &Insert::id) == strip->chain.end());
        });
        emit changed();
    }

  signals:
    void changed();

  private:
    std::vector<int> clips_;
    int video_clip_ = 0, strip_ = 0;
    std::map<int, StripLane> lines_;
};

}  // namespace rivlen::app
