// SPDX-License-Identifier: GPL-3.0-or-later
// What makes a chain sound. Processors work in place on planar sound of as many channels as they were made
// for, in blocks of any size; their output does not depend on how a stream is cut into blocks. None allocates
// after it has been made.
#pragma once

#include <cstdint>
#include <memory>
#include <span>
#include <vector>

#include "core/base/channel_block.h"
#include "core/effects/inserts.h"

namespace rivlen {

class Tap;

class Processor {
  public:
    Processor() = default;
    Processor(const Processor&) = delete;
    Processor& operator=(const Processor&) = delete;
    virtual ~Processor() = default;

    // Frames by which the output is later than the input; does not depend on the values.
    [[nodiscard]] virtual std::int64_t latency() const { return 0; }
    // Forgets what went through.
    virtual void reset() = 0;
    // By the parameters of the part's info; takes effect with the next sample, without a click.
    virtual void set(std::span<const double> values) = 0;
    // Of a noise print (noise_shape.h); parts that have no use for it do nothing.
    virtual void set_noise_shape(std::span<const float> /*shape_db*/) {}
    virtual void process(ChannelBlock block) = 0;
    // Instead of its output the part gives what it goes by, in step with the output; false where it goes by
    // its input alone.
    virtual bool give_key(bool /*give*/) { return false; }
    // How far the level is turned down at present, in dB, 0 or less.
    [[nodiscard]] virtual double reduction_db() const { return 0; }
};

// No recording is louder than this (+120 dBFS): what is, or is no number, is bounded before a part sees it.
inline constexpr float kLargestSample = 1e6F;
// What comes out is finite whatever goes in; values are brought into the ranges of the part's info.
[[nodiscard]] std::unique_ptr<Processor> make_processor(EffectType kind, int sample_rate,
                                                        std::size_t channels = 2);

// The parts of a chain one behind the other. Parts that are off pass their input on with the same latency, so
// that switching one shifts nothing.
class Chain {
  public:
    // channels: 1 to kMostChannels. What turns all of them down together hears the loudest or their mean.
    Chain(std::span<const Insert> parts, int sample_rate, std::size_t channels = 2);
    [[nodiscard]] std::int64_t latency() const { return latency_; }
    void reset();
    // Switch, values and noise print of the same parts, by position; `values` instead of the part's own.
    void set(std::size_t place, const Insert& part, std::span<const double> values);
    // To compare by ear: what comes out of a part, what comes into it, brought to the same level, or what it
    // takes out, or what it goes by (parts with a key).
    enum class Audition { Result, Original, Removed, Key };
    void hear(std::size_t part, Audition what);
    // What a part takes out goes to a tap, too; null: to none.
    void watch(std::size_t part, Tap* removed) { slots_[part].removed = removed; }
    void process(ChannelBlock block);
    [[nodiscard]] std::size_t size() const { return slots_.size(); }
    [[nodiscard]] double reduction_db(std::size_t part) const { return slots_[part].reduction_db; }

  private:
    struct Slot {
        std::unique_ptr<Processor> processor;
        bool on = true;
        float share = 1;  // of the processed sound; moves to 0 or 1 after a switch
        double reduction_db = 0;
        Audition hear = Audition::Result;
        Tap* removed = nullptr;
        double dry_energy = 0, wet_energy = 0;  // of the last seconds, fading
        std::vector<std::vector<float>> delay;  // of the unprocessed sound
        std::size_t at = 0;                     // in the delay
    };
    void compare(Slot& slot, ChannelBlock piece);
    std::vector<Slot> slots_;
    std::int64_t latency_ = 0;
    float step_;  // of share, a sample
    double match_frames_;
    std::vector<std::vector<float>> dry_, removed_;
};

// A whole mono sound through a chain, in step with what went in.
[[nodiscard]] std::vector<float> through_chain(std::span<const Insert> parts, std::span<const float> mono,
                                               int sample_rate);

}  // namespace rivlen
