// SPDX-License-Identifier: GPL-3.0-or-later
// The parts that a worker of the training puts what it learns from together from.
#pragma once

#include <algorithm>
#include <cstddef>
#include <cstdint>
#include <deque>

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
    // Makes what belongs into the stock at a step of so many clips.
    virtual void follow(std::int64_t step, int clips) = 0;
    [[nodiscard]] virtual Example draw(Rng& rng) const = 0;
};

// As clips are learned from, new items take the place of the oldest. Which there are depends on the seed and
// the step alone, so that a run can go on anywhere.
template <typename Item>
class RollingItems {
  public:
    explicit RollingItems(const StockOptions& options) : options_(options) {}
    [[nodiscard]] const StockOptions& options() const { return options_; }
    // make(seed): an item.
    template <typename Make>
    void follow(std::int64_t step, int clips, Make make) {
        // A full stock stands before the first step.
        const std::int64_t wanted = options_.parts + (step + 1) * clips / options_.uses;
        next_ = std::max(next_, wanted - options_.parts);
        for (; next_ < wanted; ++next_) items_.push_back(make(seed_of(options_.seed, next_, 1)));
        while (items_.size() > static_cast<std::size_t>(options_.parts)) items_.pop_front();
    }
    [[nodiscard]] const Item& any(Rng& rng) const { return items_[rng.below(items_.size())]; }

  private:
    StockOptions options_;
    std::int64_t next_ = 0;  // index of the item to be made next
    std::deque<Item> items_;
};

// Making parts costs more than learning from them, so every part is used several times, each time with others
// and at other levels.
class Stock : public ExampleStock {
  public:
    Stock(const Mixer& mixer, const StockOptions& options) : mixer_(&mixer), rolling_(options) {}

    void follow(std::int64_t step, int clips) override;
    [[nodiscard]] Example draw(Rng& rng) const override;

  private:
    struct Item {
        Parts parts;
        PartsSpectra spectra;
    };
    const Mixer* mixer_;
    RollingItems<Item> rolling_;
};

}  // namespace rivlen::learn
