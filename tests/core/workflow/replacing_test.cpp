// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/replacing.h"

#include <gtest/gtest.h>

#include "core/base/folders.h"
#include "core/base/output_file.h"
#include "core/workflow/placing.h"
#include "core/workflow/putting_back.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

using test::kRate;

std::shared_ptr<const Source> noise_at(const Scratch& scratch, const std::string& name, double gain_db) {
    auto sound = test::noise(kRate * 4, 3);
    const auto gain = static_cast<float>(std::pow(10.0, gain_db / 20.0));
    for (float& v : sound) v *= gain;
    test::write_wav(scratch / name, {sound, sound}, kRate);
    auto source = Source::bring_in(scratch / name, scratch / "work");
    return std::make_shared<const Source>(std::move(*source));
}

struct Replacing {
    Scratch scratch;
    std::shared_ptr<const Source> music = noise_at(scratch, "music.wav", 0);
    Session session;
    MixMediaSet media;
    int clip = 0;

    Replacing() {
        place_recording(session.timeline,
                        {music->original(), static_cast<std::int64_t>(music->frames()), kRate, {}, 0}, 0);
        media[music->original()] = {music, nullptr, kRate};
        clip = session.timeline.tracks[0].clips[0].id;
    }
    [[nodiscard]] Result<double> gain(const std::shared_ptr<const Source>& with) const {
        return gain_to_replace(MixPlan(session, media), clip, with);
    }
};

// The same sound at another level needs just that difference: loudness is linear in dB (ITU-R BS.1770-4).
TEST(Replacing, BringsTheLoudnessToThatOfWhatWasThere) {
    Replacing here;
    EXPECT_NEAR(*here.gain(noise_at(here.scratch, "softer.wav", -9)), 9.0, 0.01);
    EXPECT_NEAR(*here.gain(noise_at(here.scratch, "louder.wav", 5)), -5.0, 0.01);
    here.session.timeline.clip(here.clip)->gain_db = -6;  // its own gain counts
    EXPECT_NEAR(*here.gain(noise_at(here.scratch, "equal.wav", 0)), -6.0, 0.01);
    // No further than 20 dB, and silence asks for nothing.
    EXPECT_EQ(*here.gain(noise_at(here.scratch, "faint.wav", -35)), kLargestMatchDb);
    EXPECT_EQ(*here.gain(noise_at(here.scratch, "silent.wav", -300)), 0.0);
}

TEST(Replacing, KeepsTheOldClipMutedAndSaysWhenItIsGone) {
    Replacing here;
    const auto other = noise_at(here.scratch, "other.wav", -3);
    replace_by(here.session.timeline, here.clip, other->original(), kRate * 4, 3.0);
    int muted = 0;
    int playing = 0;
    for (const auto& track : here.session.timeline.tracks) {
        for (const auto& c : track.clips) {
            muted += c.mute && c.path == here.music->original() ? 1 : 0;
            if (c.path == other->original()) {
                ++playing;
                EXPECT_EQ(c.gain_db, 3.0);
            }
        }
    }
    EXPECT_EQ(muted, 1);
    EXPECT_EQ(playing, 1);
    here.clip = 12345;
    const auto gone = here.gain(other);
    ASSERT_FALSE(gone.ok());
    EXPECT_EQ(gone.error().kind, ErrorKind::NotFound);
}

// Two jobs at once never write the same file in between.
TEST(PuttingBack, FilesOfJobsNeverShareAName) {
    const Scratch scratch;
    std::filesystem::path first;
    {
        const ScratchFile a(scratch.folder(), "put back", ".wav");
        const ScratchFile b(scratch.folder(), "put back", ".wav");
        EXPECT_NE(a.path(), b.path());
        EXPECT_EQ(a.path().extension(), ".wav");
        ASSERT_TRUE(write_text_file(a.path(), "x").ok());
        first = a.path();
    }
    EXPECT_FALSE(std::filesystem::exists(first));
}

// A picture that is not there: a sentence, and nothing left in the work folder.
TEST(PuttingBack, LeavesNothingBehindWhenItFails) {
    const Scratch scratch;
    const auto source = test::noise_source(scratch, kRate, 2, 1.0);
    const auto map = test::random_map(scratch, source);
    const auto work = scratch / "between";
    std::filesystem::create_directories(work);
    const auto done =
        put_kept_back(source, map, {}, {scratch / "no picture.mov", scratch / "out.mov", work, false});
    ASSERT_FALSE(done.ok());
    EXPECT_FALSE(done.error().message.empty());
    EXPECT_TRUE(std::filesystem::is_empty(work));
    EXPECT_FALSE(std::filesystem::exists(scratch / "out.mov"));
}

}  // namespace
}  // namespace rivlen
