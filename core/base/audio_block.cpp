// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/audio_block.h"

namespace rivlen {

void AudioBlock::append_interleaved(std::span<const float> samples) {
    const std::size_t had = frames();
    const std::size_t count = samples.size() / channels();
    resize(had + count);
    for (std::size_t c = 0; c < channels(); ++c) {
        const auto to = (*this)[c].subspan(had);
        for (std::size_t i = 0; i < count; ++i) to[i] = samples[i * channels() + c];
    }
}

}  // namespace rivlen
