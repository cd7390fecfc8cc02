// SPDX-License-Identifier: GPL-3.0-or-later
// The parts that a worker of the training puts its mixes together from.
#pragma once

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

// Making parts costs more than learning from them, so every part is used several times, each time with others
// and at other levels: as mixes are made, new parts take the place of the oldest. What the stock holds
// depends on the seed and the step alone, so that a run can go on anywhere. One thread's.
class Stock {
  public:
    Stock(const Mixer& mixer, const StockOptions& options) : mixer_(&mixer), options_(options) {}

    // Makes what belongs into the stock at a step of so many clips.
    void follow(std::int64_t step, int clips);
    [[nodiscard]] Example draw(Rng& rng) const;

  private:
    struct Item {
        Parts parts;
        PartsSpectra spectra;
    };
    // Parts made before a step.
    [[nodiscard]] std::int64_t made_before(std::int64_t step, int clips) const;
    [[nodiscard]] Item make(std::int64_t index) const;

    const Mixer* mixer_;
    StockOptions options_;
    std::int64_t next_ = 0;  // index of the part to be made next
    std::deque<Item> items_;
};

// A seed for the n-th of something in a run; neighbours have nothing in common.
[[nodiscard]] std::uint64_t seed_of(std::uint64_t run_seed, std::int64_t n, std::int64_t kind);

}  // namespace rivlen::learn
