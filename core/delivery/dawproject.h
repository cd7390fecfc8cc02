// SPDX-License-Identifier: GPL-3.0-or-later
// A session as DAWproject 1.0: an open exchange format, XML and sound in one ZIP archive (from memory of its
// published schema).
#pragma once

#include <filesystem>

#include "core/base/job.h"
#include "core/mix/plan.h"
#include "core/project/session.h"

namespace rivlen {

inline constexpr const char* kDawprojectEnding = ".dawproject";

// What clips play is rendered into the archive, once for every recording, part of it (a stem, all of it) and
// settings, as 32-bit float at the session's rate from the recording's start on; clips refer to it with their
// places, gains and fades, those that edges get by themselves included. Tracks and buses have level, pan,
// mute, solo, their lines over time and sends. The picture is referred to where it lies. Chains of parts,
// ducking and the placing of both sides of a stereo track have no counterpart in the format and are left out.
// An earlier file of this name stays beside it. Errors: Io, DiskFull, Cancelled, those of rendering.
[[nodiscard]] Status write_dawproject(const Session& session, const MixMediaSet& media,
                                      const std::filesystem::path& file, const std::filesystem::path& work,
                                      const JobControl& job = {});

}  // namespace rivlen
