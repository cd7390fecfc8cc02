// SPDX-License-Identifier: GPL-3.0-or-later
// Every command that README and docs/ give as an example: the command line's are run, with files of our own
// in place of the names in capitals; of programs that work for minutes or hours it is checked that there is
// what they are asked for.
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <cstdlib>
#include <fstream>
#include <map>
#include <regex>
#include <set>

#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

const fs::path kProject = RIVLEN_ROOT;

std::string text_of(const fs::path& file) {
    std::ifstream in(file);
    return {std::istreambuf_iterator<char>(in), {}};
}

// What stands between backticks and begins with a program's name.
std::set<std::string> examples_of(const std::string& program) {
    std::set<std::string> out;
    std::vector<fs::path> pages = {kProject / "README.md", kProject / "CONTRIBUTING.md"};
    for (const auto& entry : fs::directory_iterator(kProject / "docs")) {
        if (entry.path().extension() == ".md") pages.push_back(entry.path());
    }
    const std::regex quoted("`(" + program + " [^`]*)`");
    for (const auto& page : pages) {
        const std::string words = text_of(page);
        for (auto at = std::sregex_iterator(words.begin(), words.end(), quoted); at != std::sregex_iterator();
             ++at)
            out.insert((*at)[1]);
    }
    return out;
}

struct Ran {
    int code = -1;
    std::string said;
};
Ran run_line(const std::string& line) {
    Ran out;
    FILE* pipe = popen((line + " 2>&1").c_str(), "r");  // NOLINT(*-command-processor)
    if (pipe == nullptr) return out;
    std::array<char, 4096> buffer{};
    while (const std::size_t count = std::fread(buffer.data(), 1, buffer.size(), pipe))
        out.said.append(buffer.data(), count);
    const int status = pclose(pipe);
    out.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    return out;
}

std::vector<std::string> words_of(const std::string& line) {
    std::istringstream in(line);
    return {std::istream_iterator<std::string>(in), {}};
}

TEST(DocumentedCommands, OfTheCommandLineRun) {
    const auto examples = examples_of("rivlen-cli");
    ASSERT_GE(examples.size(), 5U);
    const test::Scratch scratch;
    test::write_wav(scratch / "in.wav", {test::noise(96000, 4)}, 48000);
    const auto put = [&](const char* name, const fs::path& with) {
        return std::pair{std::string(name), with.string()};
    };
    const std::map<std::string, std::string> stand_ins = {
        put("FILE", scratch / "in.wav"),
        put("DIR", scratch / "stems"),
        put("OUT.wav", scratch / "out.wav"),
        put("CHAIN", scratch / "proposed.rivlen-chain"),
        put("MODEL", kProject / "models/quick.safetensors"),
        put("SESSION", kProject / "demo/spare-take.rivlen")};
    for (const auto& example : examples) {
        std::string bare = example;
        std::erase_if(bare, [](char c) { return c == '[' || c == ']'; });
        auto words = words_of(bare);
        const bool complete =
            std::ranges::any_of(words, [&](const std::string& w) { return stand_ins.contains(w); });
        std::string line = "'" RIVLEN_CLI_FILE "'";
        for (std::size_t i = 1; i < words.size(); ++i) {
            const auto other = stand_ins.find(words[i]);
            line += " '" + (other != stand_ins.end() ? other->second : words[i]) + "'";
        }
        if (!complete) {
            // Only named, not shown whole: there is such an act, and its help knows the options.
            const Ran help = run_line("'" RIVLEN_CLI_FILE "' '" + words[1] + "' --help");
            EXPECT_EQ(help.code, 0) << example;
            for (std::size_t i = 2; i < words.size(); ++i)
                EXPECT_NE(help.said.find(words[i]), std::string::npos) << example;
            continue;
        }
        const bool splits = words[1] == "split" || words[1] == "handover";
        if (splits) line += " --work '" + (scratch / "work").string() + "' --engine '" RIVLEN_ENGINE_FILE "'";
        if (words[1] == "handover")
            line += " -o '" + (scratch / "handed").string() + "' --model '" + stand_ins.at("MODEL") + "'";
        const Ran ran = run_line(line);
        EXPECT_EQ(ran.code, 0) << example << "\n" << line << "\n" << ran.said;
    }
}

TEST(DocumentedCommands, OfLearningAreThere) {
    const std::string commands = text_of(kProject / "learn/commands.cpp");
    const auto examples = examples_of("rivlen-learn");
    ASSERT_GE(examples.size(), 10U);
    for (const auto& example : examples) {
        const auto words = words_of(example);
        EXPECT_NE(commands.find("\"" + words[1] + "\""), std::string::npos) << example;
        for (const auto& word : words) {
            if (word.starts_with("--")) {
                EXPECT_NE(commands.find(word), std::string::npos) << example;
            }
            if (word.starts_with("models/")) {
                EXPECT_TRUE(fs::exists(kProject / word)) << example;
            }
        }
    }
}

TEST(DocumentedCommands, OfMeasuringAreThere) {
    const std::string benches =
        text_of(kProject / "bench/bench.cpp") + text_of(kProject / "bench/units_bench.cpp");
    for (const auto& example : examples_of("rivlen-bench")) {
        const auto at = example.find("--benchmark_filter=");
        ASSERT_NE(at, std::string::npos) << example;
        const std::string name = example.substr(at + 19);
        EXPECT_NE(benches.find("BENCHMARK(" + name), std::string::npos) << example;
    }
    const std::string rebuild = text_of(kProject / "bench/rebuild_bench.cpp");
    for (const auto& example : examples_of("rivlen-rebuild-bench")) {
        for (const auto& word : words_of(example)) {
            if (word.starts_with("--") && !word.starts_with("--benchmark")) {
                EXPECT_NE(rebuild.find(word), std::string::npos) << example;
            }
        }
    }
    for (const char* folder : {"tools/[a-z]+", "demo/[a-z_.]+", "\\./[a-z]+"}) {
        for (const auto& example : examples_of(folder))
            EXPECT_TRUE(fs::exists(kProject / words_of(example)[0])) << example;
    }
}

}  // namespace
}  // namespace rivlen
