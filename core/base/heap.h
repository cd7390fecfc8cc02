// SPDX-License-Identifier: GPL-3.0-or-later
// How the C library keeps the memory of a program that runs for days.
#pragma once

#include <malloc.h>

namespace rivlen {

// To be called once, before there are threads. Blocks of 1 MiB and more go back to the system when they are
// freed, and all threads share two heaps: else glibc lets that limit grow to 32 MiB and gives every thread a
// heap of its own, and hours of splitting, playing and editing leave hundreds of megabytes in pieces that
// nobody uses. docs/reliability.md has what the soak measures.
inline void keep_heap_small() {
    constexpr int kLargeBlockBytes = 1 << 20, kHeaps = 2;
    ::mallopt(M_MMAP_THRESHOLD, kLargeBlockBytes);
    ::mallopt(M_ARENA_MAX, kHeaps);
}

}  // namespace rivlen
