// SPDX-License-Identifier: GPL-3.0-or-later
// Numbers too small to be heard are slow to calculate with on many processors: filters that ring out behind a
// sound would cost a hundred times what they cost during it.
#pragma once

#if defined(__SSE2__)
#include <xmmintrin.h>
#endif

namespace rivlen {

// While it lives, results and operands below the normal range count as zero on this thread. Everything that
// renders sound does so under it, so that playing and writing give the same samples.
class FlushDenormals {
  public:
#if defined(__SSE2__)
    FlushDenormals() : before_(_mm_getcsr()) {
        _mm_setcsr(before_ | kFlushResults | kOperandsAreZero);
    }
    ~FlushDenormals() {
        _mm_setcsr(before_);
    }
#else
    FlushDenormals() = default;
    ~FlushDenormals() = default;
#endif
    FlushDenormals(const FlushDenormals&) = delete;
    FlushDenormals& operator=(const FlushDenormals&) = delete;

  private:
#if defined(__SSE2__)
    static constexpr unsigned kFlushResults = 0x8000, kOperandsAreZero = 0x0040;
    unsigned before_;
#endif
};

}  // namespace rivlen
