// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <ctime>

namespace rivlen::learn {

// Processor time of this thread, in seconds: what other work takes away does not count.
inline double thread_seconds() {
    timespec t{};
    clock_gettime(CLOCK_THREAD_CPUTIME_ID, &t);
    return static_cast<double>(t.tv_sec) + 1e-9 * static_cast<double>(t.tv_nsec);
}

}  // namespace rivlen::learn
