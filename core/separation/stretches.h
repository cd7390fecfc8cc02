// SPDX-License-Identifier: GPL-3.0-or-later
// Which stretch of a recording each worker of a split is at. Where a stretch begins and ends, a worker
// computes what its model looks at beyond it and keeps nothing of that (ModelFacts::context_frames): so
// stretches are as few and as long as can be, and a worker that has nothing left takes the later half of what
// another one has still to do, so that all end together, however fast each of them is.
//
// Frames are those of the map. Any thread may call, each with the number of its worker.
#pragma once

#include <cstdint>
#include <deque>
#include <mutex>
#include <optional>
#include <vector>

namespace rivlen {

// The smallest multiple of a grid that is not below a value; neither is negative.
constexpr std::int64_t rounded_up(std::int64_t value, std::int64_t grid) {
    return (value + grid - 1) / grid * grid;
}

struct StretchWish {
    std::int64_t frames = 0;  // of the recording
    int groups = 1;           // of channels, which have stretches each
    int workers = 1;
    std::int64_t grid = 1;     // every stretch begins at a multiple of it
    std::int64_t context = 0;  // computed for nothing on either side, roughly half of it each
    std::int64_t longest = 0;  // of a stretch; 0: as long as can be
    // From there on stretches are given out first, then backwards what lies before.
    std::int64_t wanted_frame = 0;
    bool soon = false;  // a short stretch comes first
};

class Stretches {
  public:
    explicit Stretches(const StretchWish& wish);

    struct Stretch {
        int group = 0;
        std::int64_t first = 0;
    };
    // What a worker does next, from its first frame on; nothing when it is done. What it did before is done.
    [[nodiscard]] std::optional<Stretch> take(int worker);
    // Where the stretch of a worker ends now: nearer, when another one has taken a part of it.
    [[nodiscard]] std::int64_t end_of(int worker) const;
    // The worker has what comes before `until`. Returns up to where it is to be kept; nobody else has or will
    // have anything before that.
    std::int64_t keep_until(int worker, std::int64_t until);

  private:
    struct Piece {
        int group;
        std::int64_t first, last;
    };
    void add(std::int64_t first, std::int64_t last);
    void cut_evenly(std::int64_t first, std::int64_t last, bool backwards);
    [[nodiscard]] std::optional<Piece> part_of_another();

    StretchWish wish_;
    mutable std::mutex mutex_;
    std::deque<Piece> waiting_;
    std::vector<Piece> at_;  // by worker: what it has still to do
};

}  // namespace rivlen
