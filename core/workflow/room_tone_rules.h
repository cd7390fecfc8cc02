// SPDX-License-Identifier: GPL-3.0-or-later
// Which recordings give room tone, and where in them it is.
#pragma once

#include <filesystem>
#include <span>
#include <vector>

#include "core/base/result.h"
#include "core/project/editing.h"
#include "core/project/session.h"

namespace rivlen {

// Recordings of the session whose room tone is known.
[[nodiscard]] HasRoomTone known_room_tone(const Session& session);

// Recordings of the session whose room tone would be needed and is not known yet: to mute a range of tracks,
// for clips, or for the gaps of a range of a track (whatever it plays there or elsewhere).
[[nodiscard]] std::vector<std::filesystem::path> unknown_room_tone(const Session& session,
                                                                   const LoopRange& range,
                                                                   std::span<const int> tracks);
[[nodiscard]] std::vector<std::filesystem::path> unknown_room_tone(const Session& session,
                                                                   std::span<const int> clips);
[[nodiscard]] std::vector<std::filesystem::path> unknown_room_tone(const Session& session, int track);

// The recording's room tone is its loop from now on, whatever was found before; once more, and it is to be
// found. Returns whether it is the loop now. Errors: BadInput (no loop, or one too short).
[[nodiscard]] Result<bool> mark_room_tone(SessionItem& item, int sample_rate);

}  // namespace rivlen
