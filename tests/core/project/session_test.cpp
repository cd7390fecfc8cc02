// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/project/session.h"

#include <gtest/gtest.h>

#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Scratch;

Session example(const std::filesystem::path& folder) {
    Session session;
    session.items.push_back({folder / "take.wav", "abc", {}, LoopRange{100, 5000}, false, {}, {}, {}, {}});
    session.items.push_back({"/elsewhere/other.mov", "", {}, {}, true, {}, {}, {}, {}});
    auto& music = session.items[0].settings.stems[2];
    for (std::size_t i = 0; i < kSettings; ++i) {
        const auto& p = info(static_cast<Setting>(i));
        music.values[i] = p.lowest + 0.25 * (p.highest - p.lowest);
        music.on[i] = p.switchable;
    }
    music.weighting = {{200, -40, true}, {6000, 80, false}};
    music.weighting_on = false;
    music.mute = true;
    music.solo = true;
    session.items[0].cards[3] = Card{"natural", "for the cut", session.items[0].settings};
    session.items[0].lines = {{0, Setting::Isolation, {{0, 20}, {48000, 80}}}};
    session.items[0].ranges = {{1000, 9000, 480, session.items[0].settings}};
    session.items[0].comparisons = {{"natural", "source", 12, 10}};
    session.items[0].pre_roll_frames = 96000;
    session.items[0].channels = ChannelGrouping::Alone;
    session.items[0].marks = {{Stem::Dialogue, 100, 48000},
                              {Stem::Ambience, 96000, 300000},
                              TeachingMark::of(sound_of(MusicPart::Drums), 96000, 200000)};
    session.items[0].taught = TaughtModel{folder / "s taught" / "fine taught 1.safetensors", false};
    session.items[0].taught_parts = TaughtModel{folder / "s taught" / "parts taught 2.safetensors"};
    session.items[0].room_tone = {{0, 20000}, {50000, 90000}};
    session.current = 1;
    session.monitor = Monitor::Removed;
    session.level_match = false;
    session.deliveries.name = "for the cut";
    session.deliveries.rows.pop_back();
    session.deliveries.rows[0].version = "natural";
    session.items[0].settings.use_both_channels(true);
    session.deliveries.targets.push_back({.key = "house",
                                          .name = "House",
                                          .source = "agreed",
                                          .integrated_lufs = -20,
                                          .tolerance_lu = 1,
                                          .true_peak_dbtp = -2});
    return session;
}

// What is set before anything stands on the timeline is kept, too.
TEST(Session, AnEmptyTimelineKeepsHowItIsWorkedOn) {
    Session session;
    session.timeline.edit_groups = !session.timeline.edit_groups;
    session.timeline.loop_on = !session.timeline.loop_on;
    const auto again = session_from_json(session_to_json(session), "/");
    ASSERT_TRUE(again.ok());
    EXPECT_TRUE(*again == session);
}

TEST(Session, ComesBackAsItWas) {
    const Scratch scratch;
    const Session session = example(scratch.folder());
    ASSERT_TRUE(save_session(session, scratch / "s.rivlen").ok());
    auto back = load_session(scratch / "s.rivlen");
    ASSERT_TRUE(back.ok()) << back.error().message;
    EXPECT_EQ(*back, session);
    EXPECT_EQ(scratch.leftovers(), 0);
}

TEST(Session, SettingsOfARangeOrOfALineAreShownWhereTheyHold) {
    SessionItem item;
    item.lines = {{0, Setting::Isolation, {{0, 20}, {1000, 80}}}};
    EXPECT_EQ(item.edited_at(500).stems[0].value(Setting::Isolation), 50);
    EXPECT_EQ(item.edited().stems[0].value(Setting::Isolation), 100);
    item.loop = LoopRange{200, 900};
    EXPECT_EQ(item.own_range(), nullptr);
    ShapeSettings own;
    own.stems[0].set(Setting::Isolation, 7);
    item.ranges = {{200, 900, 10, own}};
    ASSERT_NE(item.own_range(), nullptr);
    EXPECT_EQ(item.edited_at(500).stems[0].value(Setting::Isolation), 7);
    item.loop_on = false;
    EXPECT_EQ(item.own_range(), nullptr);
    EXPECT_FALSE(item.heard_loop().has_value());
    item.loop_on = true;
    item.pre_roll_frames = 150;
    EXPECT_EQ(item.heard_loop(), (LoopRange{50, 900}));
    item.pre_roll_frames = 500;
    EXPECT_EQ(item.heard_loop(), (LoopRange{0, 900}));
}

TEST(Session, MovesTogetherWithItsRecordings) {
    const Scratch scratch;
    std::filesystem::create_directories(scratch / "a");
    ASSERT_TRUE(save_session(example(scratch / "a"), scratch / "a/s.rivlen").ok());
    std::filesystem::rename(scratch / "a", scratch / "b");
    auto back = load_session(scratch / "b/s.rivlen");
    ASSERT_TRUE(back.ok());
    EXPECT_EQ(back->items[0].path, scratch / "b/take.wav");
}

TEST(Session, MissingMediaAreListedAndTheSessionSurvives) {
    const Scratch scratch;
    ASSERT_TRUE(save_session(example(scratch.folder()), scratch / "s.rivlen").ok());
    auto back = load_session(scratch / "s.rivlen");
    ASSERT_TRUE(back.ok());
    EXPECT_EQ(missing_media(*back).size(), 2U);
    EXPECT_EQ(back->items.size(), 2U);
}

// Stretches of room tone that no recording can have, or that lie in the wrong order, are left out.
TEST(Session, RoomToneThatCannotBeIsLeftOut) {
    const auto read = session_from_json(R"({"rivlen_session": 6, "recordings": [{"path": "a.wav", "room_tone":
        [[5, 100], [90, 200], [300, 250], [300, 400], [500, 9223372036854775807], [-3, 7], ["a", 1], 4, [600]]}]})",
                                        "/");
    ASSERT_TRUE(read);
    EXPECT_EQ(read->items[0].room_tone, (std::vector<LoopRange>{{5, 100}, {300, 400}}));
}

TEST(Session, ANewerFormIsRefusedWithASentence) {
    auto session = session_from_json(R"({"rivlen_session": 99, "recordings": []})", {});
    ASSERT_FALSE(session.ok());
    EXPECT_EQ(session.error().kind, ErrorKind::Unsupported);
    EXPECT_NE(session.error().message.find("newer"), std::string::npos);
}

TEST(Session, NonsenseIsRefusedOrBroughtIntoRange) {
    for (const char* text : {"", "{", "[]", "12", R"({"rivlen_session":"x"})"})
        EXPECT_FALSE(session_from_json(text, {}).ok()) << text;
    auto session = session_from_json(
        R"({"rivlen_session":1,"current":77,"monitor":5,"recordings":[{"path":3,"stems":{"music":
        {"isolation_percent":1e9,"floor_db":"x","gain_db":-1e9}},"loop_frames":[9,3],
        "taught":{"weights":""},"teaching_marks":[{"stem":"reverb","frames":[1,2]},{"stem":"music","frames":[5,2]},
        {"stem":"music","frames":[5]},{"stem":"music","frames":[-5,2]},7,{"stem":"music","frames":[5,9]}]}, 4]})",
        "/f");
    ASSERT_TRUE(session.ok());
    ASSERT_EQ(session->items.size(), 1U);
    EXPECT_EQ(session->current, 0);
    EXPECT_EQ(session->items[0].settings.stems[2].value(Setting::Isolation), 100);
    EXPECT_EQ(session->items[0].settings.stems[2].value(Setting::Gain), info(Setting::Gain).lowest);
    EXPECT_FALSE(session->items[0].loop.has_value());
    EXPECT_FALSE(session->items[0].taught.has_value());
    EXPECT_EQ(session->items[0].marks, (std::vector<TeachingMark>{{Stem::Music, 5, 9}}));
}

}  // namespace
}  // namespace rivlen
