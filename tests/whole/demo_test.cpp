// SPDX-License-Identifier: GPL-3.0-or-later
// The real engine and model on the demo, whose parts are known and were never learned from.
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include <chrono>
#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/project/delivery_table.h"
#include "core/separation/shaper.h"
#include "core/separation/split.h"
#include "learn/metrics/si_sdr.h"
#include "tests/support/fixtures.h"

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
    const std::array<double, kStems> least_gain_db = {5.1, 4.2, 4.9, 10.2};
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

// Every kind of file that there is, and the lists for other tools.
HandoverTemplate every_kind() {
    HandoverTemplate table;
    const auto add = [&](Content content, Container container, const char* name = nullptr) {
        HandoverRow row;
        row.content = content;
        row.container = container;
        row.target = "r128";
        row.depth = container == Container::Flac ? Depth::Pcm24 : Depth::Float32;
        row.name = name != nullptr ? name : "{name} {content}";
        table.rows.push_back(row);
    };
    for (const Content content : {Content::Mix, Content::Dialogue, Content::Reverb, Content::Music,
                                  Content::Ambience, Content::Limiter})
        add(content, Container::Wav);
    add(Content::Stems, Container::Flac);
    for (const Container kind : {Container::Opus, Container::Mp3, Container::Aac})
        add(Content::Mix, kind, "{name} to hear");
    add(Content::Mix, Container::Picture, "{name} picture");
    table.exchange = true;
    return table;
}

// A batch that is killed again and again leaves nothing half written, and a last run completes it.
TEST(Demo, ABatchSurvivesBeingKilled) {
    const Scratch scratch;
    fs::create_directories(scratch / "in");
    for (int i = 0; i < 3; ++i)
        EXPECT_EQ(
            test::output_of("ffmpeg -v error -ss " + std::to_string(i * 5) + " -i " +
                            test::quoted(kRoot / "demo/tide-mill.mov") +
                            " -t 4 -c:v mpeg4 -vf scale=160:-2 -c:a pcm_s16le -af apad -shortest " +
                            test::quoted(scratch / ("in/take " + std::to_string(i) + ".mov")) + " 2>&1"),
            "");
    ASSERT_TRUE(save_template(every_kind(), scratch / "every.rivlen-handover").ok());
    const std::string command = "'" RIVLEN_CLI_FILE "' batch '" + (scratch / "in").string() + "' -o '" +
                                (scratch / "out").string() + "' --work '" + (scratch / "work").string() +
                                "' --engine '" RIVLEN_ENGINE_FILE "' --model '" +
                                (kRoot / "models/quick.safetensors").string() + "' --template '" +
                                (scratch / "every.rivlen-handover").string() + "' --jobs 2 >> '" +
                                (scratch / "events.jsonl").string() + "'";
    // Deliveries are whole or not there at all, at any moment.
    const auto all_whole = [&](std::size_t& count) {
        count = 0;
        std::error_code error;
        for (const auto& entry : fs::recursive_directory_iterator(scratch / "out", error)) {
            const auto name = entry.path().filename().string();
            if (entry.is_directory() || entry.path().parent_path().filename() == ".rivlen") continue;
            EXPECT_FALSE(name.starts_with('.')) << name;
            if (entry.path().extension() != ".wav") continue;
            ++count;
            EXPECT_EQ(test::read_wav(entry.path())[0].size(), 4U * 48000) << name;  // whatever it holds
        }
    };
    unsigned moment = 7;
    std::size_t count = 0;
    for (int kill = 0; kill < 20; ++kill) {
        moment = moment * 1103515245U + 12345U;
        const double seconds = 0.1 + 0.9 * static_cast<double>(moment >> 16U) / 65536.0;
        (void)std::system(("timeout -s KILL " + std::to_string(seconds) + " " + command).c_str());  // NOLINT
        all_whole(count);
    }
    fs::remove(scratch / "events.jsonl");
    EXPECT_EQ(std::system(command.c_str()), 0)  // NOLINT
        << read_text_file(scratch / "events.jsonl").value();
    all_whole(count);
    EXPECT_EQ(count, 3U * 6);
    for (int i = 0; i < 3; ++i) {
        const std::string name = "take " + std::to_string(i);
        EXPECT_TRUE(fs::exists(scratch / ("out/" + name + "/" + name + " report.html")));
        for (const char* file : {" stems.flac", " to hear.opus", " to hear.mp3", " to hear.m4a",
                                 " picture.mov", ".otio", ".dawproject", " clips.csv", " Dialogue.edl"})
            EXPECT_TRUE(fs::exists(scratch / ("out/" + name + "/" + name + file))) << name << file;
    }
    // Once more: nothing is made again, every line is JSON, and the reports are there for paper, too.
    fs::remove(scratch / "events.jsonl");
    EXPECT_EQ(std::system((command + " --pdf").c_str()), 0);  // NOLINT
    for (int i = 0; i < 3; ++i) {
        const std::string name = "take " + std::to_string(i);
        const auto pdf = read_text_file(scratch / ("out/" + name + "/" + name + " report.pdf"));
        ASSERT_TRUE(pdf.ok());
        EXPECT_TRUE(pdf->starts_with("%PDF-")) << name;
    }
    const auto lines = read_text_file(scratch / "events.jsonl");
    ASSERT_TRUE(lines.ok());
    std::size_t skipped = 0;
    for (std::size_t at = 0; at < lines->size();) {
        const std::size_t end = lines->find('\n', at);
        const auto event = nlohmann::json::parse(lines->substr(at, end - at), nullptr, false);
        ASSERT_TRUE(event.is_object()) << lines->substr(at, end - at);
        if (event["event"] == "row_skipped") ++skipped;
        at = end + 1;
    }
    EXPECT_EQ(skipped, 3U * every_kind().rows.size());
}

// Every table that comes with the program, on the demo's session: all rows are delivered and meet their
// targets.
TEST(Demo, EveryCommonTableIsDelivered) {
    const Scratch scratch;
    int number = 0;
    for (const auto& table : common_tables()) {
        const auto file = scratch / "common.rivlen-handover";
        ASSERT_TRUE(save_template(table, file).ok());
        const auto out = scratch / std::to_string(++number);
        const std::string said = test::output_of(
            "'" RIVLEN_CLI_FILE "' handover " + test::quoted(kRoot / "demo/tide-mill.rivlen") + " -o " +
            test::quoted(out) + " --work " + test::quoted(scratch / "work") +
            " --engine '" RIVLEN_ENGINE_FILE "' --model " + test::quoted(kRoot / "models/quick.safetensors") +
            " --template " + test::quoted(file) + " 2>&1");
        const auto text = read_text_file(out / "tide-mill report.json");
        ASSERT_TRUE(text.ok()) << table.name << said;
        const auto report = nlohmann::json::parse(*text);
        EXPECT_EQ(report["rows"].size(), table.rows.size());
        for (const auto& row : report["rows"]) {
            EXPECT_EQ(row["state"], "delivered") << table.name << row.dump(2);
            EXPECT_TRUE(row["on_target"]) << table.name << row.dump(2);
        }
        for (const auto& sum : report["sums"])
            EXPECT_LT(
                sum["stems_less_mix_dbfs"].is_null() ? -200.0 : sum["stems_less_mix_dbfs"].get<double>(),
                -100)
                << table.name;
    }
}

TEST(Demo, ABatchIsSharedAndWatched) {
    const Scratch scratch;
    fs::create_directories(scratch / "in");
    for (const char* name : {"a", "b", "c"})
        test::write_wav(scratch / ("in/" + std::string(name) + ".wav"),
                        {test::noise(24000, name[0]), test::noise(24000, name[0])}, 48000);
    {
        HandoverTemplate table;
        table.rows.resize(1);
        ASSERT_TRUE(save_template(table, scratch / "mix.rivlen-handover").ok());
    }
    const std::string common = " '" + (scratch / "in").string() + "' --template '" +
                               (scratch / "mix.rivlen-handover").string() + "' --work '" +
                               (scratch / "work").string() + "' --engine '" RIVLEN_ENGINE_FILE "' --model '" +
                               (kRoot / "models/quick.safetensors").string() + "' -o '";
    EXPECT_EQ(run("batch" + common + (scratch / "shared").string() + "' --shard 2/2 > /dev/null"), 0);
    EXPECT_TRUE(fs::exists(scratch / "shared/b/b mix.wav"));
    EXPECT_FALSE(fs::exists(scratch / "shared/a"));
    EXPECT_EQ(run("batch" + common + (scratch / "shared").string() + "' --shard 3/2 > /dev/null 2>&1"), 3);
    // Watching: one more comes when the first has been delivered, and is taken when it has been still.
    // A watched folder: what comes while it is watched is taken, too, and Ctrl+C ends it, also after jobs
    // that watch for Ctrl+C themselves.
    const std::string watch = "exec '" RIVLEN_CLI_FILE "' batch" + common + (scratch / "watched").string() +
                              "' --watch --settle 0.5";
    std::array<int, 2> ends{};
    ASSERT_EQ(::pipe(ends.data()), 0);
    const pid_t watching = ::fork();
    ASSERT_GE(watching, 0);
    if (watching == 0) {
        ::dup2(ends[1], STDOUT_FILENO);
        ::close(ends[0]);
        ::close(ends[1]);
        ::execl("/bin/sh", "sh", "-c", watch.c_str(), nullptr);
        ::_exit(127);
    }
    ::close(ends[1]);
    FILE* lines = ::fdopen(ends[0], "r");
    int finished = 0;
    for (std::array<char, 4096> line{}; std::fgets(line.data(), line.size(), lines) != nullptr;) {
        if (nlohmann::json::parse(line.data())["event"] != "finished") continue;
        if (++finished == 1)
            test::write_wav(scratch / "in/d.wav", {test::noise(24000, 4), test::noise(24000, 4)}, 48000);
        if (finished == 4) ::kill(watching, SIGINT);
    }
    std::fclose(lines);
    EXPECT_EQ(finished, 4);
    int ended = 0;
    ASSERT_EQ(::waitpid(watching, &ended, 0), watching);
    EXPECT_TRUE(WIFEXITED(ended) && WEXITSTATUS(ended) == 0);
    for (const char* name : {"a", "b", "c", "d"})
        EXPECT_TRUE(fs::exists(scratch / ("watched/" + std::string(name) + "/" + name + " mix.wav"))) << name;
}

TEST(Demo, ReportAndSum) {
    const auto report = nlohmann::json::parse(*read_text_file(split_demo() / "report.json"));
    EXPECT_LT(report["sum_difference_dbfs"].get<double>(), -110.0);
    EXPECT_EQ(report["files"].size(), 5U);
    EXPECT_EQ(report["frames"].get<int>(), 44 * 48000);
    EXPECT_GT(report["split_times_real_time"].get<double>(), 0.0);  // how fast is bench/'s affair
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
    ASSERT_TRUE(
        split(source, **separator, scratch / "one", {1, ChannelGrouping::Pairs, 256, 0, {}}, {}).ok());
    ASSERT_TRUE(
        split(source, **separator, scratch / "two", {2, ChannelGrouping::Pairs, 256, 0, {}}, {}).ok());
    EXPECT_EQ(*read_text_file(scratch / "one"), *read_text_file(scratch / "two"));
    for (const float value : {0.0F, 1.0F, 1e-39F}) {  // silence, DC at full scale, denormals
        const auto path = scratch / ("flat" + std::to_string(value) + std::to_string(value > 0) + ".wav");
        test::write_wav(path, {std::vector<float>(48000, value)}, 48000);
        auto flat = Source::bring_in(path, scratch / "work");
        ASSERT_TRUE(flat.ok());
        EXPECT_TRUE(split(*flat, **separator, scratch / "flat.map", {}, {}).ok());
    }
}

// Any rate and any number of channels: finite masks, and the neutral stems still add up to the source.
TEST(Engine, EveryRateAndNumberOfChannels) {
    const Scratch scratch;
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "models/quick.safetensors");
    ASSERT_TRUE(separator.ok()) << separator.error().message;
    const std::vector<std::pair<int, int>> forms = {{8000, 1},  {11025, 2}, {22050, 3}, {44100, 2},
                                                    {48000, 8}, {96000, 4}, {192000, 2}};
    for (const auto& [rate, channels] : forms) {
        const auto source = test::noise_source(scratch, rate, channels, 1.5);
        const auto path = scratch / (std::to_string(rate) + ".map");
        ASSERT_TRUE(split(source, **separator, path, {}, {}).ok()) << rate;
        const auto map = MaskMap::open(path, source.hash());
        ASSERT_TRUE(map.ok());
        EXPECT_EQ(map->facts().frames, map_frames(source));
        EXPECT_LT(measure_sum_dbfs(source, *map, 0, static_cast<std::int64_t>(source.frames())), -110.0)
            << rate << " Hz, " << channels << " channels";
    }
}

// What is cut out in chunks against what is cut out in one piece.
TEST(Engine, ChunksLeaveNoTrace) {
    const Scratch scratch;
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "models/quick.safetensors");
    ASSERT_TRUE(separator.ok());
    const auto source = Source::bring_in(kRoot / "demo/tide-mill.mov", scratch / "work");
    ASSERT_TRUE(source.ok());
    SplitOptions whole;
    whole.workers = 1;
    ASSERT_TRUE(split(*source, **separator, scratch / "whole.map", whole, {}).ok());
    SplitOptions chunks;
    chunks.longest_frames = 256;
    chunks.wanted_frame = 2000;
    ASSERT_TRUE(split(*source, **separator, scratch / "chunks.map", chunks, {}).ok());
    const std::array weights = {stem_weights(StemSettings{}, 0)};
    const auto last = static_cast<std::int64_t>(source->frames());
    std::array<std::vector<float>, 2> voices;
    for (std::size_t i = 0; i < 2; ++i) {
        const auto map = MaskMap::open(scratch / (i == 0 ? "whole.map" : "chunks.map"), source->hash());
        ASSERT_TRUE(map.ok());
        ASSERT_TRUE(render(*source, *map, weights, 0, last, {}, [&](std::int64_t, auto blocks) {
                        voices[i].insert(voices[i].end(), blocks[0][0].begin(), blocks[0][0].end());
                        return Status{};
                    }).ok());
    }
    std::vector<float> difference(voices[0].size());
    for (std::size_t i = 0; i < difference.size(); ++i) difference[i] = voices[0][i] - voices[1][i];
    std::vector<float> original(voices[0].size());
    source->read(0, 0, original);
    const double level = 10.0 * std::log10(energy_of(difference) / energy_of(original) + 1e-30);
    std::printf("difference between chunks and one piece: %.1f dB\n", level);
    EXPECT_LT(level, -60.0);
}

// The demo's voice was never learned from and reaches up to 24 kHz. Alone, it keeps its sibilants: the model
// must not have learned from band-limited readers that voices end at 8 kHz.
TEST(Engine, AFullBandVoiceKeepsItsHighs) {
    const Scratch scratch;
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "models/quick.safetensors");
    ASSERT_TRUE(separator.ok());
    const auto source = Source::bring_in(kRoot / "demo/parts/dialogue.flac", scratch / "work");
    ASSERT_TRUE(source.ok());
    ASSERT_TRUE(split(*source, **separator, scratch / "v.map", {}, {}).ok());
    const auto map = MaskMap::open(scratch / "v.map", source->hash());
    ASSERT_TRUE(map.ok());
    const std::array weights = {stem_weights(StemSettings{}, 0)};
    std::vector<float> voice;
    ASSERT_TRUE(render(*source, *map, weights, 0, static_cast<std::int64_t>(source->frames()), {},
                       [&](std::int64_t, auto blocks) {
                           voice.insert(voice.end(), blocks[0][0].begin(), blocks[0][0].end());
                           return Status{};
                       })
                    .ok());
    std::vector<float> original(voice.size());
    source->read(0, 0, original);
    const auto highs = [](const std::vector<float>& x) {
        Stft stft(kModelFft);
        const auto spectra = analyse(stft, x);
        double sum = 0.0;
        for (std::size_t i = 0; i < spectra.size(); ++i) {
            const double hz = static_cast<double>(i % kModelBins) * kModelRate / kModelFft;
            if (hz >= 8000 && hz <= 16000) sum += static_cast<double>(std::norm(spectra[i]));
        }
        return 10.0 * std::log10(sum + 1e-30);
    };
    std::printf("8-16 kHz of a voice alone: %.2f dB\n", highs(voice) - highs(original));
    EXPECT_NEAR(highs(voice) - highs(original), 0.0, 2.0);
}

// The models that come with the program are found by their names; another name is a sentence.
TEST(Engine, ModelsAreFoundByName) {
    const Scratch scratch;
    const auto info = [&](const std::string& model) {
        return run("split '" + (kRoot / "demo/tide-mill.mov").string() + "' -o '" +
                   (scratch / model).string() + "' --work '" + (scratch / "work").string() +
                   "' --engine '" RIVLEN_ENGINE_FILE "' --model " + model +
                   " --stem dialogue > /dev/null 2>&1");
    };
    EXPECT_EQ(info("fine"), 0);
    EXPECT_EQ(info("nonsense"), 4);
    // Both leave a map of their own.
    EXPECT_EQ(info("quick"), 0);
    int maps = 0;
    for (const auto& entry : fs::directory_iterator(scratch / "work"))
        maps += entry.path().extension() == ".map" ? 1 : 0;
    EXPECT_EQ(maps, 2);
    const auto truth = joined(kRoot / "demo/parts/dialogue.flac");
    const double quick = si_sdr_db(joined(scratch / "quick/tide-mill dialogue.wav"), truth);
    const double fine = si_sdr_db(joined(scratch / "fine/tide-mill dialogue.wav"), truth);
    std::printf("dialogue SI-SDR: quick %.2f dB, fine %.2f dB\n", quick, fine);
    EXPECT_GT(fine, quick);
    EXPECT_GT(fine, 6.4);  // 7.3 on 2026-11-25
}

TEST(Engine, AWrongModelFileIsASentence) {
    auto separator = load_separator(RIVLEN_ENGINE_FILE, kRoot / "README.md");
    ASSERT_FALSE(separator.ok());
    EXPECT_EQ(separator.error().kind, ErrorKind::BadInput);
}

}  // namespace
}  // namespace rivlen
