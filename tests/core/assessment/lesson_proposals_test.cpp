// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/lesson_proposals.h"

#include <gtest/gtest.h>

#include <cmath>

#include "core/separation/corrections.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

Correction all_to(Stem stem, double first_s, double last_s) {
    Correction c;
    c.to = stem;
    c.region.points = {{first_s, 20}, {last_s, 24000}};
    return c;
}

const TeachingMark* proposal_for(const std::vector<ProposedMark>& all, Stem stem) {
    const auto found = std::ranges::find_if(all, [&](const ProposedMark& p) { return p.mark.stem == stem; });
    return found != all.end() ? &found->mark : nullptr;
}

// Noise that is ambience for 20 s, but for a talker from 4 to 9 s and music from 12 to 15 s.
TEST(LessonProposals, FindWhatSoundsAlone) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 44100, 2, 20);
    const auto plain = test::even_map(scratch, source, {0, 0, 0, 1});
    const std::vector<Correction> parts = {all_to(Stem::Dialogue, 4, 9), all_to(Stem::Music, 12, 15)};
    const auto map = corrected(plain, parts, source);
    ASSERT_TRUE(map);
    const auto found = propose_marks(source, *map);
    ASSERT_TRUE(found);
    const auto* voice = proposal_for(*found, Stem::Dialogue);
    ASSERT_NE(voice, nullptr);
    EXPECT_NEAR(static_cast<double>(voice->first) / 44100, 4, 0.2);
    EXPECT_NEAR(static_cast<double>(voice->last) / 44100, 9, 0.2);
    // The longest stretch without a voice has ambience and music in it; ambience has the most.
    const auto* ambience = proposal_for(*found, Stem::Ambience);
    ASSERT_NE(ambience, nullptr);
    EXPECT_GE(ambience->first, static_cast<std::int64_t>(8.9 * 44100));
    ASSERT_FALSE(found->empty());
    EXPECT_TRUE(found->front().sentence.starts_with("From 00:0")) << found->front().sentence;
    for (const auto& p : *found) {
        EXPECT_GE(p.mark.last - p.mark.first, 44100);
        EXPECT_LE(p.mark.last - p.mark.first, 13 * 44100);
        EXPECT_GE(p.mark.first, 0);
        EXPECT_LE(p.mark.last, static_cast<std::int64_t>(source.frames()));
    }
}

TEST(LessonProposals, AreNoneInSilenceAndWhereEverythingSoundsAtOnce) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 1, 6);
    const auto mixed = test::even_map(scratch, source, {0.4F, 0, 0.3F, 0.3F});
    const auto found = propose_marks(source, mixed);
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->empty());
    const Scratch quiet;
    test::write_wav(quiet / "silence.wav", {std::vector<float>(6 * 48000)}, 48000);
    const auto silence = Source::bring_in(quiet / "silence.wav", quiet / "work");
    ASSERT_TRUE(silence);
    const auto nothing = propose_marks(*silence, test::even_map(quiet, *silence, {0, 0, 0, 1}));
    ASSERT_TRUE(nothing);
    EXPECT_TRUE(nothing->empty());
    const std::atomic<bool> stop{true};
    JobControl cancelled;
    cancelled.cancel = &stop;
    EXPECT_FALSE(propose_marks(source, mixed, cancelled));
}

}  // namespace
}  // namespace rivlen
