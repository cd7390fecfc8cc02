// SPDX-License-Identifier: GPL-3.0-or-later
// The window is killed in the middle of random work, as often as RIVLEN_KILLS says (4): what comes back is a
// session that it had, and nothing half is left. With many kills the oldest of what came back is told; it is
// not tested here, as it says as much of the machine as of the program.
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <cstdio>
#include <cstdlib>
#include <memory>
#include <optional>
#include <random>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/media/decode.h"
#include "core/workflow/recovery.h"
#include "core/workflow/takes.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

struct Noted {
    std::string hash;
    long long at_ms = 0;
};

// A window at work, whose journal comes through a pipe: who reads it waits for the next step, not for a time.
class Worker {
  public:
    Worker(const fs::path& work, unsigned seed) {
        std::array<int, 2> ends{};
        if (::pipe(ends.data()) != 0) return;
        child_ = ::fork();
        if (child_ == 0) work_on(work, ends, seed);
        ::close(ends[1]);
        journal_.reset(::fdopen(ends[0], "r"));
    }
    [[nodiscard]] bool began() const { return child_ > 0 && journal_; }
    // The next step; nothing when the window has ended.
    std::optional<Noted> next() {
        std::array<char, 256> line{};
        if (std::fgets(line.data(), line.size(), journal_.get()) == nullptr) return {};
        const std::string text = line.data();
        const auto blank = text.find(' ');
        if (blank == std::string::npos || !text.ends_with('\n')) return {};  // killed while it wrote
        return Noted{text.substr(0, blank), std::atoll(text.c_str() + blank)};
    }
    void kill() const {
        ::kill(child_, SIGKILL);
        int status = 0;
        ::waitpid(child_, &status, 0);
    }

  private:
    struct Closer {
        void operator()(std::FILE* file) const { std::fclose(file); }
    };
    [[noreturn]] static void work_on(const fs::path& work, const std::array<int, 2>& ends, unsigned seed) {
        ::close(ends[0]);
        const std::string journal = "/dev/fd/" + std::to_string(ends[1]);
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
    pid_t child_ = -1;
    std::unique_ptr<std::FILE, Closer> journal_;
};

TEST(KilledWindow, GivesBackWhatWasWorkedOn) {
    const char* asked = std::getenv("RIVLEN_KILLS");  // NOLINT(concurrency-mt-unsafe)
    const int kills = asked != nullptr ? std::atoi(asked) : 4;
    std::mt19937 random(7);
    long long oldest_ms = 0;
    int given_back = 0;
    for (int kill = 0; kill < kills; ++kill) {
        const test::Scratch scratch;
        const fs::path work = scratch / "work";
        const unsigned seed = 1000U + static_cast<unsigned>(kill);
        Worker worker(work, seed);
        ASSERT_TRUE(worker.began());
        std::vector<Noted> all;
        for (const std::size_t steps = 40 + random() % 200; all.size() < steps;) {
            const auto step = worker.next();
            ASSERT_TRUE(step.has_value()) << "it ended by itself, seed " << seed;
            all.push_back(*step);
        }
        worker.kill();
        while (const auto step = worker.next()) all.push_back(*step);
        Recovery next(work);
        sweep_partials(work);
        sweep_partials(work / "recovery");
        for (const auto& take : keep_cut_off_takes(work / "takes"))
            EXPECT_GT(read_audio(take)->frames(), 0U) << take;
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
        ASSERT_NE(found, all.rend()) << "what came back is none of what was worked on, seed " << seed;
        oldest_ms = std::max(oldest_ms, all.back().at_ms - found->at_ms);
    }
    EXPECT_GT(given_back, kills / 2);
    std::printf("%d kills, %d sessions given back, the oldest %lld ms behind\n", kills, given_back,
                oldest_ms);
}

}  // namespace
}  // namespace rivlen
