// SPDX-License-Identifier: GPL-3.0-or-later
// A session: what was brought in and how it is set. Plain data, kept as versioned JSON (docs/formats.md) that
// is written atomically and diffs well. Sound, maps and pictures stay where they are.
#pragma once

#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/project/corrections_json.h"
#include "core/project/delivery_table.h"
#include "core/project/settings_json.h"
#include "core/project/timeline.h"
#include "core/separation/audition.h"
#include "core/separation/channel_groups.h"
#include "core/separation/settings.h"
#include "core/separation/teaching_mark.h"
#include "core/separation/timed.h"

namespace rivlen {

inline constexpr int kSessionVersion = 11;
inline constexpr const char* kSessionExtension = ".rivlen";

inline constexpr std::size_t kCards = 6;

// Outcome of a blind comparison: how often the first of two was preferred.
struct Comparison {
    std::string first, second;  // names of the cards, or "source"
    int trials = 0;
    int first_preferred = 0;
    bool operator==(const Comparison&) const = default;
};

struct SessionItem {
    std::filesystem::path path;  // of the original
    std::string hash;            // of its sound; empty until it has been decoded once
    ShapeSettings settings;
    std::optional<LoopRange> loop;
    bool loop_on = true;
    std::int64_t pre_roll_frames = 0;  // are played before the loop each time
    std::array<std::optional<Card>, kCards> cards{};
    std::vector<SettingLane> lines{};
    std::vector<SettingsRange> ranges{};
    std::vector<Correction> corrections{};
    std::vector<Comparison> comparisons{};
    ChannelGrouping channels = ChannelGrouping::Pairs;  // how they share masks
    std::vector<TeachingMark> marks{};                  // to teach from
    std::optional<TaughtModel> taught{};                // of this recording
    std::optional<TaughtModel> taught_parts{};          // of the parts of its music
    std::vector<LoopRange> room_tone{};  // where only the place is heard, found or marked; in order
    [[nodiscard]] TimedSettings timed() const;
    // What the controls show and change: the settings of the range that the loop matches, else the base.
    [[nodiscard]] const ShapeSettings& edited() const;
    [[nodiscard]] ShapeSettings& edited();
    // The settings of a range that the loop matches; null where it matches none.
    [[nodiscard]] const SettingsRange* own_range() const;
    // The same as edited(), with the lines of the base applied at a frame.
    [[nodiscard]] ShapeSettings edited_at(std::int64_t frame) const;
    // The loop with what is heard before it.
    [[nodiscard]] std::optional<LoopRange> heard_loop() const;
    bool operator==(const SessionItem&) const = default;
};

struct Session {
    std::vector<SessionItem> items;
    int current = -1;  // index into items; -1: none
    Monitor monitor = Monitor::Kept;
    bool level_match = true;
    Timeline timeline;
    HandoverTemplate deliveries = standard_template();
    bool operator==(const Session&) const = default;
};

[[nodiscard]] std::string session_to_json(const Session& session);
// Paths are kept relative to the session's folder where they lie below it, so that both can be moved
// together. Errors: BadInput (damaged), Unsupported (made by a newer Rivlen).
[[nodiscard]] Result<Session> session_from_json(const std::string& text, const std::filesystem::path& folder);

// Errors: Io, DiskFull.
[[nodiscard]] Status save_session(const Session& session, const std::filesystem::path& path);
// Errors: NotFound, BadInput, Unsupported. Missing media are no error here: see missing_media().
[[nodiscard]] Result<Session> load_session(const std::filesystem::path& path);
// Files that clips refer to, without those that are recordings of the session.
[[nodiscard]] std::vector<std::filesystem::path> added_media(const Session& session);
// Originals and added files that are not where the session says.
[[nodiscard]] std::vector<std::filesystem::path> missing_media(const Session& session);

}  // namespace rivlen
