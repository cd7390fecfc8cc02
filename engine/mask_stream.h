// SPDX-License-Identifier: GPL-3.0-or-later
// The network over a recording of any length, piece by piece. What goes in comes out as masks as soon as
// everything that they look at has gone in, and every step is computed once: the masks are those of the whole
// recording in one piece, bit for bit, however it is cut. One thread's.
#pragma once

#include <functional>
#include <span>
#include <vector>

#include "engine/network.h"

namespace rivlen {

class MaskStream {
  public:
    // network: with an end to its memory (spec().memory_steps > 0).
    explicit MaskStream(SeparationNetwork network);

    // Begins anew. at_start: what goes in next is the beginning of the recording; else the first
    // context_frames() of what goes in get no masks.
    void begin(bool at_start);
    // features: the next frames, [frames][kFeatures]; a multiple of stride_frames() of them, unless they are
    // the last of the recording. take(masks): of the frames that follow those of the last call,
    // [frames][stem][band]; it is called at most once, and the span holds until it returns.
    using Take = std::function<void(std::span<const float> masks)>;
    void push(std::span<const float> features, bool last, const Take& take);

  private:
    // What waits in front of a block. Windows count from begin(); steps of one window lie behind one another.
    struct Waiting {
        torch::Tensor buffer;    // [steps, patches, 1, width], as long as was ever needed
        std::int64_t first = 0;  // window at the front of the buffer
        std::int64_t steps = 0;  // in the buffer
        std::int64_t next = 0;   // window that goes through the block next
        // The part of the buffer behind what is there, for so many steps more.
        torch::Tensor append(const SeparationNetwork& network, std::int64_t count);
        void drop_before(std::int64_t window, std::int64_t memory);
    };
    // Sends what can go through a block into what waits behind it.
    void run_block(std::size_t block, bool last);
    void finish(bool last, const Take& take);

    SeparationNetwork network_;
    std::vector<Waiting> waiting_;  // in front of each block, and in front of the head
    std::vector<float> features_;   // from the window on that the head takes next
    std::int64_t skip_frames_ = 0;  // that still go in without getting masks
    torch::Tensor along_time_, masks_;
};

}  // namespace rivlen
