// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/recovery.h"

#include <fcntl.h>
#include <sys/file.h>
#include <unistd.h>

#include <algorithm>
#include <chrono>
#include <vector>

#include "core/base/output_file.h"

namespace rivlen {

namespace fs = std::filesystem;

namespace {

// Beside a kept session: held by flock(2) while its process lives, so that one that was killed gives it up.
fs::path lock_of(const fs::path& file) {
    return file.string() + ".lock";
}
// There while its process reads media.
fs::path reading_mark_of(const fs::path& file) {
    return file.string() + ".reading";
}

int take_lock(const fs::path& file) {
    const int lock = ::open(lock_of(file).c_str(), O_RDWR | O_CREAT | O_CLOEXEC, 0600);
    if (lock < 0) return -1;
    if (::flock(lock, LOCK_EX | LOCK_NB) == 0) return lock;
    ::close(lock);
    return -1;
}

void remove_all_of(const fs::path& file) {
    std::error_code ignored;
    for (const auto& path : {file, reading_mark_of(file), lock_of(file)}) fs::remove(path, ignored);
}

std::vector<fs::path> kept_in(const fs::path& folder) {
    std::vector<std::pair<fs::file_time_type, fs::path>> found;
    std::error_code error;
    for (const auto& entry : fs::directory_iterator(folder, error)) {
        if (entry.path().extension() != kSessionExtension) continue;
        found.emplace_back(entry.last_write_time(error), entry.path());
    }
    std::ranges::sort(found, std::greater{});
    std::vector<fs::path> files;
    for (auto& [time, path] : found) files.push_back(std::move(path));
    return files;
}

}  // namespace

Recovery::Recovery(const fs::path& work_folder) : folder_(work_folder / "recovery") {
    std::error_code error;
    fs::create_directories(folder_, error);
    const auto now = std::chrono::system_clock::now().time_since_epoch().count();
    for (int n = 0; lock_ < 0 && n < 100; ++n) {
        file_ = folder_ / fmt::format("{}-{}-{}{}", now, ::getpid(), n, kSessionExtension);
        lock_ = take_lock(file_);
    }
}

Recovery::~Recovery() {
    remove_all_of(file_);
    if (lock_ >= 0) ::close(lock_);
}

Status Recovery::keep(const Session& session) {
    return save_session(session, file_);
}

void Recovery::forget() {
    std::error_code ignored;
    fs::remove(file_, ignored);
}

Result<std::optional<Recovery::Left>> Recovery::take_over() {
    for (const auto& file : kept_in(folder_)) {
        if (file == file_) continue;
        const int lock = take_lock(file);
        if (lock < 0) continue;  // its process lives
        auto session = load_session(file);
        if (!session) {
            ::close(lock);
            continue;
        }
        std::error_code error;
        const bool read = !fs::exists(reading_mark_of(file), error);
        const Status kept = keep(*session);
        if (kept) remove_all_of(file);
        ::close(lock);
        if (!kept) return kept.error();
        return std::optional<Left>(Left{std::move(*session), read});
    }
    return std::optional<Left>();
}

void Recovery::reading_media() {
    // What cannot be marked is read all the same.
    if (const Status marked = write_text_file(reading_mark_of(file_), ""); !marked) return;
}

void Recovery::media_read() {
    std::error_code ignored;
    fs::remove(reading_mark_of(file_), ignored);
}

}  // namespace rivlen
