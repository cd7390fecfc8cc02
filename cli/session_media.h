// SPDX-License-Identifier: GPL-3.0-or-later
// What a session plays, loaded for commands.
#pragma once

#include "cli/recording.h"
#include "core/mix/plan.h"

namespace rivlen::cli {

// Everything that the clips of a session refer to, at the session rate; split where a clip plays a stem.
[[nodiscard]] Result<MixMediaSet> load_media(const Session& session, const RecordingOptions& how);

}  // namespace rivlen::cli
