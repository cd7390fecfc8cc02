// SPDX-License-Identifier: GPL-3.0-or-later
// Files: what may be written, what is left behind, and what is read when a file changes under a reader.
#include <gtest/gtest.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include <array>
#include <csignal>
#include <nlohmann/json.hpp>
#include <set>

#include "core/base/background_worker.h"
#include "core/base/guarded.h"
#include "core/base/json_text.h"
#include "core/base/mapped_file.h"
#include "core/base/output_file.h"
#include "core/media/source.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

namespace fs = std::filesystem;

void put(const fs::path& path, const std::string& text) {
    ASSERT_TRUE(write_text_file(path, text).ok());
}
fs::perms mode_of(const fs::path& path) {
    return fs::status(path).permissions();
}

TEST(Files, NothingThatIsGivenIsWrittenByWhateverName) {
    const test::Scratch scratch;
    put(scratch / "in.wav", "the original");
    put(scratch / "other.wav", "another");
    fs::create_hard_link(scratch / "in.wav", scratch / "hard.wav");
    fs::create_symlink(scratch / "in.wav", scratch / "soft.wav");
    fs::create_directory(scratch / "folder");
    const std::array inputs = {scratch / "other.wav", scratch / "in.wav"};
    for (const fs::path& name : {scratch / "in.wav", scratch / "hard.wav", scratch / "soft.wav",
                                 scratch / "folder/../in.wav", scratch / "other.wav"}) {
        const Status status = may_write(name, true, inputs);
        ASSERT_FALSE(status.ok()) << name;
        EXPECT_EQ(status.error().kind, ErrorKind::BadInput);
    }
    EXPECT_TRUE(may_write(scratch / "new.wav", false, inputs).ok());
    put(scratch / "new.wav", "there");
    EXPECT_EQ(may_write(scratch / "new.wav", false, inputs).error().kind, ErrorKind::Io);
    EXPECT_TRUE(may_write(scratch / "new.wav", true, inputs).ok());
}

TEST(Files, WhatReplacesAFileIsAsOpenAsItWas) {
    const test::Scratch scratch;
    put(scratch / "private.txt", "old");
    fs::permissions(scratch / "private.txt", fs::perms::owner_read | fs::perms::owner_write);
    put(scratch / "private.txt", "new");
    EXPECT_EQ(mode_of(scratch / "private.txt"), fs::perms::owner_read | fs::perms::owner_write);
    EXPECT_EQ(*read_text_file(scratch / "private.txt"), "new");
}

TEST(Files, WorkingCopiesAreTheirOwnersOnly) {
    const test::Scratch scratch;
    ASSERT_TRUE(prepare_work_folder(scratch / "a/work").ok());
    EXPECT_EQ(mode_of(scratch / "a/work"), fs::perms::owner_all);
    const auto of_owner = fs::perms::owner_read | fs::perms::owner_write;
    put(scratch / "file", "x");
    EXPECT_FALSE(prepare_work_folder(scratch / "file/work").ok());
    // A folder the user made keeps its mode: the copies in it are closed by themselves.
    const fs::perms shared = fs::perms::owner_all | fs::perms::group_read | fs::perms::group_exec;
    fs::create_directory(scratch / "shared");
    fs::permissions(scratch / "shared", shared);
    ASSERT_TRUE(prepare_work_folder(scratch / "shared").ok());
    EXPECT_EQ(mode_of(scratch / "shared"), shared);
    test::write_wav(scratch / "in.wav", {test::noise(4800, 1)}, 48000);
    ASSERT_TRUE(Source::bring_in(scratch / "in.wav", scratch / "shared").ok());
    ASSERT_FALSE(fs::is_empty(scratch / "shared"));
    for (const auto& copy : fs::directory_iterator(scratch / "shared"))
        EXPECT_EQ(mode_of(copy.path()), of_owner) << copy.path();
}

// A process is killed while it writes: the next start removes what it has left, and nothing else.
TEST(Files, WhatADeadProcessLeftIsSweptAway) {
    const test::Scratch scratch;
    const pid_t child = ::fork();
    ASSERT_GE(child, 0);
    if (child == 0) {
        auto out = OutputFile::create(scratch / "copy.sound");
        if (!out) ::_exit(1);
        if (!out->write(std::as_bytes(std::span("half", 4)))) ::_exit(1);
        ::kill(::getpid(), SIGKILL);
    }
    int status = 0;
    ASSERT_EQ(::waitpid(child, &status, 0), child);
    ASSERT_EQ(scratch.leftovers(), 1);
    auto living = OutputFile::create(scratch / "mine.sound");
    ASSERT_TRUE(living.ok());
    // The user's files, some with the dead process's number in their names.
    const std::string number = std::to_string(child);
    const std::vector<std::string> of_the_user = {"take 1.wav", "take " + number + "-1.wav",
                                                  ".notes." + number + "-1.part",
                                                  "a." + number + "-0123456789abcdef.part.wav"};
    for (const std::string& name : of_the_user) put(scratch / name, "a recording");
    const auto before = scratch.leftovers();
    sweep_partials(scratch.folder());
    EXPECT_EQ(scratch.leftovers(), before - 1);  // that of this process stays
    for (const std::string& name : of_the_user) EXPECT_TRUE(fs::exists(scratch / name)) << name;
    ASSERT_TRUE(living->commit().ok());
    EXPECT_EQ(scratch.leftovers(), before - 2);
}

// Names of partial files cannot be foreseen, so that no link can wait there.
TEST(Files, PartialNamesDoNotRepeat) {
    std::set<fs::path> names;
    for (int i = 0; i < 1000; ++i) EXPECT_TRUE(names.insert(partial_path("/a/b.wav")).second);
}

TEST(Files, AFileThatIsCutShortWhileItIsMappedReadsAsZerosAndSaysSo) {
    const test::Scratch scratch;
    put(scratch / "big", std::string(1 << 20, 'x'));
    const auto whole = MappedFile::open(scratch / "big");
    put(scratch / "other", std::string(1 << 16, 'y'));
    const auto other = MappedFile::open(scratch / "other");
    ASSERT_TRUE(whole.ok() && other.ok());
    EXPECT_TRUE(whole->intact());
    ASSERT_EQ(::truncate((scratch / "big").c_str(), 4096), 0);
    whole->drop_pages();
    const auto bytes = whole->bytes();
    EXPECT_EQ(static_cast<char>(bytes[100]), 'x');
    for (std::size_t i = 8192; i < bytes.size(); i += 4096) ASSERT_EQ(static_cast<char>(bytes[i]), '\0');
    EXPECT_FALSE(whole->intact());
    EXPECT_TRUE(other->intact());
}

TEST(Files, AWorkingCopyThatIsCutShortIsTold) {
    const test::Scratch scratch;
    test::write_wav(scratch / "in.wav", {test::noise(480000, 1)}, 48000);
    const auto source = Source::bring_in(scratch / "in.wav", scratch / "work");
    ASSERT_TRUE(source.ok());
    EXPECT_TRUE(source->intact().ok());
    ASSERT_EQ(::truncate(source->sound_file().c_str(), 8192), 0);
    source->drop_pages();
    std::vector<float> read(480000);
    source->read(0, 0, read);
    const Status status = source->intact();
    ASSERT_FALSE(status.ok());
    EXPECT_NE(status.error().message.find("in.wav"), std::string::npos);
}

// A program that restores the time of a file it has changed does not get the sound of before.
TEST(Files, AnotherContentOfTheSameSizeAndTimeIsReadAnew) {
    const test::Scratch scratch;
    const auto path = scratch / "in.wav";
    test::write_wav(path, {test::noise(48000, 1)}, 48000);
    const auto time = fs::last_write_time(path);
    const auto first = Source::bring_in(path, scratch / "work");
    test::write_wav(path, {test::noise(48000, 2)}, 48000);
    fs::last_write_time(path, time);
    const auto second = Source::bring_in(path, scratch / "work");
    ASSERT_TRUE(first.ok() && second.ok());
    EXPECT_NE(first->hash(), second->hash());
    EXPECT_NE(first->sound_file(), second->sound_file());
}

TEST(Json, DeepNestingIsRefusedAndAllElseIsReadAsItIs) {
    EXPECT_TRUE(parse_json(std::string(1'000'000, '[')).is_discarded());
    EXPECT_TRUE(parse_json(std::string(65, '[') + std::string(65, ']')).is_discarded());
    EXPECT_FALSE(parse_json(std::string(64, '[') + std::string(64, ']')).is_discarded());
    EXPECT_TRUE(parse_json("{").is_discarded());
    const auto value = parse_json(R"({"a": "[[[[\"[[[[", "b": [1, 2]})");  // brackets in a string are none
    ASSERT_TRUE(value.is_object());
    EXPECT_EQ(value["b"][1], 2);
}

TEST(Guarded, WhatIsThrownBecomesAnErrorValue) {
    EXPECT_TRUE(guarded([]() -> Status { return {}; }).ok());
    const Status memory = guarded([]() -> Status { throw std::bad_alloc(); });
    ASSERT_FALSE(memory.ok());
    EXPECT_NE(memory.error().message.find("memory"), std::string::npos);
    const Status other = guarded([]() -> Status { throw std::runtime_error("odd"); });
    ASSERT_FALSE(other.ok());
    EXPECT_EQ(other.error().kind, ErrorKind::Internal);
    EXPECT_NE(other.error().message.find("odd"), std::string::npos);
}

TEST(BackgroundWorker, WhatATaskThrowsComesOutWhereItIsWaitedFor) {
    BackgroundWorker worker;
    worker.start([] { throw std::bad_alloc(); });
    EXPECT_THROW(worker.wait(), std::bad_alloc);
    int done = 0;
    worker.start([&] { ++done; });  // and it works on
    worker.wait();
    EXPECT_EQ(done, 1);
}

}  // namespace
}  // namespace rivlen
