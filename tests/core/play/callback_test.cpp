// SPDX-License-Identifier: GPL-3.0-or-later
// What the audio callback does not do: allocate, free, or lock. Counted where it would be done: operator new
// and delete and pthread_mutex_lock are replaced for these tests and count while this thread is inside the
// callback.
#include <dlfcn.h>
#include <gtest/gtest.h>
#include <pthread.h>

#include <cstdlib>
#include <mutex>
#include <new>
#include <vector>

#include "core/play/mix_player.h"
#include "core/play/player.h"
#include "core/workflow/placing.h"
#include "tests/support/fixtures.h"

namespace {

thread_local bool t_inside = false;
thread_local int t_allocations = 0, t_frees = 0, t_locks = 0;

void* counted(std::size_t size) {
    if (t_inside) ++t_allocations;
    void* memory = std::malloc(size);  // NOLINT(cppcoreguidelines-no-malloc)
    if (memory == nullptr) throw std::bad_alloc();
    return memory;
}
void give_back(void* memory) {
    if (t_inside && memory != nullptr) ++t_frees;
    std::free(memory);  // NOLINT(cppcoreguidelines-no-malloc)
}

}  // namespace

void* operator new(std::size_t size) {
    return counted(size);
}
void* operator new[](std::size_t size) {
    return counted(size);
}
void* operator new(std::size_t size, const std::nothrow_t&) noexcept {
    if (t_inside) ++t_allocations;
    return std::malloc(size);  // NOLINT(cppcoreguidelines-no-malloc)
}
void* operator new[](std::size_t size, const std::nothrow_t& nothing) noexcept {
    return operator new(size, nothing);
}
void operator delete(void* memory) noexcept {
    give_back(memory);
}
void operator delete[](void* memory) noexcept {
    give_back(memory);
}
void operator delete(void* memory, std::size_t) noexcept {
    give_back(memory);
}
void operator delete[](void* memory, std::size_t) noexcept {
    give_back(memory);
}

#if !defined(__SANITIZE_THREAD__)
extern "C" int pthread_mutex_lock(pthread_mutex_t* mutex) {
    static auto* real = reinterpret_cast<int (*)(pthread_mutex_t*)>(::dlsym(RTLD_NEXT, "pthread_mutex_lock"));
    if (t_inside) ++t_locks;
    return real(mutex);
}
#endif

namespace rivlen {
namespace {

using test::Scratch;

// Calls the callback as a device would and counts what it does.
struct Counted {
    int allocations = 0, frees = 0, locks = 0;
    void call(Transport& transport, std::size_t frames) {
        std::vector<float> out(frames * kStereoChannels);
        t_allocations = t_frees = t_locks = 0;
        t_inside = true;
        transport.fill(out);
        t_inside = false;
        allocations += t_allocations;
        frees += t_frees;
        locks += t_locks;
    }
};

TEST(AudioCallback, TheCountersCount) {
    t_allocations = t_frees = t_locks = 0;
    std::mutex mutex;
    t_inside = true;
    {
        const std::vector<int> some(100);
        const std::lock_guard lock(mutex);
    }
    t_inside = false;
    EXPECT_GE(t_allocations, 1);
    EXPECT_GE(t_frees, 1);
#if !defined(__SANITIZE_THREAD__)
    EXPECT_GE(t_locks, 1);
#endif
}

TEST(AudioCallback, NeverAllocatesFreesOrLocksWhileARecordingIsTuned) {
    const Scratch scratch;
    const auto source = std::make_shared<const Source>(test::noise_source(scratch, 48000, 2, 3.0));
    const auto map = std::make_shared<const MaskMap>(test::random_map(scratch, *source));
    Counted counted;
    Player player;
    counted.call(player, 512);  // nothing to play yet
    player.set_material(source, map);
    player.settle();
    player.play();
    for (int round = 0; round < 60; ++round) {
        switch (round % 6) {
            case 0: {
                ShapeSettings settings;
                settings.stems[0].set(Setting::Isolation, round);
                player.set_settings(settings);
                break;
            }
            case 1:
                player.set_monitor(round % 12 == 1 ? Monitor::Removed : Monitor::Kept);
                break;
            case 2:
                player.locate(round * 1000);
                break;
            case 3:
                player.set_loop(LoopRange{round * 500, round * 500 + 20000});
                break;
            case 4:
                player.set_loop(std::nullopt);
                break;
            default:
                player.playing() ? player.stop() : player.play();
                break;
        }
        for (const std::size_t frames : {64U, 512U, 1000U}) counted.call(player, frames);
        if (round % 7 == 0) player.settle();
    }
    EXPECT_EQ(counted.allocations, 0);
    EXPECT_EQ(counted.frees, 0);
    EXPECT_EQ(counted.locks, 0);
}

TEST(AudioCallback, NeverAllocatesFreesOrLocksWhileAMixIsEdited) {
    const Scratch scratch;
    const auto source = std::make_shared<const Source>(test::noise_source(scratch, 48000, 2, 3.0));
    Session session;
    place_recording(session.timeline,
                    {source->original(), static_cast<std::int64_t>(source->frames()), 48000, {}, 0}, 0);
    const MixMediaSet media = {{source->original(), {source, nullptr, 48000}}};
    Counted counted;
    MixPlayer player;
    counted.call(player, 512);
    player.set_plan(std::make_shared<const MixPlan>(session, media));
    player.settle();
    player.play();
    for (int round = 0; round < 40; ++round) {
        session.timeline.tracks[0].strip.gain_db = -round;
        if (round == 20) session.timeline.tracks[0].strip.chain = voice_start_chain();
        player.set_plan(std::make_shared<const MixPlan>(session, media));
        if (round % 5 == 0) player.locate(round * 1000);
        for (const std::size_t frames : {64U, 480U}) counted.call(player, frames);
        if (round % 7 == 0) player.settle();
    }
    EXPECT_EQ(counted.allocations, 0);
    EXPECT_EQ(counted.frees, 0);
    EXPECT_EQ(counted.locks, 0);
}

}  // namespace
}  // namespace rivlen
