// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/mix_player.h"

#include <algorithm>

namespace rivlen {

namespace {
constexpr double kReadySeconds = 0.128, kHandsOnSeconds = 0.018;
constexpr std::size_t kMixReadyBlocks = 100;  // enough at 192 kHz
constexpr int kBlocksBetweenMeasures = 8;     // integrated loudness costs more than the rest
}  // namespace

MixPlayer::MixPlayer()
    : Transport(kMixReadyBlocks, kReadySeconds),
      sides_(0, kMixChannels, kBlockFrames),
      hands_on_seconds_(kHandsOnSeconds) {
    start_thread();
}

void MixPlayer::set_hands_on(bool on) {
    if (on && hands_on_ && drop_outs() > drop_outs_before_) {
        drop_outs_before_ = drop_outs();
        hands_on_seconds_ = std::min(kReadySeconds, 2 * hands_on_seconds_);
    }
    if (on && !hands_on_) drop_outs_before_ = drop_outs();
    hands_on_ = on;
    set_ready_seconds(on ? hands_on_seconds_ : kReadySeconds);
}

MixPlayer::~MixPlayer() {
    end_thread();
}

void MixPlayer::set_plan(std::shared_ptr<const MixPlan> plan) {
    const std::lock_guard lock(mutex());
    const std::int64_t total = plan && plan->timeline().sample_rate > 0 ? plan->timeline().end() : 0;
    const bool there = wanted_ && wanted_->timeline().end() > 0;
    if (there != (total > 0) || (there && wanted_->timeline().sample_rate != plan->timeline().sample_rate)) {
        change_material(true, plan ? plan->timeline().sample_rate : sample_rate(), total);
    } else {
        set_total(total);
    }
    wanted_ = std::move(plan);
}

bool MixPlayer::take_wanted() {
    if (wanted_ == now_) return false;
    const bool other_rate =
        !engine_ || !wanted_ || wanted_->timeline().sample_rate != engine_->plan().timeline().sample_rate;
    now_ = wanted_;
    if (!now_ || now_->timeline().sample_rate <= 0) {
        engine_.reset();
        return true;
    }
    if (!other_rate) {
        engine_->set_plan(now_);
        return false;
    }
    engine_ = std::make_unique<MixEngine>(now_);
    correlation_.emplace(now_->timeline().sample_rate);
    loudness_ = std::make_unique<LoudnessMeter>(now_->timeline().sample_rate, static_cast<int>(kMixChannels),
                                                LoudnessMeter::Kind::Running);
    return true;
}

void MixPlayer::seek_to(std::int64_t frame) {
    engine_->seek(frame);
}

void MixPlayer::render(Block& block) {
    engine_->next({sides_[0], sides_[1]});
    block.count = kBlockFrames;
    block.samples.resize(kBlockFrames * kOutputChannels);
    for (std::size_t i = 0; i < kBlockFrames; ++i) {
        for (std::size_t c = 0; c < kMixChannels; ++c) block.samples[i * kOutputChannels + c] = sides_[c][i];
    }
    if (anew_.exchange(false)) {
        loudness_ = std::make_unique<LoudnessMeter>(
            now_->timeline().sample_rate, static_cast<int>(kMixChannels), LoudnessMeter::Kind::Running);
        true_peak_.set({});
    }
    loudness_->add(sides_);
    correlation_->add(sides_[0], sides_[1]);
    if (++since_measured_ < kBlocksBetweenMeasures) return;
    since_measured_ = 0;
    momentary_.set(loudness_->momentary_lufs());
    short_term_.set(loudness_->short_term_lufs());
    alike_.set(correlation_->value());
    const Loudness whole = loudness_->result();
    integrated_.set(whole.integrated_lufs);
    true_peak_.set(whole.true_peak_dbtp);
}

MixPlayer::Meters MixPlayer::meters() const {
    return {momentary_.get(), short_term_.get(), integrated_.get(), true_peak_.get(), alike_.get()};
}

}  // namespace rivlen
