// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/player.h"

#include <algorithm>
#include <functional>
#include <optional>

#include "core/separation/shaper.h"

namespace rivlen {

// Lives on the render thread: one recording, one position, block after block.
class Player::Renderer {
  public:
    Renderer(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map)
        : source_(std::move(source)), map_(std::move(map)) {
        hop_ = static_cast<std::size_t>(shape_fft_size(source_->sample_rate()) / 4);
        channels_ = static_cast<std::size_t>(source_->channels());
        if (map_) shaper_.emplace(*source_, *map_, map_->cuts() ? 3 : 2);
        original_ = AudioBlock(source_->sample_rate(), channels_, hop_);
        shaped_.fill(original_);
    }
    void seek(std::int64_t frame) {
        at_ = frame;
        const auto hop = static_cast<std::int64_t>(hop_);
        const auto aligned = shaper_ ? shaper_->seek(at_) : at_ / hop * hop;
        skip_ = static_cast<std::size_t>(at_ - aligned);
    }

    // One block from at_ on, switches faded.
    void render(const Wanted& wanted, Block& block) {
        const std::size_t sound = sound_for(wanted);
        const auto weight_sets_at = [&](std::int64_t frame) {
            weights_[0] = wanted.weight_sets->kept(frame);
            weights_[1] = wanted.weight_sets->stem(sound, frame);
            return std::span<const MaskWeights>(weights_).first(outputs());
        };
        const std::int64_t start = at_ - static_cast<std::int64_t>(skip_);
        for (std::size_t c = 0; c < channels_; ++c) source_->read(static_cast<int>(c), start, original_[c]);
        if (shaper_) {
            std::array<std::vector<std::span<float>>, kOutputs> spans;
            for (std::size_t o = 0; o < outputs(); ++o) {
                for (std::size_t c = 0; c < channels_; ++c) spans[o].push_back(shaped_[o][c]);
            }
            const std::array<std::span<const std::span<float>>, kOutputs> views = {spans[0], spans[1],
                                                                                   spans[2]};
            shaper_->next(std::cref(weight_sets_at), std::span(views).first(outputs()));
        }
        block.count = hop_ - skip_;
        block.samples.resize(hop_ * kStereoChannels);
        const float target = wanted.gains[static_cast<std::size_t>(wanted.monitor)];
        if (!last_monitor_) {
            last_monitor_ = wanted.monitor;
            last_gain_ = target;
        }
        for (std::size_t i = 0; i < block.count; ++i) {
            const float part = static_cast<float>(i + 1) / static_cast<float>(block.count);
            for (std::size_t side = 0; side < kStereoChannels; ++side) {
                const std::size_t c = std::min(side, channels_ - 1);
                float x = value(wanted.monitor, c, i + skip_) * (last_gain_ + part * (target - last_gain_));
                if (*last_monitor_ != wanted.monitor) {
                    const float before = value(*last_monitor_, c, i + skip_) * last_gain_;
                    const float now = value(wanted.monitor, c, i + skip_) * target;
                    x = before + part * (now - before);
                }
                block.samples[i * kStereoChannels + side] = x;
            }
        }
        last_monitor_ = wanted.monitor;
        last_gain_ = target;
        at_ += static_cast<std::int64_t>(block.count);
        skip_ = 0;
    }

  private:
    [[nodiscard]] float value(Monitor monitor, std::size_t c, std::size_t i) const {
        const float original = original_[c][i];
        if (monitor == Monitor::Source) return original;
        const float kept = shaper_ ? shaped_[0][c][i] : original;
        const float whole = outputs() == kOutputs ? shaped_[2][c][i] : original;
        if (monitor == Monitor::Kept) return kept;
        if (monitor == Monitor::Removed) return whole - kept;
        if (monitor == Monitor::Cut) return original - whole;
        return shaper_ ? shaped_[1][c][i] : original;
    }

    // While a stem is being left, its weights must still be there for the fade.
    [[nodiscard]] std::size_t sound_for(const Wanted& wanted) const {
        const auto left = last_monitor_ ? sound_of_monitor(*last_monitor_) : std::nullopt;
        return sound_of_monitor(wanted.monitor).value_or(left.value_or(0));
    }

    std::shared_ptr<const Source> source_;
    std::shared_ptr<const MaskMap> map_;
    std::optional<Shaper> shaper_;
    // Kept, a stem and, where something is cut, the whole without it.
    static constexpr std::size_t kOutputs = 3;
    [[nodiscard]] std::size_t outputs() const { return map_ && map_->cuts() ? kOutputs : kOutputs - 1; }
    std::array<MaskWeights, kOutputs> weights_ = {MaskWeights{}, MaskWeights{}, whole_weights()};
    std::size_t hop_ = 512, channels_ = 1, skip_ = 0;
    std::int64_t at_ = 0;
    std::array<AudioBlock, kOutputs> shaped_;
    AudioBlock original_;
    std::optional<Monitor> last_monitor_;
    float last_gain_ = 1.0F;
};

namespace {
// A switch must be heard at once: what is ready is at most this and a block of 11 ms.
constexpr double kRecordingReadySeconds = 0.018;
constexpr std::size_t kRecordingReadyBlocks = 4, kLongestHop = 8192;  // at 384 kHz
}  // namespace

Player::Player() : Transport({kStereoChannels, kRecordingReadyBlocks, kLongestHop}, kRecordingReadySeconds) {
    wanted_.gains.fill(1.0F);
    wanted_.weight_sets = std::make_shared<const TimedMaskWeights>();
    start_thread();
}

Player::~Player() {
    end_thread();
}

bool Player::take_wanted() {
    const bool other = wanted_.material != now_.material;
    now_ = wanted_;
    if (other) renderer_ = now_.source ? std::make_unique<Renderer>(now_.source, now_.map) : nullptr;
    return other;
}

void Player::seek_to(std::int64_t frame) {
    renderer_->seek(frame);
}

void Player::render(Block& block) {
    renderer_->render(now_, block);
}

void Player::set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map) {
    const std::lock_guard lock(mutex());
    const bool same_source = source && wanted_.source && source->hash() == wanted_.source->hash();
    change_material(!same_source, source ? source->sample_rate() : sample_rate(),
                    source ? static_cast<std::int64_t>(source->frames()) : 0);
    wanted_.source = std::move(source);
    wanted_.map = std::move(map);
    ++wanted_.material;
}

void Player::set_settings(TimedSettings settings) {
    auto weight_sets = std::make_shared<const TimedMaskWeights>(std::move(settings));
    const std::lock_guard lock(mutex());
    wanted_.weight_sets = std::move(weight_sets);
}

void Player::set_monitor(Monitor monitor) {
    const std::lock_guard lock(mutex());
    wanted_.monitor = monitor;
}

void Player::set_match_gains(const std::array<float, kMonitors>& gains) {
    const std::lock_guard lock(mutex());
    wanted_.gains = gains;
}

}  // namespace rivlen
