// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/batch.h"
#include "core/workflow/batch_report.h"

#include <gtest/gtest.h>

#include <algorithm>
#include <nlohmann/json.hpp>
#include <set>
#include <sstream>

#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

std::vector<std::string> names_of(const std::vector<BatchEntry>& entries) {
    std::vector<std::string> names;
    for (const auto& entry : entries) names.push_back(entry.name);
    return names;
}
void touch(const std::filesystem::path& path) {
    ASSERT_TRUE(write_text_file(path, "x").ok());
}

TEST(Batch, TakesTheRecordingsOfAFolderInOrder) {
    const test::Scratch scratch;
    for (const char* name : {"b.wav", "a.MOV", "note.txt", ".hidden.wav", "c.flac"}) touch(scratch / name);
    std::filesystem::create_directories(scratch / "folder.wav");
    const auto batch = batch_of(scratch.folder());
    ASSERT_TRUE(batch.ok());
    EXPECT_EQ(names_of(*batch), (std::vector<std::string>{"a", "b", "c"}));
}

TEST(Batch, NoTwoRecordingsShareAName) {
    const test::Scratch scratch;
    for (const char* name : {"take.wav", "take.flac", "TAKE.mp3", "other.wav", "take wav.wav"})
        touch(scratch / name);
    const auto batch = batch_of(scratch.folder());
    ASSERT_TRUE(batch.ok());
    const auto names = names_of(*batch);
    std::set<std::string> once;
    for (std::string name : names) {
        std::ranges::transform(name, name.begin(),
                               [](unsigned char c) { return static_cast<char>(std::tolower(c)); });
        EXPECT_TRUE(once.insert(name).second) << name;  // file systems that know no case, too
    }
    EXPECT_TRUE(std::ranges::find(names, "other") != names.end());
    EXPECT_TRUE(std::ranges::find(names, "take flac") != names.end());
}

// Folders are named after recordings: no name may lead out of the output folder.
TEST(Batch, NamesStayInTheirFolder) {
    const test::Scratch scratch;
    ASSERT_TRUE(
        write_text_file(scratch / "list.txt", "...wav\r\n# a remark\n\n..\n/abs/x.wav\nrel/y.wav \n").ok());
    const auto batch = batch_of(scratch / "list.txt");
    ASSERT_TRUE(batch.ok());
    ASSERT_EQ(batch->size(), 4U);
    for (const auto& entry : *batch) {
        EXPECT_TRUE(entry.file.is_absolute());
        const std::filesystem::path folder = scratch / "out" / entry.name;
        EXPECT_EQ(folder.lexically_normal().parent_path(), (scratch / "out").lexically_normal())
            << entry.name;
        EXPECT_NE(entry.name, "..");
    }
}

TEST(Batch, WhatCannotBeLookedAtIsLeftOut) {
    const test::Scratch scratch;
    touch(scratch / "good.wav");
    std::filesystem::create_symlink(scratch / "loop.wav", scratch / "loop.wav");
    std::filesystem::create_symlink(scratch / "nowhere", scratch / "dangling.wav");
    touch(scratch / "caf\xe9.wav");  // a name in Latin-1
    const auto batch = batch_of(scratch.folder());
    ASSERT_TRUE(batch.ok());
    EXPECT_EQ(names_of(*batch), (std::vector<std::string>{"caf\xe9", "good"}));
    EXPECT_FALSE(batch_of(scratch / "nothing").ok());
}

TEST(Batch, ShardsPartTheWhole) {
    std::vector<int> seen(11, 0);
    for (const char* text : {"1/3", "2/3", "3/3"}) {
        const auto shard = shard_of(text);
        ASSERT_TRUE(shard.ok());
        for (std::size_t i = 0; i < seen.size(); ++i) seen[i] += shard->has(i) ? 1 : 0;
    }
    EXPECT_TRUE(std::ranges::all_of(seen, [](int n) { return n == 1; }));
    for (const char* text : {"0/3", "4/3", "x", "1/0", "2"}) EXPECT_FALSE(shard_of(text).ok()) << text;
}

// Two shares; one was killed in the middle of a line and began again. Lines as rivlen-cli batch prints them.
TEST(BatchReports, PutWhatSeveralProcessesSaidTogether) {
    const auto line = [](const char* event, const char* name, const char* more = "") {
        return std::string("{\"event\":\"") + event + "\",\"name\":\"" + name + "\"" + more + "}\n";
    };
    BatchReport report;
    std::istringstream first(
        line("recording_started", "a") + line("row_started", "a", ",\"file\":\"a mix.wav\"") +
        line("row_done", "a", ",\"file\":\"a mix.wav\"") +
        line("row_started", "a", ",\"file\":\"a music.wav\"") + "{\"event\":\"row_do" + "\n" +
        line("recording_started", "a") + line("row_started", "a", ",\"file\":\"a mix.wav\"") +
        line("row_skipped", "a", ",\"file\":\"a mix.wav\"") +
        line("row_started", "a", ",\"file\":\"a music.wav\"") +
        line("row_done", "a", ",\"file\":\"a music.wav\"") + line("finished", "a", ",\"all_done\":true"));
    add_events(report, first, "1.jsonl");
    std::istringstream second(line("recording_started", "b, c") +
                              line("recording_failed", "b, c", ",\"sentence\":\"It has no sound.\""));
    add_events(report, second, "2.jsonl");
    ASSERT_EQ(report.recordings.size(), 2U);
    const auto& a = report.recordings["a"];
    EXPECT_EQ(a.begun, 2);
    EXPECT_TRUE(a.finished && a.twice.empty());
    EXPECT_EQ(a.rows, 2);
    EXPECT_EQ(a.rows_done, 2);
    EXPECT_EQ(report.damaged_lines, 1);
    EXPECT_EQ(report.finished(), 1);
    EXPECT_FALSE(report.all_done());
    EXPECT_EQ(report.recordings["b, c"].sentence, "It has no sound.");
    EXPECT_NE(batch_report_to_csv(report).find("\"b, c\",no,1,0,0,0,It has no sound."), std::string::npos)
        << batch_report_to_csv(report);
    EXPECT_EQ(nlohmann::json::parse(batch_report_to_json(report))["of"], 2);
    // A file that was written by two processes, or twice by one, is said.
    std::istringstream third(line("row_done", "a", ",\"file\":\"a mix.wav\"") +
                             line("row_done", "a", ",\"file\":\"a mix.wav\""));
    add_events(report, third, "3.jsonl");
    EXPECT_EQ(report.recordings["a"].twice.size(), 1U);
}

}  // namespace
}  // namespace rivlen
