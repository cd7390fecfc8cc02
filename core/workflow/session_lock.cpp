// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/session_lock.h"

#include <fcntl.h>
#include <fmt/format.h>
#include <pwd.h>
#include <sys/file.h>
#include <unistd.h>

#include <array>
#include <utility>

namespace rivlen {

namespace {

std::string who() {
    std::array<char, 256> host{};
    if (::gethostname(host.data(), host.size() - 1) != 0) host[0] = '\0';
    const passwd* user =
        ::getpwuid(::geteuid());  // NOLINT(concurrency-mt-unsafe): only when sessions are opened
    return fmt::format("{} on {}", user != nullptr ? user->pw_name : "somebody", host.data());
}

std::string read_line(int fd) {
    std::array<char, 300> text{};
    const auto size = ::pread(fd, text.data(), text.size(), 0);
    return size > 0 ? std::string(text.data(), static_cast<std::size_t>(size)) : std::string("somebody");
}

}  // namespace

SessionLock::SessionLock(const std::filesystem::path& session)
    : file_(session.parent_path() / fmt::format(".{}.lock", session.filename().string())) {
    fd_ = ::open(file_.c_str(), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0644);
    if (fd_ < 0) return;
    if (::flock(fd_, LOCK_EX | LOCK_NB) != 0) {
        holder_ = read_line(fd_);
        ::close(std::exchange(fd_, -1));
        return;
    }
    const std::string me = who();
    const bool said = ::ftruncate(fd_, 0) == 0 && ::pwrite(fd_, me.data(), me.size(), 0) > 0;
    (void)said;  // the lock holds all the same
}

SessionLock::SessionLock(SessionLock&& other) noexcept
    : fd_(std::exchange(other.fd_, -1)), file_(std::move(other.file_)), holder_(std::move(other.holder_)) {}

SessionLock& SessionLock::operator=(SessionLock&& other) noexcept {
    std::swap(fd_, other.fd_);
    std::swap(file_, other.file_);
    std::swap(holder_, other.holder_);
    return *this;
}

SessionLock::~SessionLock() {
    if (fd_ < 0) return;
    std::error_code ignored;
    std::filesystem::remove(file_, ignored);  // before the lock is given up: nobody else can have it yet
    ::close(fd_);
}

}  // namespace rivlen
