// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/overlap_add.h"

#include <algorithm>

#include "core/dsp/decibels.h"

namespace rivlen {

OverlapAddProcessor::OverlapAddProcessor(std::size_t window, std::size_t hop, std::size_t channels)
    : window_(window),
      hop_(hop),
      sound_(channels, std::vector<float>(window)),
      in_(channels, std::vector<float>(hop)),
      out_(channels, std::vector<float>(hop)) {}

void OverlapAddProcessor::reset() {
    for (auto* buffer : {&sound_, &in_, &out_}) {
        for (auto& channel : *buffer) std::ranges::fill(channel, 0.0F);
    }
    at_ = 0;
    reduction_db_ = 0;
    forget();
}

void OverlapAddProcessor::process(ChannelBlock block) {
    for (std::size_t done = 0; done < block[0].size();) {
        const std::size_t count = std::min(block[0].size() - done, hop_ - at_);
        for (std::size_t c = 0; c < channels(); ++c) {
            const auto piece = block[c].subspan(done, count);
            for (std::size_t i = 0; i < count; ++i) {
                in_[c][at_ + i] = piece[i];
                piece[i] = out_[c][at_ + i];
            }
        }
        done += count;
        at_ += count;
        if (at_ < hop_) return;
        at_ = 0;
        for (std::size_t c = 0; c < channels(); ++c) {
            auto& sound = sound_[c];
            std::copy(sound.begin() + static_cast<std::ptrdiff_t>(hop_), sound.end(), sound.begin());
            std::ranges::copy(in_[c], sound.end() - static_cast<std::ptrdiff_t>(hop_));
        }
        energy_before_ = -1;
        work(ChannelBlock(sound_, window_));
        double after = 0;
        for (std::size_t c = 0; c < channels(); ++c) {
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
