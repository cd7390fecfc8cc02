// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/play/transport.h"

#include <new>

#include <algorithm>
#include <chrono>
#include <cmath>
#include <utility>

namespace rivlen {

Transport::Transport(Room room, double ready_seconds)
    : output_channels_(room.channels),
      ring_(room.blocks),
      last_out_(room.channels),
      ready_seconds_(ready_seconds) {
    for (auto& block : ring_) block.samples.reserve(room.block_frames * room.channels);
    tail_.reserve(kSeam * room.channels);
}

Transport::~Transport() = default;

void Transport::start_thread() {
    thread_ = std::jthread([this](const std::stop_token& stop) { run(stop); });
}

void Transport::end_thread() {
    thread_.request_stop();
    if (thread_.joinable()) thread_.join();
}

void Transport::change_material(bool from_the_start, int sample_rate, std::int64_t total_frames) {
    if (from_the_start) {
        playing_ = false;
        locate_ = 0;
        position_ = 0;
    } else {
        locate_ = position_.load();
    }
    if (total_frames > 0) sample_rate_ = sample_rate;
    total_ = total_frames;
}

void Transport::set_loop(std::optional<LoopRange> loop) {
    const std::lock_guard lock(mutex_);
    loop_ = loop;
}

void Transport::play() {
    const std::lock_guard lock(mutex_);
    if (total_ <= 0) return;
    if (position_ >= total_) {
        position_ = loop_ ? loop_->first : 0;
        locate_ = position_.load();
    }
    playing_ = true;
}

void Transport::stop() {
    playing_ = false;
    const std::lock_guard lock(mutex_);
    locate_ = position_.load();
}

void Transport::locate(std::int64_t frame) {
    const std::lock_guard lock(mutex_);
    frame = std::clamp<std::int64_t>(frame, 0, std::max<std::int64_t>(total_, 0));
    locate_ = frame;
    if (!playing_) position_ = frame;
}

void Transport::settle() const {
    // The round that is under way may have looked already; the one after it has not, and is over two rounds
    // later.
    const std::uint64_t enough = rounds_ + 3;
    while (rounds_ < enough) std::this_thread::sleep_for(std::chrono::microseconds(200));
}

std::size_t Transport::ready_frames() const {
    const std::size_t at = taken_.load(std::memory_order_relaxed);
    if (flush_.load(std::memory_order_acquire) || at == written_.load(std::memory_order_acquire)) return 0;
    const std::size_t count = ring_[at % ring_.size()].count;
    return count - std::min(count, taken_in_block_.load(std::memory_order_relaxed));
}

void Transport::run(const std::stop_token& stop) {
    bool ended = false;
    while (!stop.stop_requested()) {
        ++rounds_;
        std::optional<LoopRange> loop;
        std::optional<std::int64_t> locate;
        std::int64_t total = 0;
        bool other = false;
        {
            const std::lock_guard lock(mutex_);
            loop = loop_;
            locate = std::exchange(locate_, std::nullopt);
            total = total_;
            other = take_wanted();
        }
        const bool playing = playing_.load();
        if (other) {
            flush_ = true;
            tail_.clear();
            if (!locate) locate = position_.load();
        }
        if (has_material() && locate) {
            jump(std::clamp<std::int64_t>(*locate, 0, total), playing && !ended && !flush_);
            if (!playing) flush_ = true;
            ended = false;
        }
        if (!has_material() || !playing || ended || flush_ || !wants_more()) {
            if (flush_ && !playing) drain();
            if (flush_ && playing) {
                // The callback empties the ring itself; this side only waits for it.
                if (written_.load() == taken_.load()) flush_ = false;
            }
            if (!playing) ended = false;
            std::this_thread::sleep_for(std::chrono::milliseconds(1));
            continue;
        }
        Block& block = ring_[written_.load(std::memory_order_relaxed) % ring_.size()];
        try {
            next(block, loop, total);
        } catch (const std::bad_alloc&) {  // it stops playing, and the session is still there
            playing_ = false;
            continue;
        }
        ended = block.ends;
        written_.fetch_add(1, std::memory_order_release);
        primed_ = true;
    }
}

// There is room, and less is ready than should be. On the render thread: what lies between has been rendered.
bool Transport::wants_more() const {
    const std::size_t last = written_.load(std::memory_order_relaxed);
    const std::size_t first = taken_.load(std::memory_order_acquire);
    if (last - first >= ring_.size()) return false;
    std::size_t ready = 0;
    for (std::size_t at = first; at < last; ++at) ready += ring_[at % ring_.size()].count;
    ready -= std::min(ready, taken_in_block_.load(std::memory_order_relaxed));
    return static_cast<double>(ready) < ready_seconds_ * sample_rate_;
}

// Goes somewhere else; what would have come is kept for a moment, to be faded out under the new place.
void Transport::jump(std::int64_t frame, bool keep_tail) {
    if (keep_tail && tail_.empty()) {
        Block beyond;
        render_at(beyond);
        keep(beyond, 0);
    }
    if (tail_.empty()) tail_.assign(kSeam * output_channels_, 0.0F);  // nothing sounded: fade in from silence
    at_ = frame;
    seek_to(frame);
}

void Transport::next(Block& block, const std::optional<LoopRange>& loop, std::int64_t total) {
    // A loop catches the playhead only from before its end: whoever plays behind it, plays on.
    const auto shortest = std::max<std::int64_t>(1, std::llround(kShortestLoopSeconds * sample_rate_));
    const bool looping = loop && loop->last - loop->first >= shortest && at_ < loop->last;
    const std::int64_t end = looping ? std::min(loop->last, total) : total;
    render_at(block);
    block.ends = false;
    if (block.start + static_cast<std::int64_t>(block.count) >= end) {
        const auto count = static_cast<std::size_t>(std::max<std::int64_t>(end - block.start, 0));
        if (looping) {
            keep(block, count);
            block.count = count;
            jump(loop->first, false);
        } else {
            block.count = count;
            block.ends = true;
        }
    }
}

void Transport::render_at(Block& block) {
    block.start = at_;
    render(block);
    const std::size_t seam = std::min(tail_.size() / output_channels_, block.count);
    for (std::size_t i = 0; i < seam; ++i) {
        const float part = static_cast<float>(i + 1) / static_cast<float>(seam + 1);
        for (std::size_t side = 0; side < output_channels_; ++side) {
            float& x = block.samples[i * output_channels_ + side];
            x = tail_[i * output_channels_ + side] * (1.0F - part) + x * part;
        }
    }
    tail_.clear();
    at_ += static_cast<std::int64_t>(block.count);
}

void Transport::keep(const Block& block, std::size_t from) {
    const std::size_t count = std::min(kSeam, block.count - std::min(from, block.count));
    const auto begin = block.samples.begin() + static_cast<std::ptrdiff_t>(from * output_channels_);
    tail_.assign(begin, begin + static_cast<std::ptrdiff_t>(count * output_channels_));
}

void Transport::drain() {
    // Nobody starts playing while the mutex is held, and a callback that begins from now on sees that nothing
    // plays. One that is running may be at the ring still: then the next round tries again. (Each side says
    // what it does before it looks what the other does, in one order for all threads: Dekker's way.)
    const std::lock_guard lock(mutex_);
    if (playing_ || in_callback_) return;
    taken_.store(written_.load());
    taken_in_block_ = 0;
    primed_ = false;
    flush_ = false;
}

void Transport::fill(std::span<float> interleaved) {
    in_callback_ = true;
    take_ready(interleaved);
    in_callback_ = false;
}

void Transport::take_ready(std::span<float> interleaved) {
    std::size_t done = 0;
    const std::size_t wanted = interleaved.size() / output_channels_;
    if (playing_) {
        if (flush_.load(std::memory_order_acquire)) {
            taken_.store(written_.load(std::memory_order_acquire), std::memory_order_release);
            taken_in_block_.store(0, std::memory_order_relaxed);
        }
        float peak = peak_.load(std::memory_order_relaxed);
        for (;;) {
            const std::size_t at = taken_.load(std::memory_order_relaxed);
            if (at == written_.load(std::memory_order_acquire)) {
                if (done < wanted && primed_.load(std::memory_order_relaxed))
                    drop_outs_.fetch_add(1, std::memory_order_relaxed);
                break;
            }
            const Block& block = ring_[at % ring_.size()];
            const std::size_t from = taken_in_block_.load(std::memory_order_relaxed);
            // An end without frames (what is played became shorter) is taken whatever is wanted.
            if (done == wanted && from < block.count) break;
            const std::size_t count = std::min(wanted - done, block.count - std::min(from, block.count));
            for (std::size_t i = 0; i < count * output_channels_; ++i) {
                const float x = block.samples[from * output_channels_ + i];
                interleaved[done * output_channels_ + i] = x;
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
        for (std::size_t side = 0; side < output_channels_; ++side)
            last_out_[side] = interleaved[(done - 1) * output_channels_ + side];
    }
    // Wherever the sound breaks off, it runs out over some samples instead of clicking.
    constexpr float kRunOut = 0.95F;
    for (std::size_t i = done; i < wanted; ++i) {
        for (std::size_t side = 0; side < output_channels_; ++side) {
            last_out_[side] = std::abs(last_out_[side]) < 1e-6F ? 0.0F : last_out_[side] * kRunOut;
            interleaved[i * output_channels_ + side] = last_out_[side];
        }
    }
}

}  // namespace rivlen
