// SPDX-License-Identifier: GPL-3.0-or-later
// Every hyper-parameter of the separation network; stored in the weights file's header, so that a file alone
// says how to build the network it belongs to.
#pragma once

#include <string>

#include "core/base/result.h"

namespace rivlen {

struct NetworkSpec {
    int feature_channels = 2;  // of those that bands.h makes, from the first on; 2 is what old files mean
    int patch_frames = 4;
    int patch_bands = 8;
    int width = 96;  // features per patch
    int blocks = 3;
    int hidden = 64;  // of a recurrence, each direction
    // Patches of a window of a recurrence along time, and those of them in which the next one warms up
    // (units::Reach); 0 patches: without end.
    int memory_steps = 0;
    int memory_overlap = 0;        // 0 (as old files have it), or more: all of them
    int mlp_hidden = 0;            // of a two-layer perceptron that ends every block; 0: none
    int head_hidden = 128;         // of the mask head
    bool head_sees_input = false;  // the head is also given the patch as it came in

    [[nodiscard]] std::string to_json() const;
    // Errors: BadInput for a missing, unknown or impossible value.
    [[nodiscard]] static Result<NetworkSpec> from_json(const std::string& text);
};

}  // namespace rivlen
