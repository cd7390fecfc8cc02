// SPDX-License-Identifier: GPL-3.0-or-later
// What a row takes from a session. Used by the parts of deliver.h.
#pragma once

#include <filesystem>
#include <string>
#include <tuple>

#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/separation/bands.h"

namespace rivlen {

// Whether a row of this content plays a stem.
[[nodiscard]] bool holds(Content content, Stem stem);
// File of the first picture; null where there is none.
[[nodiscard]] const std::filesystem::path* picture_of(const Session& session);
// Ending of files with the session's picture: its own where such files can be written, else ".mov".
[[nodiscard]] std::string picture_ending(const Session& session);
[[nodiscard]] LoopRange range_of_row(const Session& session, const HandoverRow& row);
[[nodiscard]] double seconds_of_row(const Session& session, const HandoverRow& row);
[[nodiscard]] int rate_of_row(const Session& session, const HandoverRow& row);
// What rows of one version have in common: version, card, target, loop only.
using VersionKey = std::tuple<std::string, int, std::string, bool>;
[[nodiscard]] inline VersionKey version_key(const HandoverRow& row) {
    return {row.version, row.card, row.target, row.loop_only};
}
// Files whose names differ only in case are one file on many disks.
[[nodiscard]] std::string lower(std::string text);

}  // namespace rivlen
