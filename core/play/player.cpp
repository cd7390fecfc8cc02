#include "core/play/player.h"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <functional>

namespace rivlen {

// Lives on the render thread: one recording, one position, block after block.
class Player::Renderer {
  public:
    Renderer(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map)
        : source_(std::move(source)), map_(std::move(map)) {
        hop_ = static_cast<std::size_t>(shape_fft_size(source_->sample_rate()) / 4);
        channels_ = static_cast<std::size_t>(source_->channels());
        if (map_) shaper_.emplace(*source_, *map_, 2);
        for (auto& output : shaped_) output.assign(channels_, std::vector<float>(hop_));
        original_.assign(channels_, std::vector<float>(hop_));
        tail_.reserve(kSeam * kOutputChannels);
    }
    [[nodiscard]] std::size_t hop() const { return hop_; }
    [[nodiscard]] const Source& source() const { return *source_; }
    [[nodiscard]] std::int64_t position() const { return at_; }

    // Goes somewhere else; what would have come is kept for a moment, to be faded out under the new place.
    void jump(std::int64_t frame, const Wanted& wanted, bool keep_tail) {
        if (keep_tail && tail_.empty()) {
            Block beyond;
            render_one(wanted, beyond);
            keep(beyond, 0);
        }
        if (tail_.empty())
            tail_.assign(kSeam * kOutputChannels, 0.0F);  // nothing sounded: fade in from silence
        at_ = std::clamp<std::int64_t>(frame, 0, static_cast<std::int64_t>(source_->frames()));
        const auto aligned = shaper_
                                 ? shaper_->seek(at_)
                                 : at_ / static_cast<std::int64_t>(hop_) * static_cast<std::int64_t>(hop_);
        skip_ = static_cast<std::size_t>(at_ - aligned);
    }

    void next(const Wanted& wanted, Block& block) {
        const auto total = static_cast<std::int64_t>(source_->frames());
        const std::optional<LoopRange>& loop = wanted.loop;
        // A loop catches the playhead only from before its end: whoever plays behind it, plays on.
        const bool looping = loop && loop->last > loop->first && at_ < loop->last;
        const std::int64_t end = looping ? std::min(loop->last, total) : total;
        render_one(wanted, block);
        block.ends = false;
        if (block.start + static_cast<std::int64_t>(block.count) >= end) {
            const auto count = static_cast<std::size_t>(std::max<std::int64_t>(end - block.start, 0));
            if (looping) {
                keep(block, count);
                block.count = count;
                jump(loop->first, wanted, false);
            } else {
                block.count = count;
                block.ends = true;
            }
        }
    }

  private:
    // One block from at_ on, with seams and switches faded.
    void render_one(const Wanted& wanted, Block& block) {
        const std::size_t stem = stem_for(wanted);
        const auto recipes_at = [&](std::int64_t frame) {
            recipes_ = {wanted.recipes->kept(frame), wanted.recipes->stem(stem, frame)};
            return std::span<const Recipe>(recipes_);
        };
        const std::int64_t start = at_ - static_cast<std::int64_t>(skip_);
        for (std::size_t c = 0; c < channels_; ++c) source_->read(static_cast<int>(c), start, original_[c]);
        if (shaper_) {
            std::array<std::vector<std::span<float>>, 2> spans;
            for (std::size_t o = 0; o < 2; ++o) {
                for (auto& channel : shaped_[o]) spans[o].emplace_back(channel);
            }
            const std::array<std::span<const std::span<float>>, 2> views = {spans[0], spans[1]};
            shaper_->next(std::cref(recipes_at), views);
        }
        block.start = at_;
        block.count = hop_ - skip_;
        block.samples.resize(hop_ * kOutputChannels);
        const float target = wanted.gains[static_cast<std::size_t>(wanted.monitor)];
        if (!last_monitor_) {
            last_monitor_ = wanted.monitor;
            last_gain_ = target;
        }
        for (std::size_t i = 0; i < block.count; ++i) {
            const float part = static_cast<float>(i + 1) / static_cast<float>(block.count);
            for (std::size_t side = 0; side < kOutputChannels; ++side) {
                const std::size_t c = std::min(side, channels_ - 1);
                float x = value(wanted.monitor, c, i + skip_) * (last_gain_ + part * (target - last_gain_));
                if (*last_monitor_ != wanted.monitor) {
                    const float before = value(*last_monitor_, c, i + skip_) * last_gain_;
                    const float now = value(wanted.monitor, c, i + skip_) * target;
                    x = before + part * (now - before);
                }
                block.samples[i * kOutputChannels + side] = x;
            }
        }
        last_monitor_ = wanted.monitor;
        last_gain_ = target;
        const std::size_t seam = std::min(tail_.size() / kOutputChannels, block.count);
        for (std::size_t i = 0; i < seam; ++i) {
            const float part = static_cast<float>(i + 1) / static_cast<float>(seam + 1);
            for (std::size_t side = 0; side < kOutputChannels; ++side) {
                float& x = block.samples[i * kOutputChannels + side];
                x = tail_[i * kOutputChannels + side] * (1.0F - part) + x * part;
            }
        }
        tail_.clear();
        at_ += static_cast<std::int64_t>(block.count);
        skip_ = 0;
    }

    [[nodiscard]] float value(Monitor monitor, std::size_t c, std::size_t i) const {
        const float original = original_[c][i];
        if (monitor == Monitor::Source) return original;
        const float kept = shaper_ ? shaped_[0][c][i] : original;
        if (monitor == Monitor::Kept) return kept;
        if (monitor == Monitor::Removed) return original - kept;
        return shaper_ ? shaped_[1][c][i] : original;
    }

    // While a stem is being left, its recipe must still be there for the fade.
    [[nodiscard]] std::size_t stem_for(const Wanted& wanted) const {
        const auto stem_of = [](Monitor monitor) {
            return static_cast<int>(monitor) - static_cast<int>(Monitor::Dialogue);
        };
        int stem = stem_of(wanted.monitor);
        if (stem < 0 && last_monitor_) stem = stem_of(*last_monitor_);
        return static_cast<std::size_t>(std::max(stem, 0));
    }

    void keep(const Block& block, std::size_t from) {
        const std::size_t count = std::min(kSeam, block.count - std::min(from, block.count));
        const auto begin = block.samples.begin() + static_cast<std::ptrdiff_t>(from * kOutputChannels);
        tail_.assign(begin, begin + static_cast<std::ptrdiff_t>(count * kOutputChannels));
    }

    std::shared_ptr<const Source> source_;
    std::shared_ptr<const MaskMap> map_;
    std::optional<Shaper> shaper_;
    std::array<Recipe, 2> recipes_;
    std::size_t hop_ = 512, channels_ = 1, skip_ = 0;
    std::int64_t at_ = 0;
    std::array<std::vector<std::vector<float>>, 2> shaped_;
    std::vector<std::vector<float>> original_;
    std::vector<float> tail_;
    std::optional<Monitor> last_monitor_;
    float last_gain_ = 1.0F;
};

Player::Player() {
    wanted_.gains.fill(1.0F);
    wanted_.recipes = std::make_shared<const TimedRecipes>();
    // Room for the largest hop (192 kHz), so that nothing is allocated later.
    for (auto& block : ring_) block.samples.reserve(4096 * kOutputChannels);
    thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

Player::~Player() = default;

void Player::set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map) {
    const std::lock_guard lock(mutex_);
    const bool same_source = source && wanted_.source && source->hash() == wanted_.source->hash();
    if (!same_source) {
        playing_ = false;
        wanted_.locate = 0;
        position_ = 0;
    } else {
        wanted_.locate = position_.load();
    }
    if (source) sample_rate_ = source->sample_rate();
    wanted_.source = std::move(source);
    wanted_.map = std::move(map);
    ++wanted_.material;
}

void Player::set_settings(TimedSettings settings) {
    auto recipes = std::make_shared<const TimedRecipes>(std::move(settings));
    const std::lock_guard lock(mutex_);
    wanted_.recipes = std::move(recipes);
}

void Player::set_monitor(Monitor monitor) {
    const std::lock_guard lock(mutex_);
    wanted_.monitor = monitor;
}

void Player::set_match_gains(const std::array<float, kMonitors>& gains) {
    const std::lock_guard lock(mutex_);
    wanted_.gains = gains;
}

void Player::set_loop(std::optional<LoopRange> loop) {
    const std::lock_guard lock(mutex_);
    wanted_.loop = loop;
}

void Player::play() {
    const std::lock_guard lock(mutex_);
    if (!wanted_.source) return;
    if (position_ >= static_cast<std::int64_t>(wanted_.source->frames())) {
        position_ = wanted_.loop ? wanted_.loop->first : 0;
        wanted_.locate = position_.load();
    }
    playing_ = true;
}

void Player::stop() {
    playing_ = false;
    const std::lock_guard lock(mutex_);
    wanted_.locate = position_.load();
}

void Player::locate(std::int64_t frame) {
    const std::lock_guard lock(mutex_);
    wanted_.locate = frame;
    if (!playing_) position_ = frame;
}

void Player::run(const std::stop_token& stop) {
    std::unique_ptr<Renderer> renderer;
    std::uint64_t material = 0;
    bool ended = false;
    while (!stop.stop_requested()) {
        Wanted wanted;
        {
            const std::lock_guard lock(mutex_);
            wanted = wanted_;
            wanted_.locate.reset();
        }
        const bool playing = playing_.load();
        if (wanted.material != material) {
            material = wanted.material;
            renderer = wanted.source ? std::make_unique<Renderer>(wanted.source, wanted.map) : nullptr;
            flush_ = true;
            if (renderer && !wanted.locate) wanted.locate = position_.load();
        }
        if (renderer && wanted.locate) {
            renderer->jump(*wanted.locate, wanted, playing && !ended && !flush_);
            if (!playing) flush_ = true;
            ended = false;
        }
        const bool room =
            written_.load(std::memory_order_relaxed) - taken_.load(std::memory_order_acquire) < kBlocks;
        if (!renderer || !playing || ended || !room || flush_) {
            if (flush_ && !playing) drain();
            if (flush_ && playing) {
                // The callback empties the ring itself; this side only waits for it.
                if (written_.load() == taken_.load()) flush_ = false;
            }
            if (!playing) ended = false;
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
            continue;
        }
        Block& block = ring_[written_.load(std::memory_order_relaxed) % kBlocks];
        renderer->next(wanted, block);
        ended = block.ends;
        written_.fetch_add(1, std::memory_order_release);
        primed_ = true;
    }
}

// Only while stopped: the callback then takes nothing.
void Player::drain() {
    // A callback that is just running sees playing_ == false at its next start; one block time is enough to
    // be sure.
    std::this_thread::sleep_for(std::chrono::milliseconds(2));
    if (!playing_) {
        taken_.store(written_.load());
        taken_in_block_ = 0;
        primed_ = false;
    }
    flush_ = false;
}

void Player::fill(std::span<float> interleaved) {
    std::size_t done = 0;
    const std::size_t wanted = interleaved.size() / kOutputChannels;
    if (playing_.load(std::memory_order_acquire)) {
        if (flush_.load(std::memory_order_acquire)) {
            taken_.store(written_.load(std::memory_order_acquire), std::memory_order_release);
            taken_in_block_.store(0, std::memory_order_relaxed);
        }
        float peak = peak_.load(std::memory_order_relaxed);
        while (done < wanted) {
            const std::size_t at = taken_.load(std::memory_order_relaxed);
            if (at == written_.load(std::memory_order_acquire)) {
                if (primed_.load(std::memory_order_relaxed))
                    drop_outs_.fetch_add(1, std::memory_order_relaxed);
                break;
            }
            const Block& block = ring_[at % kBlocks];
            const std::size_t from = taken_in_block_.load(std::memory_order_relaxed);
            const std::size_t count = std::min(wanted - done, block.count - std::min(from, block.count));
            for (std::size_t i = 0; i < count * kOutputChannels; ++i) {
                const float x = block.samples[from * kOutputChannels + i];
                interleaved[done * kOutputChannels + i] = x;
                peak = std::max(peak, std::abs(x));
            }
            done += count;
            position_.store(block.start + static_cast<std::int64_t>(from + count), std::memory_order_relaxed);
            taken_in_block_.store(from + count, std::memory_order_relaxed);
            if (from + count >= block.count) {
                const bool ends = block.ends;
                taken_in_block_.store(0, std::memory_order_relaxed);
                taken_.store(at + 1, std::memory_order_release);
                if (ends) {
                    playing_.store(false, std::memory_order_release);
                    primed_.store(false, std::memory_order_relaxed);
                    break;
                }
            }
        }
        peak_.store(peak, std::memory_order_relaxed);
    }
    if (done > 0) {
        for (std::size_t side = 0; side < kOutputChannels; ++side)
            last_out_[side] = interleaved[(done - 1) * kOutputChannels + side];
    }
    // Wherever the sound breaks off, it runs out over some samples instead of clicking.
    constexpr float kRunOut = 0.95F;
    for (std::size_t i = done; i < wanted; ++i) {
        for (std::size_t side = 0; side < kOutputChannels; ++side) {
            last_out_[side] = std::abs(last_out_[side]) < 1e-6F ? 0.0F : last_out_[side] * kRunOut;
            interleaved[i * kOutputChannels + side] = last_out_[side];
        }
    }
}

}  // namespace rivlen
