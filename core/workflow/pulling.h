// SPDX-License-Identifier: GPL-3.0-or-later
// Pulled up or down by a thousandth: what was shot for 24 or 30 frames a second plays with a picture
// at 23.976 or 29.97, or the other way round.
#pragma once

#include <filesystem>

#include "core/base/job.h"
#include "core/mix/plan.h"

namespace rivlen {

// Down: 1000/1001 of the speed, so that it lasts longer; Up: 1001/1000.
enum class Pull { Up, Down };
// How long so many frames are then.
[[nodiscard]] std::int64_t pulled_frames(std::int64_t frames, Pull pull);
// "NAME pulled down.wav" in a folder, with a number where there is one already.
[[nodiscard]] std::filesystem::path pulled_name(const std::filesystem::path& folder,
                                                const std::filesystem::path& recording, Pull pull);
// What a clip plays, between its edges and without its gain and fades, converted (very high quality) into a
// Broadcast WAV at the session rate, whose time reference (EBU Tech 3285) is the timecode at which the clip
// begins. Returns its frames. Errors: NotFound (no such clip, or its media is missing), Io, DiskFull,
// Cancelled. Any thread.
[[nodiscard]] Result<std::int64_t> write_pulled(const MixPlan& plan, int clip, Pull pull,
                                                const std::filesystem::path& file,
                                                const std::filesystem::path& work_folder,
                                                const JobControl& job = {});
// The clip plays that file from where it began: at the same timecode, as long as it is now.
void take_pulled(Timeline& timeline, int clip, const std::filesystem::path& file, std::int64_t frames);

}  // namespace rivlen
