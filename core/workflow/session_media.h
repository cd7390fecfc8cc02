// SPDX-License-Identifier: GPL-3.0-or-later
// What a session plays, loaded in one go (the window loads it piece by piece in the background).
#pragma once

#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "core/mix/plan.h"
#include "core/workflow/splitting.h"

namespace rivlen {

// Asked before each piece of work; says what it is and gives what watches it.
using Stage = std::function<JobControl(const std::string& what)>;

// The session itself and all files that it refers to: what is made from it never replaces one of them.
[[nodiscard]] std::vector<std::filesystem::path> files_of(const Session& session,
                                                          const std::filesystem::path& session_file);
// Everything that the clips of a session refer to, at the session rate; split as the session says where a
// clip plays a stem, and opened where needed (needs_music_parts()): channels share masks as its recording has
// it. wish: all else about splitting. Errors:
// those of bringing in and splitting.
[[nodiscard]] Result<MixMediaSet> load_media(const Session& session, const SplitWish& wish,
                                             const Stage& stage);

// Whether a session needs the parts of a recording's music: a clip plays one, the settings set one, or a row
// of the table of deliveries leaves one out.
[[nodiscard]] bool needs_music_parts(const Session& session, const std::filesystem::path& recording);

// Clips that say that they go on behind the end of what they play (a file of the same name that is shorter, a
// session that was edited by hand) end with it.
void fit_to_media(Timeline& timeline, const MixMediaSet& media);

}  // namespace rivlen
