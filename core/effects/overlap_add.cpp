// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/overlap_add.h"

#include <algorithm>

#include "core/dsp/decibels.h"

namespace rivlen {

OverlapAddProcessor::OverlapAddProcessor(std::size_t window, std::size_t hop) : window_(window), hop_(hop) {
    for (std::size_t c = 0; c < kMixChannels; ++c) {
        sound_[c].assign(window, 0.0F);
        in_[c].assign(hop, 0.0F);
        out_[c].assign(hop, 0.0F);
    }
}

void OverlapAddProcessor::reset() {
    for (auto* buffer : {&sound_, &in_, &out_}) {
        for (auto& channel : *buffer) std::ranges::fill(channel, 0.0F);
    }
    at_ = 0;
    reduction_db_ = 0;
    forget();
}

void OverlapAddProcessor::process(StereoBlock block) {
    for (std::size_t done = 0; done < block[0].size();) {
        const std::size_t count = std::min(block[0].size() - done, hop_ - at_);
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            const auto piece = block[c].subspan(done, count);
            const auto at = static_cast<std::ptrdiff_t>(at_);
            std::ranges::copy(piece, in_[c].begin() + at);
            std::copy_n(out_[c].begin() + at, count, piece.begin());
        }
        done += count;
        at_ += count;
        if (at_ < hop_) return;
        at_ = 0;
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            auto& sound = sound_[c];
            std::copy(sound.begin() + static_cast<std::ptrdiff_t>(hop_), sound.end(), sound.begin());
            std::ranges::copy(in_[c], sound.end() - static_cast<std::ptrdiff_t>(hop_));
        }
        energy_before_ = -1;
        work({sound_[0], sound_[1]});
        double after = 0;
        for (std::size_t c = 0; c < kMixChannels; ++c) {
            std::copy_n(sound_[c].begin(), hop_, out_[c].begin());
            after += energy_of(out_[c]);
        }
        // Under -100 dBFS nothing is worth a meter.
        const double least = 1e-10 * static_cast<double>(hop_);
        reduction_db_ = energy_before_ < least
                            ? 0.0
                            : std::min(0.0, db_of_power(std::max(after, least) / energy_before_));
    }
}

}  // namespace rivlen
