// The real engine and model on the demo, whose parts are known and were never learned from.
#include <gtest/gtest.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "core/assess/si_sdr.h"
#include "core/base/output_file.h"
#include "core/split/split.h"
#include "tests/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using test::Scratch;

const fs::path kRoot = RIVLEN_ROOT;

int run(const std::string& arguments) {
    const int status = std::system(("'" RIVLEN_CLI_FILE "' " + arguments).c_str());  // NOLINT
    return WIFEXITED(status) ? WEXITSTATUS(status) : -1;
}

std::vector<float> joined(const fs::path& path) {
    std::vector<float> all;
    for (const auto& channel : test::read_wav(path)) all.insert(all.end(), channel.begin(), channel.end());
    return all;
}

// One split for all tests of this file.
const Scratch& split_demo() {
    static const Scratch scratch;
    static const int code =
        run("split '" + (kRoot / "demo/tide-mill.mov").string() + "' -o '" + (scratch / "out").string() +
            "' --work '" + (scratch / "work").string() + "' --engine '" RIVLEN_ENGINE_FILE "' --model '" +
            (kRoot / "models/quick.safetensors").string() + "' --kept --json > '" +
            (scratch / "report.json").string() + "'");
    EXPECT_EQ(code, 0);
    return scratch;
}

// Floors a little below what docs/model.md reports, so that a fall in quality of 1 dB fails.
TEST(Demo, EveryStemIsBetterThanTheMix) {
    const Scratch& scratch = split_demo();
    const auto mix = joined(kRoot / "demo/tide-mill.mov");
    const std::array<double, kStems> least_gain_db = {5.0, 3.8, 4.2, 9.3};
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::string name = kStemNames[s];
        const auto truth = joined(kRoot / "demo/parts" / (name + ".flac"));
        const auto stem = joined(scratch / ("out/tide-mill " + name + ".wav"));
        ASSERT_EQ(stem.size(), truth.size());
        const double gain = si_sdr_db(stem, truth) - si_sdr_db(mix, truth);
        std::printf("%-9s SI-SDR %6.2f dB, gain over the mix %5.2f dB\n", name.c_str(),
                    si_sdr_db(stem, truth), gain);
        EXPECT_GE(gain, least_gain_db[s]) << name;
    }
}

TEST(Demo, ReportAndSum) {
    const auto report = nlohmann::json::parse(*read_text_file(split_demo() / "report.json"));
    EXPECT_LT(report["sum_difference_dbfs"].get<double>(), -110.0);
    EXPECT_EQ(report["files"].size(), 5U);
    EXPECT_EQ(report["frames"].get<int>(), 44 * 48000);
    EXPECT_GT(report["split_times_real_time"].get<double>(), 1.0);  // speed proper is bench/'s affair
}

TEST(Demo, ExitCodesTellWhatWentWrong) {
    const Scratch& scratch = split_demo();
    const std::string out =
        " -o '" + (scratch / "other").string() + "' --work '" + (scratch / "work").string() + "' 2>/dev/null";
    EXPECT_EQ(run("split /nowhere/x.wav" + out), 4);
    EXPECT_EQ(run("split '" + (kRoot / "README.md").string() + "'" + out), 3);
    EXPECT_EQ(run("split --format nonsense x.wav" + out), 2);
    EXPECT_EQ(run("info '" + (kRoot / "demo/tide-mill.mov").string() + "' > /dev/null"), 0);
    EXPECT_EQ(run("--help > /dev/null"), 0);
}

// assess and propose on the demo; a proposed preset then gives what was proposed.
TEST(Demo, AssessAndPropose) {
    const Scratch& scratch = split_demo();
    const auto file = [&](const char* name) { return "'" + (scratch / name).string() + "'"; };
    const std::string demo = "'" + (kRoot / "demo/tide-mill.mov").string() + "' --work " + file("work") +
                             " --engine '" RIVLEN_ENGINE_FILE "' --model '" +
                             (kRoot / "models/quick.safetensors").string() + "' --from 5 --to 12 ";
    ASSERT_EQ(run("assess " + demo + "--points 11 --json --curve " + file("c.csv") + " --curve " +
                  file("c.json") + " --curve " + file("c.svg") + " > " + file("assess.json")),
              0);
    const auto assessed = nlohmann::json::parse(*read_text_file(scratch / "assess.json"));
    ASSERT_EQ(assessed["curve"].size(), 11U);
    EXPECT_EQ(nlohmann::json::parse(*read_text_file(scratch / "c.json"))["curve"], assessed["curve"]);
    EXPECT_DOUBLE_EQ(assessed["now"]["leak_db"], assessed["curve"][10]["leak_db"]);
    for (std::size_t i = 1; i < 11; ++i) {
        EXPECT_LT(assessed["curve"][i]["leak_db"], assessed["curve"][i - 1]["leak_db"].get<double>() + 0.01);
        EXPECT_GT(assessed["curve"][i]["damage"], assessed["curve"][i - 1]["damage"].get<double>() - 0.5);
    }
    const std::string csv = *read_text_file(scratch / "c.csv");
    EXPECT_EQ(std::ranges::count(csv, '\n'), 12);

    ASSERT_EQ(run("propose " + demo + "--purpose natural --json --save " + file("p.rivlen-preset") + " > " +
                  file("propose.json")),
              0);
    const auto proposed = nlohmann::json::parse(*read_text_file(scratch / "propose.json")).at(0);
    ASSERT_EQ(
        run("assess " + demo + "--json --preset " + file("p.rivlen-preset") + " > " + file("again.json")), 0);
    const auto again = nlohmann::json::parse(*read_text_file(scratch / "again.json"));
    EXPECT_EQ(again["now"]["isolation_percent"], proposed["isolation_percent"]);
    EXPECT_NEAR(again["now"]["leak_db"].get<double>(), proposed["leak_db"].get<double>(), 0.01);
    // An option goes before the preset.
    ASSERT_EQ(run("assess " + demo + "--json --dialogue-isolation 0 --preset " + file("p.rivlen-preset") +
                  " > " + file("again.json")),
              0);
    EXPECT_LT(nlohmann::json::parse(*read_text_file(scratch / "again.json"))["now"]["damage"].get<double>(),
              1e-3);

    EXPECT_EQ(run("assess " + demo + "--curve " + file("c.csv") + " 2> /dev/null"), 5);  // is there already
    EXPECT_EQ(run("assess " + demo + "--curve " + file("c.txt") + " 2> /dev/null"), 3);
    EXPECT_EQ(run("assess " + demo + "--from 4000 2> /dev/null"), 2);  // an option given twice
    EXPECT_EQ(run("assess " + demo + "--preset '" + (kRoot / "README.md").string() + "' 2> /dev/null"), 3);
}

// The same input gives the same map, bit for bit, whatever the number of workers; silence gives finite masks.
TEST(Engine, DeterministicAndCalmOnSilence) {
    const Scratch scratch;
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "models/quick.safetensors");
    ASSERT_TRUE(separator.ok()) << separator.error().message;
    const auto source = test::noise_source(scratch, 48000, 2, 12.0);
    ASSERT_TRUE(split(source, **separator, scratch / "one", {1, 256, 64}, {}).ok());
    ASSERT_TRUE(split(source, **separator, scratch / "two", {2, 256, 64}, {}).ok());
    EXPECT_EQ(*read_text_file(scratch / "one"), *read_text_file(scratch / "two"));
    for (const float value : {0.0F, 1.0F, 1e-39F}) {  // silence, DC at full scale, denormals
        const auto path = scratch / ("flat" + std::to_string(value) + std::to_string(value > 0) + ".wav");
        test::write_wav(path, {std::vector<float>(48000, value)}, 48000);
        auto flat = Source::bring_in(path, scratch / "work");
        ASSERT_TRUE(flat.ok());
        EXPECT_TRUE(split(*flat, **separator, scratch / "flat.map", {}, {}).ok());
    }
}

TEST(Engine, AWrongModelFileIsASentence) {
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "README.md");
    ASSERT_FALSE(separator.ok());
    EXPECT_EQ(separator.error().kind, ErrorKind::BadInput);
}

}  // namespace
}  // namespace rivlen
