// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/processor.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/base/vector_code.h"
#include "core/dsp/decibels.h"
#include "core/effects/clicks.h"
#include "core/effects/clipping.h"
#include "core/effects/compressor.h"
#include "core/effects/cut_filter.h"
#include "core/effects/de_esser.h"
#include "core/effects/equaliser.h"
#include "core/effects/gain.h"
#include "core/effects/gate.h"
#include "core/effects/hiss.h"
#include "core/effects/hum.h"
#include "core/effects/limiter.h"
#include "core/effects/plosives.h"
#include "core/effects/reverb.h"
#include "core/effects/tap.h"
#include "core/effects/wind.h"

namespace rivlen {

namespace {
constexpr std::size_t kPiece = 256;    // largest piece that is worked on at once
constexpr double kMatchSeconds = 2.0;  // over which levels are compared
constexpr double kMostMatchDb = 24.0;
constexpr double kSwitchSeconds = 0.01;  // over which a part is switched on or off

std::unique_ptr<Processor> make_unguarded(EffectType kind, int sample_rate, std::size_t channels);

// What is no number becomes silence, what is beyond all bounds is bounded.
RIVLEN_VECTOR_CODE void bound(float* __restrict samples, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const float x = samples[i];
        const float high = x < kLargestSample ? x : kLargestSample;
        const float within = high > -kLargestSample ? high : -kLargestSample;
        samples[i] = std::abs(x) <= std::numeric_limits<float>::max() ? within : 0.0F;
    }
}

// Nothing times a finite number is nothing.
RIVLEN_VECTOR_CODE RIVLEN_ANY_ORDER float traces(const float* samples, std::size_t count) {
    float sum = 0;
    for (std::size_t i = 0; i < count; ++i) sum += samples[i] * 0.0F;
    return sum;
}

// Values within their ranges, samples within kLargestSample, and nothing that is no number, whatever comes: a
// part that ends up with such a state forgets it.
class Guarded : public Processor {
  public:
    Guarded(EffectType kind, int sample_rate, std::size_t channels)
        : parameters_(info(kind).parameters), inner_(make_unguarded(kind, sample_rate, channels)) {
        for (const auto& parameter : parameters_) values_.push_back(parameter.standard);
    }
    [[nodiscard]] std::int64_t latency() const override { return inner_->latency(); }
    void reset() override { inner_->reset(); }
    void set(std::span<const double> values) override {
        for (std::size_t i = 0; i < std::min(values.size(), values_.size()); ++i) {
            if (std::isfinite(values[i]))
                values_[i] = std::clamp(values[i], parameters_[i].lowest, parameters_[i].highest);
        }
        inner_->set(values_);
    }
    void set_noise_shape(std::span<const float> shape_db) override { inner_->set_noise_shape(shape_db); }
    void process(ChannelBlock block) override {
        for (auto channel : block) bound(channel.data(), channel.size());
        inner_->process(block);
        if (std::ranges::all_of(block, [](std::span<const float> channel) {
                return traces(channel.data(), channel.size()) == 0.0F;
            }))
            return;
        inner_->reset();
        block.fill(0.0F);
    }
    bool give_key(bool give) override { return inner_->give_key(give); }
    [[nodiscard]] double reduction_db() const override {
        const double reduction = inner_->reduction_db();
        return std::isfinite(reduction) ? reduction : 0.0;
    }

  private:
    std::span<const ParameterInfo> parameters_;
    std::unique_ptr<Processor> inner_;
    std::vector<double> values_;
};

}  // namespace

std::unique_ptr<Processor> make_processor(EffectType kind, int sample_rate, std::size_t channels) {
    return std::make_unique<Guarded>(kind, sample_rate, channels);
}

namespace {

std::unique_ptr<Processor> make_unguarded(EffectType kind, int sample_rate, std::size_t channels) {
    switch (kind) {
        case EffectType::Clipping:
            return std::make_unique<ClippingRepair>(sample_rate, channels);
        case EffectType::Clicks:
            return std::make_unique<ClickRemover>(sample_rate, channels);
        case EffectType::Plosives:
            return std::make_unique<PlosiveRemover>(sample_rate, channels);
        case EffectType::Hum:
            return std::make_unique<HumRemover>(sample_rate, channels);
        case EffectType::Wind:
            return std::make_unique<WindRemover>(sample_rate, channels);
        case EffectType::Hiss:
            return std::make_unique<HissRemover>(sample_rate, channels);
        case EffectType::Gain:
            return std::make_unique<Gain>(sample_rate);
        case EffectType::HighPass:
        case EffectType::LowPass:
            return std::make_unique<CutFilter>(kind, sample_rate, channels);
        case EffectType::Gate:
            return std::make_unique<Gate>(sample_rate, channels);
        case EffectType::Equaliser:
            return std::make_unique<Equaliser>(sample_rate, channels);
        case EffectType::DeEsser:
            return std::make_unique<DeEsser>(sample_rate, channels);
        case EffectType::Compressor:
            return std::make_unique<Compressor>(sample_rate, channels);
        case EffectType::Reverb:
            return std::make_unique<Reverb>(sample_rate, channels);
        case EffectType::Limiter:
            return std::make_unique<Limiter>(sample_rate, channels);
    }
    return nullptr;
}

}  // namespace

Chain::Chain(std::span<const Insert> parts, int sample_rate, std::size_t channels)
    : step_(static_cast<float>(1.0 / (kSwitchSeconds * sample_rate))),
      match_frames_(kMatchSeconds * sample_rate) {
    for (const auto& part : parts) {
        Slot slot;
        slot.processor = make_processor(part.kind, sample_rate, channels);
        slot.on = part.on;
        slot.share = part.on ? 1.0F : 0.0F;
        slot.processor->set(part.values);
        slot.processor->set_noise_shape(part.noise_shape_db);
        const auto delay = static_cast<std::size_t>(slot.processor->latency());
        slot.delay.assign(channels, std::vector<float>(delay));
        latency_ += slot.processor->latency();
        slots_.push_back(std::move(slot));
    }
    for (auto* buffer : {&dry_, &removed_}) buffer->assign(channels, std::vector<float>(kPiece));
}

void Chain::reset() {
    for (auto& slot : slots_) {
        slot.processor->reset();
        for (auto& channel : slot.delay) std::ranges::fill(channel, 0.0F);
        slot.at = 0;
        slot.share = slot.on ? 1.0F : 0.0F;
        slot.dry_energy = slot.wet_energy = 0;
    }
}

void Chain::hear(std::size_t part, Audition what) {
    slots_[part].hear = what;
    slots_[part].processor->give_key(what == Audition::Key);
}

void Chain::set(std::size_t place, const Insert& part, std::span<const double> values) {
    slots_[place].on = part.on;
    slots_[place].processor->set(values);
    slots_[place].processor->set_noise_shape(part.noise_shape_db);
}

// What one listens to instead of the processed. The original is brought to its level: that of the last
// seconds.
void Chain::compare(Slot& slot, ChannelBlock piece) {
    const std::size_t count = piece[0].size();
    const double keep = std::exp(-static_cast<double>(count) / match_frames_);
    double dry = 0;
    double wet = 0;
    for (std::size_t c = 0; c < piece.size(); ++c) {
        dry += energy_of(std::span(dry_[c]).first(count));
        wet += energy_of(piece[c]);
    }
    slot.dry_energy = keep * slot.dry_energy + dry;
    slot.wet_energy = keep * slot.wet_energy + wet;
    if (slot.removed != nullptr || slot.hear == Audition::Removed) {
        for (std::size_t c = 0; c < piece.size(); ++c) {
            for (std::size_t i = 0; i < count; ++i) removed_[c][i] = dry_[c][i] - piece[c][i];
        }
    }
    if (slot.removed != nullptr) slot.removed->write(ChannelBlock(removed_, count));
    if (slot.hear == Audition::Result || slot.hear == Audition::Key) return;
    if (slot.hear == Audition::Removed) {
        for (std::size_t c = 0; c < piece.size(); ++c)
            std::copy_n(removed_[c].begin(), count, piece[c].begin());
        return;
    }
    const double ratio = slot.dry_energy > 0 ? slot.wet_energy / slot.dry_energy : 1.0;
    const auto gain = static_cast<float>(
        std::sqrt(std::clamp(ratio, power_of_db(-kMostMatchDb), power_of_db(kMostMatchDb))));
    for (std::size_t c = 0; c < piece.size(); ++c) {
        for (std::size_t i = 0; i < count; ++i) piece[c][i] = dry_[c][i] * gain;
    }
}

void Chain::process(ChannelBlock block) {
    for (std::size_t from = 0; from < block[0].size(); from += kPiece) {
        const std::size_t count = std::min(kPiece, block[0].size() - from);
        const ChannelBlock piece = block.subblock(from, count);
        for (auto& slot : slots_) {
            const float target = slot.on ? 1.0F : 0.0F;
            const std::size_t delay = slot.delay[0].size();
            // Delayed as much as the processor delays.
            for (std::size_t c = 0; c < piece.size(); ++c) {
                if (delay == 0) {
                    std::ranges::copy(piece[c], dry_[c].begin());
                    continue;
                }
                std::size_t at = slot.at;
                for (std::size_t i = 0; i < count; ++i) {
                    dry_[c][i] = slot.delay[c][at];
                    slot.delay[c][at] = piece[c][i];
                    at = at + 1 == delay ? 0 : at + 1;
                }
            }
            if (delay != 0) slot.at = (slot.at + count) % delay;
            slot.processor->process(piece);  // also when off: it must be in its state when it is switched on
            slot.reduction_db = slot.on ? slot.processor->reduction_db() : 0.0;
            compare(slot, piece);
            if (slot.share == target && target == 1.0F) continue;
            float share = slot.share;
            for (std::size_t i = 0; i < count; ++i) {
                share = target > share ? std::min(target, share + step_) : std::max(target, share - step_);
                for (std::size_t c = 0; c < piece.size(); ++c)
                    piece[c][i] =
                        share == 0.0F ? dry_[c][i] : dry_[c][i] + share * (piece[c][i] - dry_[c][i]);
            }
            slot.share = share;
        }
    }
}

std::vector<float> through_chain(std::span<const Insert> parts, std::span<const float> mono,
                                 int sample_rate) {
    Chain chain(parts, sample_rate, 1);
    std::vector<float> sound(mono.begin(), mono.end());
    sound.resize(mono.size() + static_cast<std::size_t>(chain.latency()));
    chain.process({sound});
    sound.erase(sound.begin(), sound.begin() + chain.latency());
    return sound;
}

}  // namespace rivlen
