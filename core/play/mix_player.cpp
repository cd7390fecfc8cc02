// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/mix_player.h"

#include <algorithm>

#include "core/dsp/interleave.h"

namespace rivlen {

namespace {
constexpr double kReadySeconds = 0.128, kHandsOnSeconds = 0.018;
constexpr std::size_t kMixReadyBlocks = 100;  // enough at 192 kHz
constexpr int kBlocksBetweenMeasures = 8;     // integrated loudness costs more than the rest
}  // namespace

MixPlayer::MixPlayer()
    : Transport({kMostDeviceChannels, kMixReadyBlocks, kBlockFrames}, kReadySeconds),
      heard_(0, kMostDeviceChannels, kBlockFrames),
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
    if (!wanted_ || wanted_->timeline().sample_rate <= 0) return;
    const Timeline& r = wanted_->timeline();
    if (monitored_ != r.main_layout() || monitored_rate_ != r.sample_rate) want_monitor();
}

void MixPlayer::set_monitoring(Monitoring monitoring, std::shared_ptr<const HeadResponses> head,
                               const ConversionSettings& settings) {
    const std::lock_guard lock(mutex());
    monitoring_ = monitoring;
    head_ = std::move(head);
    conversion_ = settings;
    if (wanted_ && wanted_->timeline().sample_rate > 0) want_monitor();
}

void MixPlayer::set_device(Layout device) {
    const std::lock_guard lock(mutex());
    if (device_ == device) return;
    device_ = device;
    if (wanted_ && wanted_->timeline().sample_rate > 0) want_monitor();
}

// The mutex is held.
void MixPlayer::want_monitor() {
    const Timeline& r = wanted_->timeline();
    const bool ears = monitoring_ == Monitoring::Headphones && head_ && head_->sample_rate() == r.sample_rate;
    const Layout device = monitoring_ == Monitoring::Loudspeakers ? device_ : Layout::Stereo;
    wanted_monitor_ = std::make_unique<SpaceMonitor>(
        ears ? SpaceMonitor::headphones(r.main_layout(), *head_, conversion_)
             : SpaceMonitor::loudspeakers(r.main_layout(), device, conversion_));
    monitored_ = r.main_layout();
    monitored_rate_ = r.sample_rate;
}

void MixPlayer::measure_from_here() {
    loudness_ = std::make_unique<LoudnessMeter>(now_->timeline().sample_rate, now_->timeline().main_layout(),
                                                LoudnessMeter::Kind::Running);
    true_peak_.set({});
    for (auto& peak : channel_true_peaks_) peak.set({});
}

bool MixPlayer::take_wanted() {
    if (wanted_monitor_) monitor_.take(std::move(wanted_monitor_));
    if (wanted_ == now_) return false;
    const bool other_rate =
        !engine_ || !wanted_ || wanted_->timeline().sample_rate != engine_->plan().timeline().sample_rate;
    const bool other_layout = engine_ && wanted_ && wanted_->timeline().main_layout() != engine_->layout();
    now_ = wanted_;
    if (!now_ || now_->timeline().sample_rate <= 0) {
        engine_.reset();
        return true;
    }
    if (!other_rate) {
        engine_->set_plan(now_);
        if (!other_layout) return false;
    } else {
        engine_ = std::make_unique<MixEngine>(now_);
    }
    mix_ = AudioBlock(now_->timeline().sample_rate, channels_of(engine_->layout()), kBlockFrames);
    correlation_.emplace(now_->timeline().sample_rate);
    measure_from_here();
    return true;
}

void MixPlayer::seek_to(std::int64_t frame) {
    engine_->seek(frame);
    monitor_.reset();
}

void MixPlayer::render(Block& block) {
    engine_->next(mix_.view());
    monitor_.process(mix_.view(), heard_.view());
    block.count = kBlockFrames;
    interleave(heard_, block.samples);
    if (anew_.exchange(false)) measure_from_here();
    loudness_->add(mix_);
    correlation_->add(heard_[0], heard_[1]);
    if (++since_measured_ < kBlocksBetweenMeasures) return;
    since_measured_ = 0;
    momentary_.set(loudness_->momentary_lufs());
    short_term_.set(loudness_->short_term_lufs());
    alike_.set(correlation_->value());
    const Loudness whole = loudness_->result();
    integrated_.set(whole.integrated_lufs);
    true_peak_.set(whole.true_peak_dbtp);
    for (std::size_t c = 0; c < mix_.channels(); ++c)
        channel_true_peaks_[c].set(loudness_->true_peak_dbtp(c));
}

MixPlayer::Meters MixPlayer::meters() const {
    return {momentary_.get(), short_term_.get(), integrated_.get(), true_peak_.get(), alike_.get()};
}

}  // namespace rivlen
