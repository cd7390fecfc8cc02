// SPDX-License-Identifier: GPL-3.0-or-later
// Every call that can fail does, one after another: of a file that is processed, one that is put back, a
// session that is mixed and one that is delivered. Whatever fails, the program ends with a sentence, what it
// was to write is there whole or not at all, what was there before is there still, and nothing is left
// behind.
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cerrno>
#include <cstdlib>
#include <filesystem>
#include <fstream>
#include <set>

#include "core/base/output_file.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/workflow/placing.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

struct Command {
    const char* name;
    std::string arguments;  // IN, OUT and WORK are put in their places
    const char* out;        // what it writes, below the folder
};

class Faults : public testing::TestWithParam<Command> {
  protected:
    struct Ended {
        int code = 0;
        bool by_signal = false;
        std::string said;
        long calls = 0;
    };
    Faults() {
        test::write_wav(scratch_ / "in.wav", {test::noise(24000, 1), test::noise(24000, 2)}, 48000);
        write_model();
        write_table();
        Session session;
        session.items.emplace_back().path = scratch_ / "in.wav";
        place_recording(session.timeline, {scratch_ / "in.wav", 24000, 48000, {}, 0}, 0);
        EXPECT_TRUE(save_session(session, scratch_ / "in.rivlen").ok());
    }
    // The engine for tests wants a file, whatever it holds.
    void write_model() { EXPECT_TRUE(write_text_file(scratch_ / "model", "a model").ok()); }
    void write_table() {
        HandoverTemplate table;
        table.name = "one";
        table.rows.emplace_back().name = "mix";
        EXPECT_TRUE(save_template(table, scratch_ / "table").ok());
    }
    [[nodiscard]] std::string filled(std::string text) const {
        for (const auto& [word, path] :
             {std::pair{"IN", "in"}, std::pair{"OUT", "out"}, std::pair{"WORK", "work"},
              std::pair{"MODEL", "model"}, std::pair{"TABLE", "table"}}) {
            for (auto at = text.find(word); at != std::string::npos; at = text.find(word))
                text.replace(at, std::string(word).size(), (scratch_ / path).string());
        }
        return text;
    }
    Ended run(const std::string& fault) {
        const auto said = scratch_ / "said.txt";
        const auto count = scratch_ / "count.txt";
        std::string command = "RIVLEN_FAULT_COUNT='" + count.string() + "' ";
        if (!fault.empty()) command += "RIVLEN_FAULT=" + fault + " ";
        command += "LD_PRELOAD=" RIVLEN_FAULTS_FILE " " RIVLEN_CLI_FILE " " + filled(GetParam().arguments) +
                   " >/dev/null 2>'" + said.string() + "'";
        const int status = std::system(command.c_str());  // NOLINT(concurrency-mt-unsafe)
        Ended ended;
        ended.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
        ended.by_signal = !WIFEXITED(status) || ended.code >= 128;  // as the shell tells of signals
        ended.said = *read_text_file(said);
        std::ifstream(count) >> ended.calls;
        return ended;
    }
    [[nodiscard]] std::set<std::string> names() const {
        std::set<std::string> found;
        for (const auto& entry : fs::recursive_directory_iterator(scratch_ / "out")) {
            const auto name = entry.path().lexically_relative(scratch_ / "out").string();
            if (name.find(", earlier") == std::string::npos) found.insert(name);  // reports of runs before
        }
        return found;
    }
    test::Scratch scratch_;
};

TEST_P(Faults, LeaveEverythingWholeOrAsItWas) {
    const auto out = scratch_ / "out" / GetParam().out;
    fs::create_directories(out.parent_path());
    const Ended good = run("");
    ASSERT_EQ(good.code, 0) << good.said;
    const std::string whole = *read_text_file(out);
    ASSERT_GT(whole.size(), 50U);
    const auto all = names();
    struct Kind {
        const char* call;
        int error;
    };
    for (const Kind kind : {Kind{"write", ENOSPC}, Kind{"write", EIO}, Kind{"sync", EIO}, Kind{"rename", EIO},
                            Kind{"open", EACCES}, Kind{"read", EIO}, Kind{"memory", ENOMEM}}) {
        // Nothing fails that is not reached: how many calls there are is counted first.
        fs::remove_all(scratch_ / "work");
        fs::remove_all(scratch_ / "out");
        fs::create_directories(out.parent_path());
        const long calls = run(std::string(kind.call) + ":-1:5").calls;
        // The first dozen one by one, then ever further apart.
        for (long at = 1; at <= calls; at += 1 + at / 12) {
            const std::string which =
                std::string(kind.call) + ":" + std::to_string(at) + ":" + std::to_string(kind.error);
            fs::remove_all(scratch_ / "work");
            fs::remove_all(scratch_ / "out");
            fs::create_directories(out.parent_path());
            ASSERT_TRUE(write_text_file(out, "what was there before").ok());
            const Ended ended = run(which);
            ASSERT_FALSE(ended.by_signal) << GetParam().name << " " << which << "\n" << ended.said;
            const auto there = read_text_file(out);
            ASSERT_TRUE(there.ok()) << which << ": what was there before is gone";
            if (ended.code == 0) {
                EXPECT_EQ(there->size(), whole.size()) << which;
            } else {
                EXPECT_FALSE(ended.said.empty()) << which;
                EXPECT_TRUE(*there == "what was there before" || there->size() == whole.size()) << which;
            }
            // A file that could not be proved any more stays known as our own.
            const bool unproved = ended.code != 0 && *there != "what was there before";
            for (const auto& name : names()) {
                if (unproved && name.ends_with(".begun")) continue;
                EXPECT_TRUE(all.contains(name)) << which << " leaves " << name;
            }
        }
    }
}

// Killed at any of its calls, a program leaves what was there before or the whole of what it writes, and the
// next run works and takes away what was left.
TEST_P(Faults, KilledAnywhereTheNextRunFindsEverythingInOrder) {
    const auto out = scratch_ / "out" / GetParam().out;
    fs::create_directories(out.parent_path());
    const Ended good = run("");
    ASSERT_EQ(good.code, 0) << good.said;
    const std::string whole = *read_text_file(out);
    const auto all = names();
    for (const char* call : {"write", "sync", "rename", "open"}) {
        fs::remove_all(scratch_ / "work");
        fs::remove(out);
        const long calls = run(std::string(call) + ":-1:5").calls;
        int tried = 0, killed = 0;
        for (long at = 1; at <= calls; at += 1 + at / 8, ++tried) {
            fs::remove_all(scratch_ / "work");
            ASSERT_TRUE(write_text_file(out, "what was there before").ok());
            const std::string which = std::string(call) + ":" + std::to_string(at) + ":0";
            // Reports that are the same as those of the run before take fewer calls.
            if (run(which).by_signal) ++killed;
            const auto there = read_text_file(out);
            ASSERT_TRUE(there.ok()) << which;
            EXPECT_TRUE(*there == "what was there before" || there->size() == whole.size()) << which;
            const Ended again = run("");
            ASSERT_EQ(again.code, 0) << which << "\n" << again.said;
            EXPECT_EQ(read_text_file(out)->size(), whole.size()) << which;
            EXPECT_EQ(names(), all) << which;
        }
        EXPECT_GT(killed, tried / 2) << call;
    }
}

INSTANTIATE_TEST_SUITE_P(
    Commands, Faults,
    testing::Values(
        Command{"process", "process IN.wav -o OUT/voice.wav --work WORK --overwrite", "voice.wav"},
        Command{"flac", "process IN.wav -o OUT/voice.flac --work WORK --overwrite", "voice.flac"},
        Command{"look", "look IN.wav -o OUT/look.rivlen-chain --work WORK --overwrite", "look.rivlen-chain"},
        Command{"split",
                "split IN.wav -o OUT --work WORK --engine " RIVLEN_BAND_ENGINE_FILE
                " --model MODEL --overwrite",
                "in dialogue.wav"},
        Command{"handover", "handover IN.rivlen -o OUT --work WORK --template TABLE --overwrite", "mix.wav"},
        Command{"mix", "mix IN.rivlen -o OUT/mix.wav --work WORK --overwrite", "mix.wav"}),
    [](const testing::TestParamInfo<Command>& test) { return std::string(test.param.name); });

}  // namespace
}  // namespace rivlen
