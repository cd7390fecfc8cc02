// SPDX-License-Identifier: GPL-3.0-or-later
// The window is killed in the middle of random work, as often as RIVLEN_KILLS says (4): what comes back is a
// session that it had, and nothing half is left. With many kills the oldest of what came back is told; it is
// not tested here, as it says as much of the machine as of the program.
#include <gtest/gtest.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <cstdlib>
#include <fstream>
#include <random>
#include <thread>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/workflow/recovery.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

struct Noted {
    std::string hash;
    long long at_ms = 0;
};

std::vector<Noted> noted(const fs::path& journal) {
    std::vector<Noted> all;
    std::ifstream in(journal);
    for (std::string line; std::getline(in, line) && !in.eof();) {  // the last line may be half
        const auto blank = line.find(' ');
        if (blank != std::string::npos)
            all.push_back({line.substr(0, blank), std::atoll(line.c_str() + blank)});
    }
    return all;
}

pid_t begin_work(const fs::path& work, const fs::path& journal, unsigned seed) {
    const pid_t child = ::fork();
    if (child != 0) return child;
    ::setenv("RIVLEN_SOAK_WORK", work.c_str(), 1);                  // NOLINT(concurrency-mt-unsafe)
    ::setenv("RIVLEN_SOAK_JOURNAL", journal.c_str(), 1);            // NOLINT(concurrency-mt-unsafe)
    ::setenv("RIVLEN_SOAK_SEED", std::to_string(seed).c_str(), 1);  // NOLINT(concurrency-mt-unsafe)
    ::setenv("RIVLEN_SOAK_STEPS", "1000000", 1);                    // NOLINT(concurrency-mt-unsafe)
    if (std::freopen("/dev/null", "w", stdout) == nullptr ||
        std::freopen("/dev/null", "w", stderr) == nullptr)
        ::_exit(1);
    ::execl(RIVLEN_SOAK_FILE, RIVLEN_SOAK_FILE, static_cast<char*>(nullptr));
    ::_exit(127);
}

TEST(KilledWindow, GivesBackWhatWasWorkedOn) {
    const char* asked = std::getenv("RIVLEN_KILLS");  // NOLINT(concurrency-mt-unsafe)
    const int kills = asked != nullptr ? std::atoi(asked) : 4;
    std::mt19937 random(7);
    long long oldest_ms = 0;
    int given_back = 0;
    for (int kill = 0; kill < kills; ++kill) {
        const test::Scratch scratch;
        const fs::path work = scratch / "work", journal = scratch / "journal";
        const pid_t child = begin_work(work, journal, 1000U + static_cast<unsigned>(kill));
        ASSERT_GT(child, 0);
        // Until it has worked for so many steps, or has ended by itself, which it must not.
        const std::size_t steps = 40 + random() % 200;
        int status = 0;
        while (noted(journal).size() < steps) {
            ASSERT_EQ(::waitpid(child, &status, WNOHANG), 0) << "it ended by itself, seed " << 1000 + kill;
            std::this_thread::sleep_for(std::chrono::milliseconds(2));
        }
        ::kill(child, SIGKILL);
        ::waitpid(child, &status, 0);
        const auto all = noted(journal);
        Recovery next(work);
        sweep_partials(work);
        sweep_partials(work / "recovery");
        const auto left = next.take_over();
        ASSERT_TRUE(left.ok()) << left.error().message;
        for (const auto& entry : fs::recursive_directory_iterator(work))
            EXPECT_EQ(entry.path().filename().string().find(".part"), std::string::npos) << entry.path();
        // Nothing is kept before its first change has rested for a moment.
        if (!left->has_value()) continue;
        ++given_back;
        const std::string text = session_to_json((*left)->session);
        const std::string hash = hash_hex(std::as_bytes(std::span(text)));
        const auto found =
            std::find_if(all.rbegin(), all.rend(), [&](const Noted& n) { return n.hash == hash; });
        ASSERT_NE(found, all.rend()) << "what came back is none of what was worked on, seed " << 1000 + kill;
        oldest_ms = std::max(oldest_ms, all.back().at_ms - found->at_ms);
    }
    EXPECT_GT(given_back, kills / 2);
    std::printf("%d kills, %d sessions given back, the oldest %lld ms behind\n", kills, given_back,
                oldest_ms);
}

}  // namespace
}  // namespace rivlen
