// SPDX-License-Identifier: GPL-3.0-or-later
// Every command that README and docs/ give as an example: the command line's are run, with files of our own
// in place of the names in capitals; of programs that work for minutes or hours it is checked that there is
// what they are asked for.
#include <gtest/gtest.h>
#include <sys/wait.h>

#include <algorithm>
#include <array>
#include <cstdlib>
#include <fstream>
#include <map>
#include <regex>
#include <sstream>

#include "core/base/output_file.h"
#include "core/project/delivery_table.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

const fs::path kProject = RIVLEN_ROOT;

std::string text_of(const fs::path& file) {
    std::ifstream in(file);
    return {std::istreambuf_iterator<char>(in), {}};
}

std::vector<fs::path> pages() {
    std::vector<fs::path> out = {kProject / "README.md", kProject / "CONTRIBUTING.md"};
    for (const auto& entry : fs::directory_iterator(kProject / "docs")) {
        if (entry.path().extension() == ".md") out.push_back(entry.path());
    }
    return out;
}

// What stands between backticks, or on a line of its own that is set in by four blanks, and begins with a
// program's name: commands one by one, in the order of the pages.
std::vector<std::string> examples_of(const std::string& program) {
    std::vector<std::string> out;
    const std::regex quoted("`(" + program + " [^`]*)`"), set_in("(?:^|\n)    (" + program + " [^\n]*)"),
        one("(" + program + "(?: [^;#]*)?)(?:;|#|$)");
    for (const auto& page : pages()) {
        const std::string words = text_of(page);
        for (const auto* kind : {&quoted, &set_in}) {
            for (auto at = std::sregex_iterator(words.begin(), words.end(), *kind);
                 at != std::sregex_iterator(); ++at) {
                const std::string line = (*at)[1];
                for (auto part = std::sregex_iterator(line.begin(), line.end(), one);
                     part != std::sregex_iterator(); ++part)
                    out.push_back((*part)[1]);
            }
        }
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
    auto examples = examples_of("rivlen-cli");
    ASSERT_GE(examples.size(), 15U);
    const test::Scratch scratch;
    const auto noise = test::noise(std::size_t{13} * 48000, 4);
    test::write_wav(scratch / "in.wav", {noise}, 48000);
    fs::create_directories(scratch / "folder");
    fs::copy_file(scratch / "in.wav", scratch / "folder/in.wav");
    ASSERT_TRUE(write_text_file(scratch / "list.txt", (scratch / "in.wav").string()).ok());
    ASSERT_TRUE(save_template(standard_template(), scratch / "T.rivlen-handover").ok());
    const std::string session = (kProject / "demo/spare-take.rivlen").string(),
                      folder = (scratch / "folder").string(), list = (scratch / "list.txt").string(),
                      table = (scratch / "T.rivlen-handover").string();
    const std::map<std::string, std::string> stand_ins = {
        {"FILE", (scratch / "in.wav").string()},
        {"WAV", (scratch / "in.wav").string()},
        {"PICTURE", (kProject / "demo/tide-mill.mov").string()},
        {"MODEL", (kProject / "models/quick.safetensors").string()},
        {"CHAIN", "proposed.rivlen-chain"},
        {"SESSION", session},
        {"SESSION.rivlen", session},
        {"FOLDER", folder},
        {"FOLDER-OR-LIST", folder},
        {"LIST", list},
        {"T", table},
        {"T.rivlen-handover", table}};
    const std::string surroundings =
        "cd '" + scratch.folder().string() +
        "' && export SLURM_ARRAY_TASK_ID=1; RIVLEN_WORK=work RIVLEN_ENGINE='" RIVLEN_ENGINE_FILE
        "' RIVLEN_MODEL='" +
        stand_ins.at("MODEL") + "' '" RIVLEN_CLI_FILE "'";
    // A chain is proposed before one is used, whatever the order of the pages.
    std::ranges::stable_partition(examples,
                                  [](const std::string& e) { return e.find(" look ") != std::string::npos; });
    int run_so_far = 0;
    for (const auto& example : examples) {
        std::string bare = example;
        std::erase_if(bare, [](char c) { return c == '[' || c == ']'; });
        const auto words = words_of(bare);
        const bool complete =
            std::ranges::any_of(words, [&](const std::string& w) { return stand_ins.contains(w); });
        if (!complete || words[1] == "teach" || bare.find("TAUGHT") != std::string::npos) {
            // Only named, not shown whole, or of learning for a minute: there is such an act, and its help
            // knows the options.
            const Ran help = run_line("'" RIVLEN_CLI_FILE "' '" + words[1] + "' --help");
            EXPECT_EQ(help.code, 0) << example;
            for (const auto& word : words) {
                if (word.starts_with("--")) {
                    EXPECT_NE(help.said.find(word), std::string::npos) << example;
                }
            }
            continue;
        }
        std::string line = surroundings;
        for (std::size_t i = 1; i < words.size(); ++i) {
            const auto other = stand_ins.find(words[i]);
            // Every command writes into folders of its own.
            const bool folder_of_its_own = words[i] == "DIR";
            line += folder_of_its_own
                        ? " out-" + std::to_string(run_so_far)
                        : " " + (other != stand_ins.end() ? "'" + other->second + "'" : words[i]);
        }
        const bool writes = words[1] == "look" || words[1] == "process" || words[1] == "mix";
        if (writes && bare.find("-o") != std::string::npos) line += " --overwrite";
        const Ran ran = run_line(line);
        EXPECT_EQ(ran.code, 0) << example << "\n" << line << "\n" << ran.said;
        ++run_so_far;
    }
    EXPECT_GE(run_so_far, 12);
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
