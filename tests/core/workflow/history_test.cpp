// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/history.h"

#include <gtest/gtest.h>

namespace rivlen {
namespace {

void set_pre_roll(History& history, std::int64_t frames, const std::string& key = "pre-roll") {
    history.edit("Pre-roll", key, [frames](Session& s) { s.items.at(0).pre_roll_frames = frames; });
}
std::int64_t pre_roll(const History& history) {
    return history.session().items.at(0).pre_roll_frames;
}

History one_recording() {
    History history;
    Session session;
    session.items.emplace_back().path = "/a/take.wav";
    session.current = 0;
    history.begin(std::move(session));
    return history;
}

TEST(History, ADragIsOneStepAndTheNextDragAnother) {
    History history = one_recording();
    for (const int frames : {1, 2, 3}) set_pre_roll(history, frames);
    EXPECT_EQ(history.position(), 1);
    history.close_run();
    set_pre_roll(history, 6);
    EXPECT_EQ(history.position(), 2);
    EXPECT_TRUE(history.undo());
    EXPECT_EQ(pre_roll(history), 3);
    EXPECT_TRUE(history.undo());
    EXPECT_EQ(pre_roll(history), 0);
    EXPECT_FALSE(history.undo());
    EXPECT_TRUE(history.redo());
    EXPECT_TRUE(history.redo());
    EXPECT_EQ(pre_roll(history), 6);
    EXPECT_FALSE(history.redo());
}

TEST(History, WithoutAKeyOrWithAnotherEveryChangeIsAStep) {
    History history = one_recording();
    set_pre_roll(history, 1, "");
    set_pre_roll(history, 2, "");
    set_pre_roll(history, 3, "a");
    set_pre_roll(history, 4, "b");
    EXPECT_EQ(history.position(), 4);
}

TEST(History, WhatChangesNothingOrComesBackIsNoStep) {
    History history = one_recording();
    set_pre_roll(history, 0);
    EXPECT_EQ(history.count(), 0);
    set_pre_roll(history, 3);
    set_pre_roll(history, 0);  // in the same drag
    EXPECT_EQ(history.count(), 0);
    EXPECT_FALSE(history.can_undo());
}

TEST(History, AChangeBehindAnUndoDropsWhatWasUndone) {
    History history = one_recording();
    set_pre_roll(history, 1, "");
    set_pre_roll(history, 2, "");
    history.undo();
    set_pre_roll(history, 9, "");
    EXPECT_FALSE(history.can_redo());
    EXPECT_EQ(history.count(), 2);
    history.undo();
    EXPECT_EQ(pre_roll(history), 1);
}

TEST(History, KnowsWhetherTheFileHoldsIt) {
    History history = one_recording();
    EXPECT_TRUE(history.saved());
    set_pre_roll(history, 1);
    EXPECT_FALSE(history.saved());
    history.undo();
    EXPECT_TRUE(history.saved());
    history.redo();
    history.mark_saved();
    EXPECT_TRUE(history.saved());
    set_pre_roll(history, 2);  // the same drag, but what was saved must stay a step of its own
    EXPECT_FALSE(history.saved());
    EXPECT_EQ(history.position(), 2);
    history.undo();
    EXPECT_TRUE(history.saved());
    history.begin(history.session(), false);
    EXPECT_FALSE(history.saved());
}

TEST(History, NamesWhatItWouldTakeBack) {
    History history = one_recording();
    EXPECT_EQ(history.undo_label(), "");
    set_pre_roll(history, 1);
    EXPECT_EQ(history.undo_label(), "Pre-roll");
    EXPECT_EQ(history.redo_label(), "");
    history.undo();
    EXPECT_EQ(history.redo_label(), "Pre-roll");
}

TEST(History, IsBoundedAndStaysRightAtItsEnd) {
    History history = one_recording();
    for (int i = 1; i <= History::kMostSteps + 50; ++i) set_pre_roll(history, i, "");
    EXPECT_EQ(history.count(), History::kMostSteps);
    int steps = 0;
    while (history.undo()) ++steps;
    EXPECT_EQ(steps, History::kMostSteps);
    EXPECT_EQ(pre_roll(history), 50);
    EXPECT_FALSE(history.saved());  // what the file holds is no longer among the steps
}

TEST(History, ANoteIsNoStepAndKeepsTheSessionSaved) {
    History history = one_recording();
    history.note([](Session& s) { s.items.at(0).hash = "abc"; });
    EXPECT_EQ(history.session().items.at(0).hash, "abc");
    EXPECT_FALSE(history.can_undo());
    EXPECT_TRUE(history.saved());
}

}  // namespace
}  // namespace rivlen
