// SPDX-License-Identifier: GPL-3.0-or-later
// What a session plays, loaded in one go (the window loads it piece by piece in the background).
#pragma once

#include <functional>
#include <string>

#include "core/mix/plan.h"
#include "core/workflow/splitting.h"

namespace rivlen {

// Asked before each piece of work; says what it is and gives what watches it.
using Stage = std::function<JobControl(const std::string& what)>;

// Everything that the clips of a session refer to, at the session rate; split as the session says where a
// clip plays a stem: channels share masks as its recording has it. wish: all else about splitting. Errors:
// those of bringing in and splitting.
[[nodiscard]] Result<MixMediaSet> load_media(const Session& session, const SplitWish& wish,
                                             const Stage& stage);

}  // namespace rivlen
