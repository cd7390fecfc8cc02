// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/excerpt_player.h"

#include <algorithm>

namespace rivlen {

namespace {
constexpr double kExcerptReadySeconds = 0.1;
constexpr std::size_t kExcerptReadyBlocks = 40;  // enough at 192 kHz
}  // namespace

ExcerptPlayer::ExcerptPlayer()
    : Transport({kStereoChannels, kExcerptReadyBlocks, kBlockFrames}, kExcerptReadySeconds) {
    start_thread();
}

ExcerptPlayer::~ExcerptPlayer() {
    end_thread();
}

void ExcerptPlayer::hear(std::shared_ptr<const AudioBlock> sound) {
    {
        const std::lock_guard lock(mutex());
        wanted_ = std::move(sound);
        change_material(true, wanted_ ? wanted_->sample_rate() : sample_rate(),
                        wanted_ ? static_cast<std::int64_t>(wanted_->frames()) : 0);
    }
    play();
}

bool ExcerptPlayer::take_wanted() {
    if (wanted_ == now_) return false;
    now_ = wanted_;
    return true;
}

void ExcerptPlayer::render(Block& block) {
    block.count = kBlockFrames;
    block.samples.assign(kBlockFrames * kStereoChannels, 0.0F);
    const AudioBlock& sound = *now_;
    const std::size_t there = std::min(kBlockFrames, sound.frames() - std::min(sound.frames(), at_));
    for (std::size_t side = 0; side < kStereoChannels; ++side) {
        const auto channel = sound[std::min(side, sound.channels() - 1)];
        for (std::size_t i = 0; i < there; ++i) block.samples[i * kStereoChannels + side] = channel[at_ + i];
    }
    at_ += kBlockFrames;
}

}  // namespace rivlen
