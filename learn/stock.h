// SPDX-License-Identifier: GPL-3.0-or-later
// The parts that a worker of the training puts what it learns from together from.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <deque>
#include <functional>
#include <utility>

#include "learn/made_ahead.h"
#include "learn/spectra.h"

namespace rivlen::learn {

struct StockOptions {
    std::uint64_t seed = 1;
    double clip_seconds = 3.0;
    int uses = 4;     // of every part, on average
    int parts = 128;  // that mixes are made of at a time
};

// A seed for the n-th of something in a run; neighbours have nothing in common.
[[nodiscard]] std::uint64_t seed_of(std::uint64_t run_seed, std::int64_t n, std::int64_t kind);

// What is learned from, clip by clip. One thread's.
class ExampleStock {
  public:
    ExampleStock() = default;
    ExampleStock(const ExampleStock&) = delete;
    ExampleStock& operator=(const ExampleStock&) = delete;
    virtual ~ExampleStock() = default;
    // Takes in what belongs into the stock at a step of so many clips. Returns the seconds of a processor
    // that making it took, on a thread of its own.
    virtual double follow(std::int64_t step, int clips) = 0;
    [[nodiscard]] virtual Example draw(Rng& rng) const = 0;
};

// As clips are learned from, new items take the place of the oldest. Which there are depends on the seed and
// the step alone, so that a run can go on anywhere. They are made ahead, on a thread of their own.
template <typename Item>
class RollingItems {
  public:
    // make(seed): an item; called on that thread.
    RollingItems(const StockOptions& options, std::function<Item(std::uint64_t seed)> make)
        : options_(options),
          ahead_([make = std::move(make),
                  seed = options.seed](std::int64_t n) { return make(seed_of(seed, n, 1)); },
                 kAhead) {}
    // As ExampleStock::follow().
    double follow(std::int64_t step, int clips) {
        // A full stock stands before the first step.
        const std::int64_t wanted = options_.parts + (step + 1) * clips / options_.uses;
        next_ = std::max(next_, wanted - options_.parts);
        double seconds = 0;
        for (; next_ < wanted; ++next_) {
            auto made = ahead_.take(next_);
            seconds += made.seconds;
            items_.push_back(std::move(made.item));
        }
        while (items_.size() > static_cast<std::size_t>(options_.parts)) items_.pop_front();
        return seconds;
    }
    [[nodiscard]] const Item& any(Rng& rng) const { return items_[rng.below(items_.size())]; }

  private:
    static constexpr std::size_t kAhead = 4;  // 0.1 GB each at 12 s
    StockOptions options_;
    std::int64_t next_ = 0;  // index of the item to be taken in next
    std::deque<Item> items_;
    MadeAhead<Item> ahead_;
};

// Making parts costs more than learning from them, so every part is used several times, each time with others
// and at other levels.
class Stock : public ExampleStock {
  public:
    // mixer: outlives this.
    Stock(const Mixer& mixer, const StockOptions& options);

    double follow(std::int64_t step, int clips) override { return rolling_.follow(step, clips); }
    [[nodiscard]] Example draw(Rng& rng) const override;

  private:
    struct Item {
        Parts parts;
        PartsSpectra spectra;
    };
    RollingItems<Item> rolling_;
};

}  // namespace rivlen::learn
