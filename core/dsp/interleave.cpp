// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/dsp/interleave.h"

#include <cstddef>

namespace rivlen {

void interleave(std::span<const std::vector<float>> channels, std::vector<float>& out) {
    const std::size_t frames = channels.empty() ? 0 : channels[0].size();
    out.resize(frames * channels.size());
    for (std::size_t c = 0; c < channels.size(); ++c) {
        const std::span<const float> from = channels[c];
        for (std::size_t i = 0; i < frames; ++i) out[i * channels.size() + c] = from[i];
    }
}

}  // namespace rivlen
