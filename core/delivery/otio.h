// SPDX-License-Identifier: GPL-3.0-or-later
// A session as OpenTimelineIO JSON (schemas Timeline.1, Stack.1, Track.1, Clip.1, Gap.1, Transition.1,
// Effect.1, Marker.2, ExternalReference.1; from memory of the published schemas).
#pragma once

#include <filesystem>
#include <span>
#include <string>

#include "core/delivery/deliver.h"
#include "core/mix/plan.h"

namespace rivlen {

// One stack: the picture; every delivered sound that lies in the folder, whole, by a path relative to it;
// then the tracks as they are edited, with the recordings they play, which are switched off where stems were
// delivered. Times in samples at the session rate. Fades and cross-fades, also those that edges get by
// themselves, are transitions; gains of clips and tracks with their lines, pan and shapes of fades stand in
// effects and metadata
// ("rivlen"); markers on the stack.
[[nodiscard]] std::string otio_of(const MixPlan& plan, const std::string& name,
                                  const std::filesystem::path& folder, std::span<const DeliveredRow> rows);

}  // namespace rivlen
