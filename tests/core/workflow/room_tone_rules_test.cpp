// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/room_tone_rules.h"

#include <gtest/gtest.h>

#include <array>

namespace rivlen {
namespace {

namespace fs = std::filesystem;
using Paths = std::vector<fs::path>;

// Two recordings as a whole on a track, the first's dialogue on another; "known" has its room tone.
struct PlacesOnTracks {
    Session session;
    int whole = 0, second = 0, dialogue = 0;
    PlacesOnTracks() {
        session.items.push_back({"a.wav", "", {}, {}, true});
        session.items.push_back({"known.wav", "", {}, {}, true});
        session.items[1].room_tone = {{0, 48000}};
        Timeline& t = session.timeline;
        t.sample_rate = 48000;
        whole = place_clip(t, {"a.wav", 0, 48000, false, false, "A"}, ClipSource::Whole, 0);
        second =
            place_clip(t, {"known.wav", 96000, 48000, false, false, ""}, ClipSource::Kept, t.tracks[0].id);
        dialogue = place_clip(t, {"a.wav", 0, 48000, false, false, "D"}, ClipSource::Dialogue, 0);
    }
    [[nodiscard]] int track(std::size_t place) const { return session.timeline.tracks[place].id; }
};

TEST(RoomToneRules, AreAboutWhatHoldsThePlaceAndIsNotKnown) {
    const PlacesOnTracks two;
    const Session& s = two.session;
    EXPECT_EQ(unknown_room_tone(s, {0, 1000}, {}), Paths{"a.wav"});
    EXPECT_EQ(unknown_room_tone(s, {0, 1000}, std::array{two.track(1)}), Paths{});  // a voice holds no place
    EXPECT_EQ(unknown_room_tone(s, {96000, 97000}, {}), Paths{});                   // known
    EXPECT_EQ(unknown_room_tone(s, {60000, 90000}, {}), Paths{});                   // nothing there
    EXPECT_EQ(unknown_room_tone(s, std::array{two.whole, two.second}), Paths{"a.wav"});
    EXPECT_EQ(unknown_room_tone(s, std::array{two.dialogue}), Paths{});
    EXPECT_EQ(unknown_room_tone(s, two.track(0)), Paths{"a.wav"});
    EXPECT_EQ(unknown_room_tone(s, two.track(1)), Paths{});
    const HasRoomTone known = known_room_tone(s);
    EXPECT_TRUE(known("known.wav"));
    EXPECT_FALSE(known("a.wav"));
    EXPECT_FALSE(known("elsewhere.wav"));
}

TEST(RoomToneRules, TheLoopIsMarkedAndUnmarked) {
    SessionItem item;
    item.room_tone = {{1, 2}};
    EXPECT_EQ(mark_room_tone(item, 48000).error().kind, ErrorKind::BadInput);  // no loop
    item.loop = LoopRange{1000, 1000 + 4800};
    const auto short_one = mark_room_tone(item, 48000);
    ASSERT_FALSE(short_one);
    EXPECT_NE(short_one.error().message.find("0.10 s"), std::string::npos) << short_one.error().message;
    EXPECT_EQ(item.room_tone.size(), 1U);
    item.loop = LoopRange{1000, 1000 + 48000};
    auto marked = mark_room_tone(item, 48000);
    ASSERT_TRUE(marked && *marked);
    EXPECT_EQ(item.room_tone, (std::vector<LoopRange>{{1000, 49000}}));  // in place of what was found
    marked = mark_room_tone(item, 48000);
    ASSERT_TRUE(marked && !*marked);
    EXPECT_TRUE(item.room_tone.empty());
}

}  // namespace
}  // namespace rivlen
