#include "core/chain/processor.h"

#include <algorithm>

#include "core/chain/gain.h"
#include "core/chain/high_pass.h"
#include "core/chain/limiter.h"

namespace rivlen {

namespace {
constexpr std::size_t kPiece = 256;       // largest piece that is worked on at once
constexpr double kSwitchSeconds = 0.01;  // over which a part is switched on or off
}  // namespace

std::unique_ptr<Processor> make_processor(PartKind kind, int sample_rate) {
    switch (kind) {
        case PartKind::Gain:
            return std::make_unique<Gain>(sample_rate);
        case PartKind::HighPass:
            return std::make_unique<HighPass>(sample_rate);
        case PartKind::Limiter:
            return std::make_unique<Limiter>(sample_rate);
    }
    return nullptr;
}

Chain::Chain(std::span<const ChainPart> parts, int sample_rate)
    : step_(static_cast<float>(1.0 / (kSwitchSeconds * sample_rate))) {
    for (const auto& part : parts) {
        Slot slot;
        slot.processor = make_processor(part.kind, sample_rate);
        slot.on = part.on;
        slot.share = part.on ? 1.0F : 0.0F;
        slot.processor->set(part.values);
        const auto delay = static_cast<std::size_t>(slot.processor->latency());
        for (auto& channel : slot.delay) channel.assign(delay, 0.0F);
        latency_ += slot.processor->latency();
        slots_.push_back(std::move(slot));
    }
    for (auto& channel : dry_) channel.resize(kPiece);
}

void Chain::reset() {
    for (auto& slot : slots_) {
        slot.processor->reset();
        for (auto& channel : slot.delay) std::ranges::fill(channel, 0.0F);
        slot.at = 0;
        slot.share = slot.on ? 1.0F : 0.0F;
    }
}

void Chain::set(std::size_t part, bool on, std::span<const double> values) {
    slots_[part].on = on;
    slots_[part].processor->set(values);
}

void Chain::process(StereoBlock block) {
    for (std::size_t from = 0; from < block[0].size(); from += kPiece) {
        const std::size_t count = std::min(kPiece, block[0].size() - from);
        const StereoBlock piece = {block[0].subspan(from, count), block[1].subspan(from, count)};
        for (auto& slot : slots_) {
            const float target = slot.on ? 1.0F : 0.0F;
            const std::size_t delay = slot.delay[0].size();
            // Delayed as much as the processor delays.
            for (std::size_t c = 0; c < kMixChannels; ++c) {
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
            if (slot.share == target && target == 1.0F) continue;
            float share = slot.share;
            for (std::size_t i = 0; i < count; ++i) {
                share = target > share ? std::min(target, share + step_) : std::max(target, share - step_);
                for (std::size_t c = 0; c < kMixChannels; ++c)
                    piece[c][i] = share == 0.0F ? dry_[c][i] : dry_[c][i] + share * (piece[c][i] - dry_[c][i]);
            }
            slot.share = share;
        }
    }
}

}  // namespace rivlen
