// Playback: a render thread keeps a few blocks ready, the audio callback takes them. The callback side (fill)
// never locks, allocates or does I/O; everything else may be called from one controlling thread.
//
// What is heard can be switched between the source, what is kept, what is removed and single stems: both
// sides of a switch are rendered for one block and cross-faded, so that there is no gap. kept + removed =
// source, always.
#pragma once

#include <array>
#include <atomic>
#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <thread>
#include <vector>

#include "core/media/source.h"
#include "core/shape/monitor.h"
#include "core/shape/shaper.h"
#include "core/shape/timed.h"
#include "core/split/mask_map.h"

namespace rivlen {

class Player {
  public:
    static constexpr int kOutputChannels =
        2;  // one channel goes to both sides; of more than two, the first two

    Player();
    ~Player();
    Player(const Player&) = delete;
    Player& operator=(const Player&) = delete;

    // Stops and takes another recording (map may be null: then everything is kept).
    void set_material(std::shared_ptr<const Source> source, std::shared_ptr<const MaskMap> map);
    void set_settings(TimedSettings settings);
    void set_monitor(Monitor monitor);
    // Linear gain for each way of listening, so that all are equally loud.
    void set_match_gains(const std::array<float, kMonitors>& gains);
    void set_loop(std::optional<LoopRange> loop);
    void play();
    void stop();
    void locate(std::int64_t frame);

    [[nodiscard]] bool playing() const { return playing_.load(std::memory_order_relaxed); }
    // The frame that the callback takes next.
    [[nodiscard]] std::int64_t position() const { return position_.load(std::memory_order_relaxed); }
    [[nodiscard]] int sample_rate() const { return sample_rate_.load(std::memory_order_relaxed); }
    // Highest sample of either side since the last call, linear.
    [[nodiscard]] float take_peak() { return peak_.exchange(0.0F, std::memory_order_relaxed); }
    // Callbacks that found nothing ready while playing.
    [[nodiscard]] std::uint64_t drop_outs() const { return drop_outs_.load(std::memory_order_relaxed); }

    // The audio callback: interleaved stereo frames, silence when stopped.
    void fill(std::span<float> interleaved);

  private:
    static constexpr std::size_t kBlocks = 3;  // about 32 ms are kept ready
    static constexpr std::size_t kSeam = 128;  // samples over which a jump is cross-faded
    struct Block {
        std::int64_t start = 0;
        std::size_t count = 0;  // frames
        bool ends = false;      // playback stops behind this block
        std::vector<float> samples;
    };
    struct Wanted {  // what the controlling thread asks of the render thread
        std::shared_ptr<const Source> source;
        std::shared_ptr<const MaskMap> map;
        std::shared_ptr<const TimedRecipes> recipes;  // never null
        Monitor monitor = Monitor::Kept;
        std::array<float, kMonitors> gains{};
        std::optional<LoopRange> loop;
        std::optional<std::int64_t> locate;
        std::uint64_t material = 0;  // counts changes of source or map
    };
    class Renderer;
    void run(const std::stop_token& stop);
    void drain();

    std::mutex mutex_;
    Wanted wanted_;
    std::array<Block, kBlocks> ring_;
    std::atomic<std::size_t> written_{0}, taken_{0};  // blocks
    std::atomic<std::size_t> taken_in_block_{0};      // frames
    std::array<float, kOutputChannels> last_out_{};   // callback's own: what a stop fades out from
    std::atomic<bool> playing_{false}, flush_{false};
    std::atomic<std::int64_t> position_{0};
    std::atomic<int> sample_rate_{48000};
    std::atomic<float> peak_{0.0F};
    std::atomic<std::uint64_t> drop_outs_{0};
    std::atomic<bool> primed_{false};
    std::jthread thread_;
};

}  // namespace rivlen
