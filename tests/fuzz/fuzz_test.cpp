// SPDX-License-Identifier: GPL-3.0-or-later
// Mutations of good files, the same in every run. tools/fuzz goes further.
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>
#include <iterator>
#include <random>

#include "core/base/safetensors.h"
#include "core/delivery/written_sound.h"
#include "core/project/chain_preset.h"
#include "core/project/delivery_table.h"
#include "core/project/session.h"
#include "core/project/settings_json.h"
#include "core/separation/other_sound.h"
#include "core/workflow/placing.h"
#include "tests/fuzz/readers.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using Bytes = std::vector<std::byte>;

Bytes bytes_of(const std::filesystem::path& path) {
    std::ifstream in(path, std::ios::binary);
    const std::string text((std::istreambuf_iterator<char>(in)), {});
    const auto view = std::as_bytes(std::span(text));
    return {view.begin(), view.end()};
}

// Flipped, overwritten, doubled, dropped and cut bytes.
Bytes mutated(Bytes bytes, std::mt19937& random) {
    const auto below = [&](std::size_t n) { return n == 0 ? 0 : random() % n; };
    const auto changes = 1 + below(8);
    for (std::size_t i = 0; i < changes && !bytes.empty(); ++i) {
        // Half of the changes near the head, where the structure is.
        const std::size_t at = below(below(2) == 0 ? std::min<std::size_t>(bytes.size(), 200) : bytes.size());
        const auto offset = static_cast<std::ptrdiff_t>(at);
        switch (below(5)) {
            case 0:
                bytes[at] ^= static_cast<std::byte>(1U << below(8));
                break;
            case 1:
                bytes[at] = static_cast<std::byte>(below(256));
                break;
            case 2:
                bytes.insert(bytes.begin() + offset, bytes[at]);
                break;
            case 3:
                bytes.erase(bytes.begin() + offset);
                break;
            default:
                if (below(4) == 0) bytes.resize(at);
                break;
        }
    }
    return bytes;
}

// RIVLEN_SEEDS=FOLDER: what the fuzzer begins with (tests/fuzz/seeds) is written there anew.
void keep_as_seed(fuzz::Reader reader, const Bytes& good) {
    const char* folder = std::getenv("RIVLEN_SEEDS");  // NOLINT(concurrency-mt-unsafe)
    // With all parts in a chain half a minute of the fuzzer goes into one session.
    if (folder == nullptr || good.size() > 10000 || reader == fuzz::Reader::Rendering) return;
    const auto path =
        std::filesystem::path(folder) / fuzz::kReaderNames[static_cast<std::size_t>(reader)] / "made";
    std::filesystem::create_directories(path.parent_path());
    std::ofstream(path, std::ios::binary)
        .write(reinterpret_cast<const char*>(good.data()), static_cast<std::streamsize>(good.size()));
}

int taken_of(fuzz::Reader reader, const Bytes& good, int rounds) {
    keep_as_seed(reader, good);
    std::mt19937 random(1);
    EXPECT_TRUE(fuzz::read(reader, good));
    int taken = 0;
    for (int i = 0; i < rounds; ++i) taken += fuzz::read(reader, mutated(good, random)) ? 1 : 0;
    return taken;
}

TEST(Fuzz, SoundFiles) {
    const test::Scratch scratch;
    test::write_wav(scratch / "a.wav", {test::noise(3000, 1), test::noise(3000, 2)}, 44100);
    EXPECT_LT(taken_of(fuzz::Reader::Media, bytes_of(scratch / "a.wav"), 300), 300);
}

TEST(Fuzz, PictureFiles) {
    const test::Scratch scratch;
    const std::string command =
        "ffmpeg -v error -f lavfi -i testsrc=size=32x32:rate=25 -f lavfi -i "
        "sine=frequency=440 -t 0.2 -c:v mpeg4 -c:a aac -y '" +
        (scratch / "a.mp4").string() + "'";
    ASSERT_EQ(std::system(command.c_str()), 0);  // NOLINT
    EXPECT_LT(taken_of(fuzz::Reader::Media, bytes_of(scratch / "a.mp4"), 150), 150);
}

TEST(Fuzz, Sessions) {
    Session session;
    session.items.push_back({"/rec/a.wav", "00ff", {}, LoopRange{10, 20}, true});
    session.items.push_back({"/rec/b.mov", "", {}, {}, false});
    session.current = 1;
    const std::string text = session_to_json(session);
    const auto view = std::as_bytes(std::span(text));
    EXPECT_LT(taken_of(fuzz::Reader::Session, {view.begin(), view.end()}, 3000), 3000);
}

Session made_session() {
    Session session;
    session.items.push_back({"/rec/a.wav", "00ff", {}, {}, true});
    session.timeline.sample_rate = test::kRate;
    place_recording(session.timeline, {"/rec/a.wav", 24000, test::kRate, {}, 0}, 0);
    place_recording(session.timeline, {"/rec/a.wav", 24000, test::kRate, {}, 0}, 30000);
    int id = 1000;
    for (std::size_t kind = 0; kind < kEffectTypes; ++kind)
        session.timeline.tracks[0].strip.chain.push_back(make_part(static_cast<EffectType>(kind), ++id));
    // A mono track is placed along a line in a main bus of six channels.
    set_layout(session.timeline, session.timeline.main_bus(), Layout::Surround51);
    session.timeline.tracks[1].layout = Layout::Mono;
    set_points(session.timeline.tracks[1].strip, {LaneTarget::Azimuth, 0, 0, {}}, {{0, -30}, {20000, 250}});
    return session;
}

// What a damaged session describes is finite wherever it is heard.
TEST(Fuzz, WhatSessionsDescribe) {
    const std::string text = session_to_json(made_session());
    const auto view = std::as_bytes(std::span(text));
    EXPECT_GT(taken_of(fuzz::Reader::Rendering, {view.begin(), view.end()}, 150), 0);
}

TEST(Fuzz, Models) {
    const test::Scratch scratch;
    const std::vector<float> values(64, 1.0F);
    ASSERT_TRUE(safetensors::write(
                    scratch / "m", {{"kind", "test"}},
                    std::vector<safetensors::Tensor>{{"a", "F32", {8, 8}, std::as_bytes(std::span(values))},
                                                     {"b", "F32", {64}, std::as_bytes(std::span(values))}})
                    .ok());
    EXPECT_LT(taken_of(fuzz::Reader::Tensors, bytes_of(scratch / "m"), 2000), 2000);
}

TEST(Fuzz, DefinitionModel) {
    AdmFacts facts;
    facts.layout = Layout::Stereo;  // short, as the fuzzer begins with it
    facts.frames = 96000;
    facts.objects = {{1, "Ferryman", {{{0, 0.01, {30, 0}, 0}, {0.01, 1.5, {-40, 20}, 10}}}}};
    const auto chna = chna_of(facts);
    const std::string text = adm_xml(facts);
    Bytes bytes = {static_cast<std::byte>(chna.size() % 256), static_cast<std::byte>(chna.size() / 256)};
    for (const char c : chna) bytes.push_back(static_cast<std::byte>(c));
    for (const char c : text) bytes.push_back(static_cast<std::byte>(c));
    EXPECT_LT(taken_of(fuzz::Reader::Adm, bytes, 1000), 1000);
}

TEST(Fuzz, Ixml) {
    SoundDescription said;
    said.project = "Ferry";
    said.timecode_rate = "30000/1001";
    said.track_names = {"Boom", "Mix L", "Mix R"};
    const std::string text = ixml_of(said, 48000, Depth::Pcm24);
    const auto view = std::as_bytes(std::span(text));
    EXPECT_LT(taken_of(fuzz::Reader::Ixml, {view.begin(), view.end()}, 2000), 2000);
}

TEST(Fuzz, DeliveryTables) {
    const std::string text = template_to_json(standard_template());
    const auto view = std::as_bytes(std::span(text));
    EXPECT_LT(taken_of(fuzz::Reader::Table, {view.begin(), view.end()}, 2000), 2000);
}

TEST(Fuzz, Chains) {
    const test::Scratch scratch;
    ASSERT_TRUE(
        save_chain_preset({"all", "", made_session().timeline.tracks[0].strip.chain}, scratch / "c").ok());
    EXPECT_LT(taken_of(fuzz::Reader::Chain, bytes_of(scratch / "c"), 1000), 1000);
}

TEST(Fuzz, Corrections) {
    const test::Scratch scratch;
    std::vector<Correction> list(3);
    list[0].region.points = {{0.1, 200}, {0.3, 4000}};
    list[1].act = CorrectionAct::Fill;
    list[1].region.shape = RegionShape::Brush;
    list[1].region.points = {{0.2, 300}, {0.25, 400}, {0.3, 900}};
    list[2].act = CorrectionAct::TakeDown;
    list[2].region.shape = RegionShape::Outline;
    list[2].region.points = {{0.1, 300}, {0.25, 4000}, {0.3, 900}};
    list[2].region.harmonics = true;
    normalise(list);
    ASSERT_EQ(list.size(), 3U);
    ASSERT_TRUE(save_corrections(list, scratch / "c").ok());
    EXPECT_LT(taken_of(fuzz::Reader::Corrections, bytes_of(scratch / "c"), 1000), 1000);
}

TEST(Fuzz, ListsOfTeachingSound) {
    const auto good = bytes_of(std::filesystem::path(RIVLEN_ROOT) / "models/teaching" / kOtherSoundList);
    EXPECT_LT(taken_of(fuzz::Reader::OtherSound, good, 500), 500);
}

TEST(Fuzz, Presets) {
    const test::Scratch scratch;
    ASSERT_TRUE(save_preset({"a card", "for tests", {}}, scratch / "p").ok());
    EXPECT_LT(taken_of(fuzz::Reader::Preset, bytes_of(scratch / "p"), 1000), 1000);
}

TEST(Fuzz, MaskMaps) {
    const test::Scratch scratch;
    const Source source = test::noise_source(scratch, 48000, 1, 0.2);
    const MaskMap map = test::random_map(scratch, source);
    std::filesystem::path file;
    for (const auto& entry : std::filesystem::recursive_directory_iterator(scratch.folder())) {
        if (entry.is_regular_file() && MaskMap::open(entry.path(), "")) file = entry.path();
    }
    ASSERT_FALSE(file.empty());
    EXPECT_LT(taken_of(fuzz::Reader::MaskMap, bytes_of(file), 500), 500);
}

TEST(Fuzz, Timecodes) {
    const std::string text = "01:00:10;02";
    const auto view = std::as_bytes(std::span(text));
    EXPECT_LT(taken_of(fuzz::Reader::Timecode, {view.begin(), view.end()}, 2000), 2000);
}

}  // namespace
}  // namespace rivlen
