// SPDX-License-Identifier: GPL-3.0-or-later
// Scratch memory of a kernel: lives as long as its thread, so that a step of learning allocates nothing.
#pragma once

#include <cstdlib>

#include "engine/units/kernels.h"
#include "engine/units/vectors.h"

namespace rivlen::units {
inline namespace RIVLEN_UNITS {

class Scratch {
  public:
    Scratch() = default;
    Scratch(const Scratch&) = delete;
    Scratch& operator=(const Scratch&) = delete;
    ~Scratch() {
        for (auto& block : blocks_) std::free(block.values);  // NOLINT(cppcoreguidelines-no-malloc)
    }
    // What was taken before is free again.
    void begin() { next_ = 0; }
    float* take(Size count) {
        constexpr std::size_t kPage = 4096;
        auto& block = blocks_[next_];
        const std::size_t bytes =
            (static_cast<std::size_t>(count) * sizeof(float) + 2 * kPage - 1) / kPage * kPage;
        if (block.bytes < bytes) {
            std::free(block.values);  // NOLINT(cppcoreguidelines-no-malloc)
            block.values = static_cast<float*>(std::aligned_alloc(kPage, bytes));
            if (block.values == nullptr) std::abort();
            block.bytes = bytes;
        }
        ++next_;
        // Blocks begin at different places of a page, so that their rows do not meet in the same cache sets.
        return block.values + next_ % 12 * 80;
    }

  private:
    struct Block {
        float* values = nullptr;
        std::size_t bytes = 0;
    };
    static constexpr std::size_t kMostBlocks = 64;
    Block blocks_[kMostBlocks];
    std::size_t next_ = 0;
};

inline Scratch& scratch() {
    thread_local Scratch own;
    own.begin();
    return own;
}

}  // namespace RIVLEN_UNITS
}  // namespace rivlen::units
