// SPDX-License-Identifier: GPL-3.0-or-later
// Playing, stopping, going somewhere and looping, whatever it is that is played. A render thread keeps a few
// blocks ready, the audio callback takes them. The callback side (fill) never locks, allocates or does I/O;
// everything else may be called from one controlling thread.
#pragma once

#include <atomic>
#include <cstdint>
#include <mutex>
#include <optional>
#include <span>
#include <thread>
#include <vector>

#include "core/separation/audition.h"

namespace rivlen {

class Transport {
  public:
    // What there is room for: blocks of so many frames of so many channels.
    struct Room {
        std::size_t channels, blocks, block_frames;
    };
    // ready_seconds: a block is rendered when less than this is ready;
    // more outlasts longer stalls of the machine, and changes are heard later.
    Transport(Room room, double ready_seconds);
    virtual ~Transport();
    Transport(const Transport&) = delete;
    Transport& operator=(const Transport&) = delete;

    // One shorter than kShortestLoopSeconds is not gone round.
    void set_loop(std::optional<LoopRange> loop);
    void play();
    void stop();
    void locate(std::int64_t frame);

    [[nodiscard]] bool playing() const { return playing_.load(std::memory_order_relaxed); }
    // Of each frame that the callback takes.
    [[nodiscard]] std::size_t output_channels() const { return output_channels_; }
    // The frame that the callback takes next.
    [[nodiscard]] std::int64_t position() const { return position_.load(std::memory_order_relaxed); }
    [[nodiscard]] int sample_rate() const { return sample_rate_.load(std::memory_order_relaxed); }
    // Highest sample of all channels since the last call, linear.
    [[nodiscard]] float take_peak() { return peak_.exchange(0.0F, std::memory_order_relaxed); }
    // Callbacks that found nothing ready while playing.
    [[nodiscard]] std::uint64_t drop_outs() const { return drop_outs_.load(std::memory_order_relaxed); }

    // The audio callback: whole interleaved frames, silence when stopped.
    void fill(std::span<float> interleaved);
    // Frames that the next fill() finds ready without a gap; on the callback's thread only.
    [[nodiscard]] std::size_t ready_frames() const;

    // Returns when the render thread has taken over all that was asked for before the call. Controlling
    // thread; for who has to know, as tests do.
    void settle() const;

  protected:
    struct Block {
        std::int64_t start = 0;
        std::size_t count = 0;  // frames
        bool ends = false;      // playback stops behind this block
        std::vector<float> samples;
    };
    // What is rendered, called on the render thread only.
    // Takes over what the controlling thread wants; the mutex is held. True: something else is played from
    // now on, or nothing at all.
    virtual bool take_wanted() = 0;
    [[nodiscard]] virtual bool has_material() const = 0;
    // The next block begins here.
    virtual void seek_to(std::int64_t frame) = 0;
    // Renders one block (count, samples) from where it is, and goes on.
    virtual void render(Block& block) = 0;

    void set_ready_seconds(double seconds) { ready_seconds_ = seconds; }

    // For the controlling side of a kind of playback, all with the mutex held.
    [[nodiscard]] std::mutex& mutex() { return mutex_; }
    // Something else is to be played; total_frames 0: nothing.
    void change_material(bool from_the_start, int sample_rate, std::int64_t total_frames);
    void set_total(std::int64_t total_frames) { total_ = total_frames; }
    // The first and last thing that a kind of playback does.
    void start_thread();
    void end_thread();

  private:
    static constexpr std::size_t kSeam = 128;  // samples over which a jump is cross-faded
    void run(const std::stop_token& stop);
    void drain();
    [[nodiscard]] bool wants_more() const;
    void take_ready(std::span<float> interleaved);
    void jump(std::int64_t frame, bool keep_tail);
    void next(Block& block, const std::optional<LoopRange>& loop, std::int64_t total);
    void render_at(Block& block);
    void keep(const Block& block, std::size_t from);

    const std::size_t output_channels_;
    std::mutex mutex_;
    std::optional<LoopRange> loop_;
    std::optional<std::int64_t> locate_;
    std::int64_t total_ = 0;

    std::int64_t at_ = 0;      // render thread's own: where the next block begins
    std::vector<float> tail_;  // what would have come before a jump

    std::vector<Block> ring_;
    std::atomic<std::size_t> written_{0}, taken_{0};  // blocks
    std::atomic<std::size_t> taken_in_block_{0};      // frames
    std::vector<float> last_out_;                     // callback's own: what a stop fades out from
    std::atomic<bool> playing_{false}, flush_{false}, in_callback_{false};
    std::atomic<std::int64_t> position_{0};
    std::atomic<int> sample_rate_{48000};
    std::atomic<double> ready_seconds_;
    std::atomic<float> peak_{0.0F};
    std::atomic<std::uint64_t> drop_outs_{0};
    std::atomic<bool> primed_{false};
    std::atomic<std::uint64_t> rounds_{0};  // of the render thread
    std::jthread thread_;
};

}  // namespace rivlen
