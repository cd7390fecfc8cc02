// SPDX-License-Identifier: GPL-3.0-or-later
// rivlen-cli as a program: help, exit codes, JSON, man page and completion. What needs the engine is in
// demo_test.cpp.
#include <gtest/gtest.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdio>
#include <limits>
#include <memory>
#include <nlohmann/json.hpp>
#include <regex>
#include <set>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "core/project/session.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using test::Scratch;

const fs::path kRoot = RIVLEN_ROOT;
constexpr std::array<const char*, 12> kCommands = {"corrections", "info",    "teach",    "look",
                                                   "split",       "assess",  "propose",  "mix",
                                                   "process",     "putback", "handover", "batch"};

struct Ran {
    int code = -1;
    std::string out;  // both streams
};

// environment: "NAME=value " before the program.
Ran run(const std::string& arguments, const std::string& environment = {}) {
    Ran ran;
    std::FILE* pipe =
        popen((environment + "'" RIVLEN_CLI_FILE "' " + arguments + " 2>&1").c_str(), "r");  // NOLINT
    if (pipe == nullptr) return ran;
    std::array<char, 4096> part{};
    for (std::size_t count = 0; (count = std::fread(part.data(), 1, part.size(), pipe)) > 0;)
        ran.out.append(part.data(), count);
    const int status = pclose(pipe);
    ran.code = WIFEXITED(status) ? WEXITSTATUS(status) : -1;
    return ran;
}

using test::quoted;

// Several sounds go under one picture; an option takes one value, so that the picture may stand behind it.
TEST(CommandLine, PutsSeveralSoundsUnderAPicture) {
    const Scratch scratch;
    for (const char* name : {"one", "two"})
        test::write_wav(scratch / (std::string(name) + ".wav"), {test::noise(48000, name[0])}, 48000);
    const Ran ran =
        run("putback --title First --title Second --language eng --language fra --audio " +
            quoted(scratch / "one.wav") + " --audio " + quoted(scratch / "two.wav") + " " +
            quoted(kRoot / "demo/tide-mill.mov") + " -o " + quoted(scratch / "out.mkv") + " --json");
    ASSERT_EQ(ran.code, 0) << ran.out;
    const auto info = probe(scratch / "out.mkv");
    ASSERT_TRUE(info.ok());
    ASSERT_EQ(info->audio.size(), 2U);
    EXPECT_EQ(info->audio[0].title, "First");
    EXPECT_EQ(info->audio[1].title, "Second");
    EXPECT_EQ(info->audio[0].language, "eng");
    EXPECT_EQ(info->audio[1].language, "fra");
    for (std::size_t i = 0; i < 2; ++i) {
        const auto sound = read_audio(scratch / "out.mkv", 0, info->audio[i].index);
        ASSERT_TRUE(sound.ok());
        EXPECT_NEAR((*sound)[0][1000], test::noise(48000, i == 0 ? 'o' : 't')[1000], 1e-6F);
    }
}

// Corrections of a session are printed as a file that can be given to a split; a recording is chosen by its
// name.
TEST(CommandLine, PrintsTheCorrectionsOfASession) {
    const Scratch scratch;
    Session session;
    for (const char* name : {"yard.wav", "loft.wav"}) {
        SessionItem item;
        item.path = scratch / name;
        Correction c;
        c.name = std::string("in the ") + name;
        c.region.points = {{1, 100}, {2, 400}};
        item.corrections = {c};
        normalise(item.corrections);
        session.items.push_back(item);
    }
    session.current = 1;
    ASSERT_TRUE(save_session(session, scratch / "s.rivlen").ok());
    const Ran current = run("corrections " + quoted(scratch / "s.rivlen"));
    EXPECT_EQ(current.code, 0) << current.out;
    EXPECT_NE(current.out.find("in the loft.wav"), std::string::npos);
    EXPECT_EQ(current.out.find("in the yard.wav"), std::string::npos);
    const std::string out = " -o " + quoted(scratch / "yard.rivlen-corrections");
    EXPECT_EQ(run("corrections " + quoted(scratch / "s.rivlen") + " --recording yard.wav" + out).code, 0);
    const auto written = load_corrections(scratch / "yard.rivlen-corrections");
    ASSERT_TRUE(written.ok());
    EXPECT_TRUE(*written == session.items[0].corrections);
    // Nothing is replaced unasked, the session never; what is not there is said.
    EXPECT_EQ(run("corrections " + quoted(scratch / "s.rivlen") + out).code, 5);
    EXPECT_EQ(run("corrections " + quoted(scratch / "s.rivlen") + out + " --overwrite").code, 0);
    EXPECT_NE(
        run("corrections " + quoted(scratch / "s.rivlen") + " --overwrite -o " + quoted(scratch / "s.rivlen"))
            .code,
        0);
    EXPECT_TRUE(load_session(scratch / "s.rivlen").ok());
    const Ran none = run("corrections " + quoted(scratch / "s.rivlen") + " --recording mill.wav");
    EXPECT_EQ(none.code, 4);
    EXPECT_NE(none.out.find("mill.wav"), std::string::npos);
    EXPECT_EQ(run("corrections " + quoted(scratch / "none.rivlen")).code, 4);
}

// --parts opens the music: its parts add up to it; a part can be set, measured and written alone.
TEST(CommandLine, OpensTheMusicIntoItsParts) {
    const Scratch scratch;
    test::write_wav(scratch / "song.wav", {test::noise(3 * 48000, 4)}, 48000);
    for (const char* model : {"model", "parts.safetensors"})
        ASSERT_TRUE(write_text_file(scratch / model, "of the engine for tests").ok());
    const std::string song = quoted(scratch / "song.wav") +
                             " --engine '" RIVLEN_BAND_ENGINE_FILE "' --model " + quoted(scratch / "model") +
                             " --work " + quoted(scratch / "work");
    const std::string parts_model = "RIVLEN_PARTS_MODEL=" + quoted(scratch / "parts.safetensors") + " ";
    const auto sound = [&](const char* folder, const char* content) {
        return test::read_wav(scratch / folder / (std::string("song ") + content + ".wav"))[0];
    };
    const Ran all = run("split " + song + " --parts -o " + quoted(scratch / "all"), parts_model);
    ASSERT_EQ(all.code, 0) << all.out;
    auto left = sound("all", "music");
    for (const char* part : {"voices", "drums", "bass", "rest"}) {
        const auto x = sound("all", part);
        EXPECT_GT(energy_of(std::span(x)), 0.0) << part;
        for (std::size_t i = 0; i < left.size(); ++i) left[i] -= x[i];
    }
    for (const float x : left) ASSERT_NEAR(x, 0.0F, 1e-5F);
    // A setting of a part opens it, too: the music without its voices.
    const Ran muted =
        run("split " + song + " --voices-mute --stem music -o " + quoted(scratch / "muted"), parts_model);
    ASSERT_EQ(muted.code, 0) << muted.out;
    const auto music = sound("all", "music"), without = sound("muted", "music"),
               voices = sound("all", "voices");
    for (std::size_t i = 0; i < music.size(); ++i) ASSERT_NEAR(music[i] - without[i], voices[i], 1e-5F);
    EXPECT_FALSE(fs::exists(scratch / "muted" / "song voices.wav"));
    const Ran drums = run("assess " + song + " --stem drums --json", parts_model);
    ASSERT_EQ(drums.code, 0) << drums.out;
    EXPECT_NE(drums.out.find("\"stem\": \"drums\""), std::string::npos) << drums.out;
}

// A split with corrections that cut: the stems and what is cut add up to the recording.
TEST(CommandLine, SplitsWithCorrections) {
    const Scratch scratch;
    const auto sound = test::noise(4 * 48000, 12);
    test::write_wav(scratch / "yard.wav", {sound}, 48000);
    std::vector<Correction> list(2);
    list[0].region.points = {{1, 200}, {2, 5000}};
    list[0].to = Stem::Music;
    list[1].act = CorrectionAct::TakeDown;
    list[1].take_down_db = kMostTakeDownDb;
    list[1].region.points = {{3, 20}, {3.5, 24000}};
    ASSERT_TRUE(save_corrections(list, scratch / "c").ok());
    ASSERT_TRUE(write_text_file(scratch / "model", "of the engine for tests").ok());
    const std::string split = "split " + quoted(scratch / "yard.wav") +
                              " --engine '" RIVLEN_BAND_ENGINE_FILE "' --model " + quoted(scratch / "model") +
                              " --work " + quoted(scratch / "work");
    const Ran ran =
        run(split + " --corrections " + quoted(scratch / "c") + " -o " + quoted(scratch / "out") + " --json");
    ASSERT_EQ(ran.code, 0) << ran.out;
    std::vector<float> sum(sound.size());
    for (const char* content : {"dialogue", "reverb", "music", "ambience", "cut"}) {
        const auto part = test::read_wav(scratch / "out" / (std::string("yard ") + content + ".wav"))[0];
        ASSERT_EQ(part.size(), sum.size()) << content;
        for (std::size_t i = 0; i < sum.size(); ++i) sum[i] += part[i];
        if (std::string_view(content) != "cut") continue;
        double inside = 0, outside = 0;
        for (std::size_t i = 0; i < part.size(); ++i)
            (i > 148'800 && i < 163'200 ? inside : outside) +=
                static_cast<double>(part[i]) * static_cast<double>(part[i]);
        EXPECT_GT(inside, outside);  // 300 of the 500 ms that are cut
    }
    float worst = 0;
    for (std::size_t i = 0; i < sum.size(); ++i) worst = std::max(worst, std::abs(sum[i] - sound[i]));
    EXPECT_LT(worst, 1e-5F);
    // Without any that cut there is no such file, unless it is asked for.
    EXPECT_EQ(run(split + " -o " + quoted(scratch / "plain")).code, 0);
    EXPECT_FALSE(fs::exists(scratch / "plain/yard cut.wav"));
    EXPECT_EQ(run(split + " --cut -o " + quoted(scratch / "asked")).code, 0);
    // A preset brings corrections along.
    Card preset;
    preset.name = "put right";
    preset.corrections = *load_corrections(scratch / "c");
    ASSERT_TRUE(save_preset(preset, scratch / "p.rivlen-preset").ok());
    ASSERT_EQ(run(split + " --preset " + quoted(scratch / "p.rivlen-preset") + " -o " +
                  quoted(scratch / "by preset"))
                  .code,
              0);
    EXPECT_EQ(test::read_wav(scratch / "by preset/yard dialogue.wav"),
              test::read_wav(scratch / "out/yard dialogue.wav"));
    EXPECT_TRUE(fs::exists(scratch / "asked/yard cut.wav"));
    const Ran bad =
        run(split + " --corrections " + quoted(scratch / "model") + " -o " + quoted(scratch / "bad"));
    EXPECT_EQ(bad.code, 3);
    EXPECT_FALSE(fs::exists(scratch / "bad/yard dialogue.wav"));
}

// The first look tells a hum by its figure, and its chain is what process takes.
// The engine for tests gives everything to what was taught.
TEST(CommandLine, TeachesAModelAndSplitsWithIt) {
    const test::Scratch scratch;
    test::write_wav(scratch / "yard.wav", {test::noise(6 * 48000, 3), test::noise(6 * 48000, 4)}, 48000);
    ASSERT_TRUE(write_text_file(scratch / "model", "of the engine for tests").ok());
    test::make_other_sound(scratch / "other");
    const std::string common = " " + quoted(scratch / "yard.wav") + " --work " + quoted(scratch / "work") +
                               " --engine '" RIVLEN_BAND_ENGINE_FILE "'";
    const std::string teach = "teach" + common + " --model " + quoted(scratch / "model") + " --other-sound " +
                              quoted(scratch / "other");
    const std::string out = " -o " + quoted(scratch / "taught.safetensors");
    const Ran done = run(teach + out + " --ambience 0-2 --ambience 3.5-5 --json");
    ASSERT_EQ(done.code, 0) << done.out;
    const auto report = nlohmann::json::parse(done.out);
    EXPECT_EQ(report["taken_share"], 1.0);
    EXPECT_EQ(report["trials"].size(), 2U);
    EXPECT_EQ(report["trials"][1]["stems_gain_db"]["ambience"], 3.0);
    EXPECT_EQ(run(teach + out + " --ambience 0-4").code, 5) << "it is there already";
    EXPECT_EQ(run(teach + out + " --ambience 0-4 --overwrite").code, 0);
    EXPECT_EQ(run(teach + " --ambience 0-4 --overwrite -o " + quoted(scratch / "yard.wav")).code, 3);
    const std::string split = "split" + common + " --model " + quoted(scratch / "taught.safetensors");
    ASSERT_EQ(run(split + " --stem ambience -o " + quoted(scratch / "stems")).code, 0);
    const auto ambience = test::read_wav(scratch / "stems/yard ambience.wav");
    const auto source = test::read_wav(scratch / "yard.wav");
    ASSERT_EQ(ambience[0].size(), source[0].size());
    for (std::size_t i = 1000; i < 2000; ++i) EXPECT_NEAR(ambience[0][i], source[0][i], 1e-3) << i;
    // A part of the music is taught to the model of parts, and opens the music from then on.
    ASSERT_TRUE(write_text_file(scratch / "parts", "of the engine for tests, too").ok());
    const std::string parts = " --parts-model " + quoted(scratch / "parts taught.safetensors");
    const Ran of_parts = run(teach + " --parts-model " + quoted(scratch / "parts") + " -o " +
                             quoted(scratch / "parts taught.safetensors") + " --drums 0-4 --json");
    ASSERT_EQ(of_parts.code, 0) << of_parts.out;
    EXPECT_EQ(nlohmann::json::parse(of_parts.out)["trials"][1]["parts_gain_db"]["drums"], 3.0);
    ASSERT_EQ(run("split" + common + " --model " + quoted(scratch / "model") + parts +
                  " --stem drums --stem music -o " + quoted(scratch / "opened"))
                  .code,
              0);
    const auto drums = test::read_wav(scratch / "opened/yard drums.wav");
    const auto music = test::read_wav(scratch / "opened/yard music.wav");
    ASSERT_EQ(drums[0].size(), music[0].size());
    for (std::size_t i = 1000; i < 2000; ++i) EXPECT_NEAR(drums[0][i], music[0][i], 1e-3) << i;
    // Everything is ambience now, and that is what is proposed to teach.
    const Ran proposed =
        run("teach" + common + " --propose --model " + quoted(scratch / "taught.safetensors"));
    EXPECT_EQ(proposed.code, 0) << proposed.out;
    EXPECT_TRUE(proposed.out.starts_with("--ambience 0.00-")) << proposed.out;
}

TEST(CommandLine, WhatCannotBeTaughtIsASentence) {
    const test::Scratch scratch;
    test::write_wav(scratch / "yard.wav", {test::noise(6 * 48000, 3)}, 48000);
    ASSERT_TRUE(write_text_file(scratch / "model", "of the engine for tests").ok());
    test::make_other_sound(scratch / "other");
    const std::string teach = "teach " + quoted(scratch / "yard.wav") + " --work " +
                              quoted(scratch / "work") + " --engine '" RIVLEN_BAND_ENGINE_FILE "' --model " +
                              quoted(scratch / "model") + " --other-sound " + quoted(scratch / "other");
    const std::string out = " -o " + quoted(scratch / "taught.safetensors");
    struct Case {
        std::string options, words;
        int code;
    };
    for (const Case& c :
         {Case{" --music 0-4", "Say with -o", 3}, Case{out, "nothing to teach", 3},
          Case{out + " --music 4-1", "no stretch of time", 3},
          Case{out + " --music x-y", "no stretch of time", 3},
          Case{out + " --music 3", "no stretch of time", 3}, Case{out + " --music 1-2", "1.0 s together", 3},
          Case{out + " --voice 4-9", "outside the recording", 3},
          Case{out + " --music 0-4 --steps 1", "No model was written", 3}}) {
        const Ran ran = run(teach + c.options);
        EXPECT_EQ(ran.code, c.code) << c.options;
        EXPECT_NE(ran.out.find(c.words), std::string::npos) << c.options << ": " << ran.out;
    }
    EXPECT_FALSE(std::filesystem::exists(scratch / "taught.safetensors"));
}

TEST(CommandLine, LooksAndProposesAChain) {
    const Scratch scratch;
    auto x = test::noise(6 * 48000, 5);
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double t = static_cast<double>(i) / 48000;
        x[i] *= std::fmod(t, 2) < 1.2 ? 0.5F : 0.0F;
        for (int k = 1; k <= 4; ++k)
            x[i] += static_cast<float>(0.01 / k * std::sin(2 * 3.14159265358979 * 50 * k * t));
    }
    test::write_wav(scratch / "hum.wav", {x}, 48000);
    const std::string work = " --work " + quoted(scratch / "work");
    const Ran look = run("look --json " + quoted(scratch / "hum.wav") + work);
    ASSERT_EQ(look.code, 0) << look.out;
    const auto found = nlohmann::json::parse(look.out);
    const auto hum =
        std::ranges::find_if(found["findings"], [](const auto& f) { return f["fault"] == "hum"; });
    ASSERT_TRUE(hum != found["findings"].end());
    EXPECT_TRUE((*hum)["found"].template get<bool>()) << *hum;
    EXPECT_EQ((*hum)["part"], "hum");
    const fs::path chain = scratch / "c.rivlen-chain";
    EXPECT_EQ(run("look " + quoted(scratch / "hum.wav") + work + " -o " + quoted(chain)).code, 0);
    EXPECT_EQ(run("look " + quoted(scratch / "hum.wav") + work + " -o " + quoted(chain)).code,
              5);  // there already
    const Ran normalised = run("process " + quoted(scratch / "hum.wav") + work + " --chain " + quoted(chain) +
                               " -o " + quoted(scratch / "out.wav"));
    EXPECT_EQ(normalised.code, 0) << normalised.out;
    EXPECT_EQ(run("look " + quoted(scratch / "none.wav")).code, 4);
}

TEST(CommandLine, EveryCommandExplainsItself) {
    const Ran all = run("--help");
    EXPECT_EQ(all.code, 0);
    for (const char* command : kCommands) {
        EXPECT_NE(all.out.find(command), std::string::npos) << command;
        const Ran help = run(std::string(command) + " --help");
        EXPECT_EQ(help.code, 0) << command;
        EXPECT_GT(help.out.size(), 150U) << command;
    }
    EXPECT_EQ(run("--version").code, 0);
    EXPECT_EQ(run("").code, 2);
    EXPECT_EQ(run("polish x.wav").code, 2);
    EXPECT_EQ(run("split").code, 2);  // what is asked for is missing
}

TEST(CommandLine, InfoTellsWhatIsThere) {
    const Ran ran = run("info --json " + quoted(kRoot / "demo/tide-mill.mov"));
    ASSERT_EQ(ran.code, 0) << ran.out;
    const auto info = nlohmann::json::parse(ran.out);
    EXPECT_EQ(info["audio"][0]["sample_rate_hz"], 48000);
    EXPECT_EQ(info["picture"]["frame_rate"], "25/1");
    EXPECT_EQ(info["picture"]["timecode"], "01:00:00:00");
    EXPECT_NEAR(info["duration_seconds"].get<double>(), 44.0, 0.1);
    const Ran words = run("info " + quoted(kRoot / "demo/tide-mill.mov"));
    EXPECT_NE(words.out.find("01:00:00:00"), std::string::npos);
}

// One sentence that names the file, on the error stream, and the exit code of its kind.
TEST(CommandLine, TroubleIsOneSentence) {
    const Scratch scratch;
    EXPECT_TRUE(write_text_file(scratch / "empty.wav", "").ok());
    test::write_wav(scratch / "tone.wav", {test::noise(4800, 1)}, 48000);
    struct Case {
        std::string arguments;
        int code;
        const char* word;
    };
    const std::vector<Case> cases = {
        {"info /nowhere/at/all.wav", 4, "all.wav"},
        {"info " + quoted(scratch / "empty.wav"), 3, "empty.wav"},
        {"info " + quoted(kRoot / "README.md"), 3, "README.md"},
        {"putback " + quoted(scratch / "tone.wav") + " --audio " + quoted(scratch / "tone.wav") + " -o " +
             quoted(scratch / "x.mov"),
         3, "picture"},
        {"putback " + quoted(kRoot / "demo/tide-mill.mov") + " --audio /nowhere.wav -o " +
             quoted(scratch / "x.mov"),
         4, "nowhere.wav"},
        {"putback " + quoted(kRoot / "demo/tide-mill.mov") + " --audio " + quoted(scratch / "tone.wav") +
             " -o " + quoted(scratch / "x.txt"),
         3, "x.txt"},
    };
    for (const auto& c : cases) {
        const Ran ran = run(c.arguments);
        EXPECT_EQ(ran.code, c.code) << c.arguments << "\n" << ran.out;
        EXPECT_NE(ran.out.find(c.word), std::string::npos) << ran.out;
        EXPECT_EQ(std::ranges::count(ran.out, '\n'), 1) << ran.out;
    }
    EXPECT_FALSE(fs::exists(scratch / "x.mov"));
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(CommandLine, PutBackIsExactAndSaysSo) {
    const Scratch scratch;
    const auto sound = test::noise(44 * 48000, 3);
    test::write_wav(scratch / "new.wav", {sound, sound}, 48000);
    const std::string arguments = "putback " + quoted(kRoot / "demo/tide-mill.mov") + " --audio " +
                                  quoted(scratch / "new.wav") + " -o " + quoted(scratch / "back.mov") +
                                  " --json";
    const Ran ran = run(arguments);
    ASSERT_EQ(ran.code, 0) << ran.out;
    const auto report = nlohmann::json::parse(ran.out.substr(ran.out.find('{')));
    EXPECT_EQ(report["picture_identical"], true);
    EXPECT_EQ(report["offset_samples"], 0);
    const auto back = test::read_wav(scratch / "back.mov");
    ASSERT_EQ(back.size(), 2U);
    for (std::size_t i = 0; i < sound.size(); i += 997) EXPECT_NEAR(back[0][i], sound[i], 2e-7F);  // 24 bits
    EXPECT_EQ(run(arguments).code, 5) << "it is there already";
}

// The completion asks the program for its options; here that it offers what is there.
TEST(CommandLine, CompletionOffersCommandsOptionsAndValues) {
    const Scratch scratch;
    const auto complete = [&](const std::string& words, int at) {
        const std::string script = "COMP_WORDS=(" + words + "); COMP_CWORD=" + std::to_string(at) +
                                   "; compopt() { :; }; . " + quoted(kRoot / "cli/completion.bash") +
                                   "; _rivlen_cli; printf '%s\\n' \"${COMPREPLY[@]}\"";
        EXPECT_TRUE(write_text_file(scratch / "try.sh", script).ok());
        std::FILE* pipe = popen(("bash " + quoted(scratch / "try.sh")).c_str(), "r");  // NOLINT
        std::set<std::string> offered;
        std::array<char, 512> line{};
        while (std::fgets(line.data(), static_cast<int>(line.size()), pipe) != nullptr) {
            std::string text = line.data();
            text.pop_back();
            offered.insert(text);
        }
        pclose(pipe);
        return offered;
    };
    const std::string program = "'" RIVLEN_CLI_FILE "'";
    const auto commands = complete(program + " ''", 1);
    for (const char* command : kCommands) EXPECT_TRUE(commands.contains(command)) << command;
    EXPECT_EQ(complete(program + " split --format fl", 3), (std::set<std::string>{"flac"}));
    const auto options = complete(program + " split --dial", 2);
    EXPECT_TRUE(options.contains("--dialogue-isolation"));
    EXPECT_TRUE(options.contains("--dialogue-guard"));
}

// Every option that is not a stem's own is in the man page.
TEST(CommandLine, TheManPageKnowsTheOptions) {
    const std::string page = *read_text_file(kRoot / "docs/rivlen-cli.1");
    const std::regex option(R"(--[a-z][a-z-]*)");
    for (const char* command : kCommands) {
        const std::string help = run(std::string(command) + " --help").out;
        EXPECT_NE(page.find(std::string(".B rivlen-cli ") + command), std::string::npos) << command;
        for (std::sregex_iterator at(help.begin(), help.end(), option), end; at != end; ++at) {
            const std::string name = at->str();
            const bool of_a_stem = std::regex_search(
                name, std::regex("^--(dialogue|reverb|music|ambience|voices|drums|bass|rest)"));
            if (name == "--help" || of_a_stem) continue;
            std::string escaped = std::regex_replace(name.substr(2), std::regex("-"), "\\-");
            EXPECT_TRUE(page.find(name) != std::string::npos || page.find(escaped) != std::string::npos)
                << command << ' ' << name;
        }
    }
}

// No writer replaces what it was given, whatever it is called and whether replacing is allowed.
TEST(CommandLine, OriginalsAreNeverWrittenTo) {
    const Scratch scratch;
    const auto recording = scratch / "r.wav";
    test::write_wav(recording, {test::noise(48000, 1)}, 48000);
    fs::create_hard_link(recording, scratch / "hard.wav");
    fs::create_symlink(recording, scratch / "soft.wav");
    ASSERT_TRUE(
        write_text_file(scratch / "chain.rivlen-chain", R"({"rivlen_chain": 1, "parts": [{"kind": "gain"}]})")
            .ok());
    ASSERT_TRUE(write_text_file(
                    scratch / "s.rivlen",
                    R"({"rivlen_session": 3, "items": [{"path": "r.wav"}], "rebuild": {"sample_rate": 48000,
        "buses": [{"id": 1}], "tracks": [{"id": 2, "bus": 1, "clips": [{"id": 3, "path": "r.wav", "feed": "whole",
        "start": 0, "offset": 0, "length": 48000}]}]}})")
                    .ok());
    const std::string before = *read_text_file(recording);
    const std::string session = *read_text_file(scratch / "s.rivlen");
    const std::string work = " --overwrite --work " + quoted(scratch / "work");
    for (const char* name : {"r.wav", "hard.wav", "soft.wav"}) {
        const std::string out = " " + quoted(scratch / name);
        for (const std::string& command : {"look " + quoted(recording) + " -o" + out + work,
                                           "process " + quoted(recording) + " -o" + out + work,
                                           "process " + quoted(recording) + " --chain " +
                                               quoted(scratch / "chain.rivlen-chain") + " -o" + out + work,
                                           "mix " + quoted(scratch / "s.rivlen") + " -o" + out + work}) {
            const Ran ran = run(command);
            EXPECT_EQ(ran.code, 3) << command << "\n" << ran.out;
        }
    }
    EXPECT_EQ(run("mix " + quoted(scratch / "s.rivlen") + " -o " + quoted(scratch / "s.rivlen") + work).code,
              3);
    EXPECT_EQ(run("process " + quoted(recording) + " --chain " + quoted(scratch / "chain.rivlen-chain") +
                  " -o " + quoted(scratch / "chain.rivlen-chain") + work)
                  .code,
              3);
    EXPECT_EQ(*read_text_file(recording), before);
    EXPECT_EQ(*read_text_file(scratch / "s.rivlen"), session);
    EXPECT_EQ(run("mix " + quoted(scratch / "s.rivlen") + " -o " + quoted(scratch / "mix.wav") + work).code,
              0);
}

// What was worked around is told by every command that reads a recording.
TEST(CommandLine, SaysWhatIsWrongWithARecording) {
    const Scratch scratch;
    auto x = test::noise(48000, 1);
    x[7] = std::numeric_limits<float>::quiet_NaN();
    test::write_wav(scratch / "r.wav", {x}, 48000);
    const std::string work = " --work " + quoted(scratch / "work");
    for (const std::string& command :
         {"process " + quoted(scratch / "r.wav") + " -o " + quoted(scratch / "p.wav") + work,
          "look " + quoted(scratch / "r.wav") + work}) {
        const Ran ran = run(command);
        EXPECT_EQ(ran.code, 0);
        EXPECT_NE(ran.out.find("1 samples are not numbers"), std::string::npos) << command << ran.out;
    }
}

// A session may say anything: what it describes is mixed, or refused with a sentence.
TEST(CommandLine, OddSessionsEndWithASentence) {
    const Scratch scratch;
    test::write_wav(scratch / "r.wav", {test::noise(4800, 1)}, 48000);
    const auto mixed = [&](const std::string& clip, const std::string& strip) {
        EXPECT_TRUE(
            write_text_file(scratch / "s.rivlen",
                            R"({"rivlen_session": 3, "rebuild": {"sample_rate": 48000, "buses": [{"id": 1}],
            "tracks": [{"id": 2, "bus": 1, "strip": )" +
                                strip + R"(, "clips": [)" + clip + "]}]}}")
                .ok());
        return run("mix " + quoted(scratch / "s.rivlen") + " -o " + quoted(scratch / "mix.wav") +
                   " --overwrite --work " + quoted(scratch / "work"));
    };
    const std::string good =
        R"({"id": 3, "path": "r.wav", "feed": "whole", "start": 0, "offset": 0, "length": 4800})";
    EXPECT_EQ(mixed(good, "{}").code, 0);
    // Two parts that share an id, with a line on a parameter that only one of them has.
    const Ran shared = mixed(good, R"({"chain": [{"kind": "gain", "id": 7}, {"kind": "equaliser", "id": 7}],
        "lines": [{"target": "part", "part": 7, "parameter": 9, "points": [[0, 1e300], [9, -1e300]]}]})");
    EXPECT_EQ(shared.code, 0) << shared.out;
    const auto heard = test::read_wav(scratch / "mix.wav");
    for (const float v : heard.at(0)) ASSERT_TRUE(std::isfinite(v));
    // A clip that would sound for months.
    const Ran endless = mixed(
        R"({"id": 3, "path": "r.wav", "feed": "whole", "start": 0, "offset": 0, "length": 1099511627776})",
        "{}");
    EXPECT_TRUE(endless.code == 0 || endless.code == 3) << endless.out;
    if (endless.code == 0) {
        EXPECT_LT(fs::file_size(scratch / "mix.wav"), std::uintmax_t{1} << 30);
    }
}

}  // namespace
}  // namespace rivlen
