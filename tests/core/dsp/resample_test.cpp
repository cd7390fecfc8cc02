// SPDX-License-Identifier: GPL-3.0-or-later
// What conversions between rates do to tones in the pass band and beyond the stop band's edge.
#include "core/dsp/resample.h"

#include <gtest/gtest.h>

#include "tests/support/tones.h"

namespace rivlen {
namespace {

struct Rates {
    double in, out;
};

TEST(Resample, ThePassBandIsFlatAndCleanToTwentyKilohertz) {
    for (const Rates& r : {Rates{44100, 48000}, Rates{48000, 44100}, Rates{48000, 96000}, Rates{96000, 48000},
                           Rates{192000, 48000}, Rates{48000, 48000 * 1.001}}) {
        for (const auto& [quality, floor_db] :
             {std::pair{ResampleQuality::High, -125.0}, std::pair{ResampleQuality::VeryHigh, -145.0}}) {
            for (const double hz : {100.0, 997.0, 10000.0, 20000.0}) {
                const auto y = resample(test::tone_at(hz, r.in), r.in, r.out, quality);
                EXPECT_NEAR(test::tone_db(y, hz, r.out), 0, 0.01) << r.in << " to " << r.out << " at " << hz;
                EXPECT_LT(test::rest_db(y, hz, r.out), floor_db) << r.in << " to " << r.out << " at " << hz;
            }
        }
    }
}

// What the lower rate cannot hold is gone, not folded.
TEST(Resample, WhatDoesNotFitIsGone) {
    for (const Rates& r : {Rates{96000, 48000}, Rates{192000, 48000}, Rates{48000, 32000}}) {
        for (const auto& [quality, floor_db] :
             {std::pair{ResampleQuality::High, -125.0}, std::pair{ResampleQuality::VeryHigh, -145.0}}) {
            for (const double beyond : {1.02, 1.2, 1.6}) {
                if (beyond * r.out > r.in * 0.95) continue;
                const auto y = resample(test::tone_at(beyond * r.out / 2, r.in), r.in, r.out, quality);
                EXPECT_LT(test::rest_db(y, 0, r.out), floor_db) << r.in << " to " << r.out << ", " << beyond;
            }
        }
    }
}

}  // namespace
}  // namespace rivlen
