// SPDX-License-Identifier: GPL-3.0-or-later
// What a row takes from a session. Used by the parts of deliver.h.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <tuple>

#include "core/media/coded_file.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/separation/bands.h"
#include "core/separation/music_parts.h"

namespace rivlen {

// Whether a row of this content plays a stem.
[[nodiscard]] bool holds(Content content, Stem stem);
// The part of the music that it leaves out.
[[nodiscard]] std::optional<MusicPart> left_out_by(Content content);
// File of the first picture; null where there is none.
[[nodiscard]] const std::filesystem::path* picture_of(const Session& session);
// Ending of files with the session's picture: its own where such files can be written, else ".mov".
[[nodiscard]] std::string picture_ending(const Session& session);
[[nodiscard]] LoopRange range_of_row(const Session& session, const HandoverRow& row);
[[nodiscard]] double seconds_of_row(const Session& session, const HandoverRow& row);
// Of the file in Hz: what the row asks for, or what its coder takes in its place.
[[nodiscard]] int rate_of_row(const Session& session, const HandoverRow& row);
[[nodiscard]] std::optional<CodedKind> coded_kind(Container container);
// Whether the row's sound is coded with loss, so that its peaks may overshoot.
[[nodiscard]] bool codes_with_loss(const Session& session, const HandoverRow& row);
// How far limiters stay under a ceiling, for meters that look more closely; and for coders, whose overshoots
// come on top. Common practice, no source.
inline constexpr double kPeakMarginDb = 0.1, kCodingMarginDb = 1.0;
// What rows that share a gain have in common: version, card, target, loop only, channels (a fold is as loud
// as it is, so it has a gain of its own).
using VersionKey = std::tuple<std::string, int, std::string, bool, Layout, bool>;
[[nodiscard]] inline VersionKey version_key(const HandoverRow& row) {
    return {row.version, row.card, row.target, row.loop_only, row.layout, row.binaural};
}
// Of the main bus's tracks, as a row with objects has them.
[[nodiscard]] std::size_t object_channels(const Session& session, const HandoverRow& row);
// Of a row that is not stereo, "5.1", "7.1.4 with objects" or "binaural"; empty for stereo.
[[nodiscard]] std::string channels_label(const HandoverRow& row);
// Files whose names differ only in case are one file on many disks.
[[nodiscard]] std::string lower(std::string text);

}  // namespace rivlen
