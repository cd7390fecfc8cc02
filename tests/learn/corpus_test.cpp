// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

#include "core/base/output_file.h"
#include "core/base/rng.h"
#include "learn/corpus.h"
#include "tests/support/fixtures.h"

namespace rivlen::learn {
namespace {

TEST(Rng, SameSeedSameDraws) {
    Rng a(5);
    Rng b(5);
    for (int i = 0; i < 100; ++i) EXPECT_EQ(a.bits(), b.bits());
    // First output of splitmix64 from seed 0, as published with the generator.
    EXPECT_EQ(Rng(0).bits(), 0xE220A8397B1DCDAFULL);
}

// A tone of 3 kHz: the measured bandwidth is its place, to within the root-Hann window's skirt at -60 dB.
TEST(Measure, BandwidthLevelAndDc) {
    std::vector<float> x(48000);
    for (std::size_t i = 0; i < x.size(); ++i)
        x[i] =
            0.05F + static_cast<float>(0.2 * std::sin(2 * M_PI * 3000.0 * static_cast<double>(i) / 48000.0));
    const auto m = measure(x, 48000);
    EXPECT_NEAR(m.bandwidth_hz, 3000, 1000);
    EXPECT_NEAR(m.dc, 0.05, 1e-3);
    EXPECT_NEAR(m.level_db, 10 * std::log10(0.02 + 0.0025), 0.05);
    EXPECT_EQ(m.clipped_share, 0.0);
}

// Voices that are made, not found: every text by every voice; a synthesiser that is not there is a sentence.
TEST(BuildCorpus, SynthesisesTalkers) {
    const test::Scratch scratch;
    const auto build = [&](const std::string& command) {
        const std::string list =
            R"({"packages": [{"package": "talkers", "licence": "ours", "speak": {"commands": [")" + command +
            R"("], "voices": [["low", "high"]], "texts": ["one", "three"]}}]})";
        EXPECT_TRUE(write_text_file(scratch / "packages.json", list).ok());
        BuildOptions options;
        options.folder = scratch / "corpus";
        options.package_list = scratch / "packages.json";
        options.log = [](const std::string&) {};
        return build_corpus(options);
    };
    const Status failed = build("no-such-synthesiser {voice} '{file}' '{text}'");
    ASSERT_FALSE(failed.ok());
    EXPECT_NE(failed.error().message.find("Install espeak-ng"), std::string::npos);
    // SoX stands in for a synthesiser: a tone whose pitch the voice decides, faded by what the text is.
    ASSERT_TRUE(build("sox -n -r 22050 '{file}' synth 1 sine `test {voice} = low && echo 200 || echo 400` "
                      "fade 0 1 0.`echo {text} | wc -c`")
                    .ok());
    const auto corpus = Corpus::open(scratch / "corpus");
    ASSERT_TRUE(corpus.ok());
    const auto& groups = corpus->groups("behind", Pool::Learn);
    ASSERT_EQ(groups.size(), 2U);
    EXPECT_EQ(groups.begin()->second.size() + std::next(groups.begin())->second.size(), 2U + 2U);
}

// Sounds in the open, in an archive within the package, and one after another in a file that is no archive;
// the same sound twice counts once, and a second run does nothing.
TEST(BuildCorpus, OpensWhatIsPackedAndCountsEverySoundOnce) {
    namespace fs = std::filesystem;
    const test::Scratch scratch;
    const fs::path root = scratch / "root";
    fs::create_directories(root / "DEBIAN");
    fs::create_directories(root / "usr/share/made");
    ASSERT_TRUE(write_text_file(root / "DEBIAN/control",
                                "Package: made\nVersion: 1\nArchitecture: all\nMaintainer: Nobody "
                                "<nobody@example.org>\nDescription: made\n")
                    .ok());
    const auto sound = [&](unsigned seed) {
        auto x = test::noise(24000, seed);
        for (std::size_t i = 0; i < x.size(); ++i) x[i] *= i / 4800 % 2 == 0 ? 0.5F : 0.001F;
        const fs::path file = scratch / "sound.wav";
        test::write_wav(file, {x}, 48000);
        return *read_text_file(file);
    };
    const std::string one = sound(1);
    ASSERT_TRUE(write_text_file(root / "usr/share/made/open.wav", one).ok());
    ASSERT_TRUE(write_text_file(root / "usr/share/made/again.wav", one).ok());
    ASSERT_TRUE(write_text_file(root / "usr/share/made/held.wav", sound(2)).ok());
    ASSERT_TRUE(write_text_file(root / "usr/share/made/notes.txt", "no sound").ok());
    ASSERT_TRUE(write_text_file(root / "usr/share/made/piano.sf2", "instruments").ok());
    // Names between the sounds, a "RIFF" that is none, and one that is cut off.
    std::string cut = sound(5);
    cut.resize(cut.size() / 2);
    ASSERT_TRUE(write_text_file(root / "usr/share/made/all.cat",
                                "first" + sound(3) + "RIFF is a word, too" + sound(4) + "last" + cut)
                    .ok());
    fs::create_directories(scratch / "in");
    ASSERT_TRUE(write_text_file(scratch / "in/packed.wav", sound(6)).ok());
    const std::string commands = "cd '" + (scratch / "in").string() + "' && tar -czf '" +
                                 (root / "usr/share/made/more.tar.gz").string() +
                                 "' packed.wav && mkdir -p '" + (scratch / "corpus/debs").string() +
                                 "' && dpkg-deb --build '" + root.string() + "' '" +
                                 (scratch / "corpus/debs/made_1_all.deb").string() + "' > /dev/null";
    ASSERT_EQ(std::system(commands.c_str()), 0);  // NOLINT
    ASSERT_TRUE(write_text_file(scratch / "packages.json",
                                R"({"packages": [{"package": "made", "licence": "CC0", "rules": [
        {"kind": "effects", "match": "/(held)\\.wav$", "tell": ["held"]},
        {"kind": "soundfont", "match": "\\.sf2$"},
        {"kind": "effects", "match": "\\.wav$"}]}]})")
                    .ok());
    int lines = 0;
    BuildOptions options;
    options.folder = scratch / "corpus";
    options.package_list = scratch / "packages.json";
    options.log = [&](const std::string&) { ++lines; };
    const Status built = build_corpus(options);
    ASSERT_TRUE(built.ok()) << built.error().message;
    EXPECT_EQ(lines, 1);
    const auto corpus = Corpus::open(scratch / "corpus");
    ASSERT_TRUE(corpus.ok());
    // A soundfont stays a file.
    ASSERT_EQ(corpus->soundfonts(Pool::Learn).size(), 1U);
    EXPECT_EQ(*read_text_file(corpus->soundfonts(Pool::Learn)[0]), "instruments");
    EXPECT_TRUE(corpus->soundfonts(Pool::Tell).empty());
    std::size_t learned = 0;
    for (const auto& [group, recordings] : corpus->groups("effects", Pool::Learn))
        learned += recordings.size();
    std::size_t held = 0;
    for (const auto& [group, recordings] : corpus->groups("effects", Pool::Tell)) {
        for (const auto& recording : recordings) {
            ++held;
            EXPECT_EQ(recording.pool, Pool::Tell);
            EXPECT_EQ(recording.frames, 24000U);
            std::vector<float> x(100);
            corpus->read(recording, 0, 0, x);
            EXPECT_NEAR(x[50], 0.5F * test::noise(24000, 2)[50], 1e-4F);
        }
    }
    EXPECT_EQ(learned, 4U);  // open (once), two of the file, one of the archive
    EXPECT_EQ(held, 1U);
    ASSERT_TRUE(build_corpus(options).ok());
    EXPECT_EQ(lines, 1);
    // A package that nothing matches is told by name.
    ASSERT_TRUE(write_text_file(scratch / "packages.json",
                                R"({"packages": [{"package": "made", "licence": "CC0", "rules": [
        {"kind": "music", "match": "\\.ogg$"}]}]})")
                    .ok());
    std::filesystem::remove(scratch / "corpus/index/made.json");
    const Status none = build_corpus(options);
    ASSERT_FALSE(none.ok());
    EXPECT_NE(none.error().message.find("made"), std::string::npos);
}

}  // namespace
}  // namespace rivlen::learn
