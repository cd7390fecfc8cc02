// SPDX-License-Identifier: GPL-3.0-or-later
// Any layout on headphones: what each channel sounds like at the two ears.
#pragma once

#include <vector>

#include "core/space/conversion.h"
#include "core/space/convolver.h"
#include "core/space/head_responses.h"

namespace rivlen {

// A response pair a channel. Loudspeakers are heard from where they stand (stereo from its two loudspeakers,
// too), the LFE in both ears at the fold-down's level. Ambisonics are played by a grid of virtual
// loudspeakers all around, exact to their order, whose responses are added up by channel.
[[nodiscard]] std::vector<StereoConvolver::Responses> binaural_responses(
    const HeadResponses& head, Layout layout, const ConversionSettings& settings = {});

}  // namespace rivlen
