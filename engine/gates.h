// The loops of the recurrence that are no matrix products: gates and their slopes, for one step at a time.
// Compiled for several instruction sets and without torch.
#pragma once

#include <cstdint>

namespace rivlen {

// Rows of one step: `groups` runs of `inner` rows each, the runs `stride` rows apart.
struct Rows {
    std::int64_t groups, inner, stride;
};

// gx: rows of 3 hidden in the order of x; gh, kept, h: rows one after another. kept: r, z, n, Un h + cn.
void gates(Rows rows, std::int64_t hidden, const float* gx, const float* gh, const float* before, float* kept,
           float* h, float* out, std::int64_t out_width);

// Slopes of one step. carry: slope of h on entry, of the step before (as far as it does not go through the
// gates) on exit. dgh: slopes of the products with h, rows one after another; dgx: with x, in the order of x.
void gate_slopes(Rows rows, std::int64_t hidden, const float* dout, std::int64_t out_width,
                 const float* before, const float* kept, float* carry, float* dgh, float* dgx);

}  // namespace rivlen
