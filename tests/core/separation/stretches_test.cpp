// SPDX-License-Identifier: GPL-3.0-or-later
// Stretches of a split, given out to workers whose speed the tests say.
#include "core/separation/stretches.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <numeric>
#include <thread>

namespace rivlen {
namespace {

constexpr std::int64_t kPiece = 3072;

// A worker as split() has it: what lies around a stretch costs time and is not kept.
struct Worker {
    double speed = 1.0;  // frames a unit of time
    double time = 0.0;
    bool busy = false;
    Stretches::Stretch stretch{};
    std::int64_t at = 0;
};

struct Outcome {
    std::vector<std::vector<int>> kept;  // [group][frame of the grid]: how often
    std::vector<Stretches::Stretch> taken;
    std::vector<double> ends;  // by worker
};

void work(Stretches& stretches, const StretchWish& wish, int number, Worker& worker, Outcome& outcome) {
    if (!worker.busy) {
        const auto stretch = stretches.take(number);
        if (!stretch) {
            outcome.ends[static_cast<std::size_t>(number)] = worker.time;
            worker.time = 1e12;  // its turn does not come again
            return;
        }
        worker.busy = true;
        worker.stretch = *stretch;
        worker.at = stretch->first;
        outcome.taken.push_back(*stretch);
        worker.time += 0.5 * static_cast<double>(wish.context) / worker.speed;
        return;
    }
    worker.time += static_cast<double>(kPiece) / worker.speed;
    const std::int64_t until = stretches.keep_until(number, worker.at + kPiece);
    for (std::int64_t cell = worker.at / wish.grid; cell < (until + wish.grid - 1) / wish.grid; ++cell)
        ++outcome.kept[static_cast<std::size_t>(worker.stretch.group)][static_cast<std::size_t>(cell)];
    worker.at = until;
    if (until == stretches.end_of(number)) {
        worker.busy = false;
        worker.time += 0.5 * static_cast<double>(wish.context) / worker.speed;
    }
}

Outcome simulate(const StretchWish& wish, const std::vector<double>& speeds) {
    Stretches stretches(wish);
    Outcome outcome;
    outcome.kept.assign(
        static_cast<std::size_t>(wish.groups),
        std::vector<int>(static_cast<std::size_t>((wish.frames + wish.grid - 1) / wish.grid)));
    outcome.ends.resize(speeds.size());
    std::vector<Worker> workers;
    for (const double speed : speeds) workers.push_back({.speed = speed});
    const auto next = [&] { return std::ranges::min_element(workers, {}, &Worker::time); };
    for (auto w = next(); w->time < 1e12; w = next())
        work(stretches, wish, static_cast<int>(w - workers.begin()), *w, outcome);
    return outcome;
}

StretchWish half_an_hour() {
    return {.frames = 168750, .workers = 2, .grid = 512, .context = 2560};
}

TEST(Stretches, EveryFrameIsKeptOnce) {
    for (const std::int64_t frames : {0, 1, 512, 5000, 50000, 168750}) {
        for (const int workers : {1, 2, 5}) {
            for (const std::int64_t longest : {0, 100, 20000}) {
                StretchWish wish{.frames = frames,
                                 .groups = workers == 2 ? 3 : 1,
                                 .workers = workers,
                                 .grid = 512,
                                 .context = 2560,
                                 .longest = longest,
                                 .wanted_frame = workers == 5 ? frames / 3 : 0,
                                 .soon = workers != 1};
                std::vector<double> speeds(static_cast<std::size_t>(workers), 100.0);
                speeds.back() = 23.0;
                const auto outcome = simulate(wish, speeds);
                for (const auto& group : outcome.kept)
                    EXPECT_TRUE(std::ranges::all_of(group, [](int n) { return n == 1; }))
                        << frames << " frames, " << workers << " workers, " << longest;
                for (const auto& stretch : outcome.taken) EXPECT_EQ(stretch.first % 512, 0);
            }
        }
    }
}

// Workers as fast as one another have one stretch each, and nothing is computed twice but at one place.
TEST(Stretches, AreAsFewAsWorkers) {
    const auto outcome = simulate(half_an_hour(), {100.0, 100.0});
    EXPECT_EQ(outcome.taken.size(), 2U);
    EXPECT_LT(std::abs(outcome.ends[0] - outcome.ends[1]), 512.0 / 100.0 + 2.0 * kPiece / 100.0);
}

// However slow one of them is, both end with one another: a slow one gives away what it would do last.
TEST(Stretches, AllEndTogether) {
    for (const double slow : {80.0, 50.0, 10.0}) {
        const auto outcome = simulate(half_an_hour(), {100.0, slow});
        const double last = std::max(outcome.ends[0], outcome.ends[1]);
        const double best = 168750.0 / (100.0 + slow);
        // What is too short to be shared is done by one, at worst by the slow one.
        EXPECT_LT(last, best + (2.0 * 3072 + kPiece + 2560) / slow) << slow;
        EXPECT_LT(outcome.taken.size(), 14U) << slow;
    }
}

TEST(Stretches, WhatIsWantedComesFirst) {
    StretchWish wish = half_an_hour();
    wish.wanted_frame = 100000;
    wish.soon = true;
    Stretches stretches(wish);
    const auto first = stretches.take(0);
    ASSERT_TRUE(first);
    EXPECT_EQ(first->first, 100000 / 512 * 512);
    EXPECT_LE(stretches.end_of(0), first->first + 1024);  // short
    const auto second = stretches.take(1);
    ASSERT_TRUE(second);
    EXPECT_EQ(second->first, stretches.end_of(0));  // what follows it
    const auto third = stretches.take(0);
    ASSERT_TRUE(third);
    EXPECT_EQ(third->first, stretches.end_of(1));
    EXPECT_EQ(stretches.end_of(0), wish.frames);
    const auto before = stretches.take(0);  // then backwards what lies before
    ASSERT_TRUE(before);
    EXPECT_EQ(stretches.end_of(0), 100000 / 512 * 512);
}

// Groups of channels of one place are next to one another, and none is left out.
TEST(Stretches, GroupsOfAPlaceComeTogether) {
    StretchWish wish = half_an_hour();
    wish.groups = 3;
    wish.longest = 28672;
    Stretches stretches(wish);
    for (int n = 0; n < 9; ++n) {
        const auto stretch = stretches.take(0);
        ASSERT_TRUE(stretch);
        EXPECT_EQ(stretch->group, n % 3);
        EXPECT_EQ(stretch->first, n / 3 * 28672);
    }
}

TEST(Stretches, ManyThreadsKeepEverythingOnce) {
    const StretchWish wish{.frames = 1'000'000, .groups = 2, .workers = 4, .grid = 256, .context = 512};
    Stretches stretches(wish);
    std::vector<std::int64_t> kept(4);
    {
        std::vector<std::jthread> threads;
        for (int w = 0; w < 4; ++w) {
            threads.emplace_back([&, w] {
                while (const auto stretch = stretches.take(w)) {
                    std::int64_t at = stretch->first;
                    while (at < stretches.end_of(w)) {
                        const std::int64_t until = stretches.keep_until(w, at + 256);
                        kept[static_cast<std::size_t>(w)] += until - at;
                        at = until;
                    }
                }
            });
        }
    }
    EXPECT_EQ(std::accumulate(kept.begin(), kept.end(), std::int64_t{0}), 2'000'000);
}

}  // namespace
}  // namespace rivlen
