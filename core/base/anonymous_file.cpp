// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/anonymous_file.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <utility>

#include "core/base/output_file.h"

namespace rivlen {

namespace fs = std::filesystem;

Result<AnonymousFile> AnonymousFile::create(const fs::path& folder) {
    const fs::path here = folder.empty() ? fs::path(".") : folder;
    std::error_code error;
    fs::create_directories(here, error);
    const int fd = ::open(here.c_str(), O_TMPFILE | O_RDWR | O_CLOEXEC, 0644);
    if (fd >= 0) return AnonymousFile(fd, {});
    if (errno != EOPNOTSUPP && errno != EISDIR && errno != EINVAL) return write_error(here / "file", errno);
    const fs::path hidden = partial_path(here / "file");
    const int named = ::open(hidden.c_str(), O_CREAT | O_EXCL | O_RDWR | O_CLOEXEC, 0644);
    if (named < 0) return write_error(hidden, errno);
    return AnonymousFile(named, hidden);
}

AnonymousFile::AnonymousFile(AnonymousFile&& other) noexcept
    : fd_(std::exchange(other.fd_, -1)), hidden_(std::exchange(other.hidden_, {})) {}

AnonymousFile& AnonymousFile::operator=(AnonymousFile&& other) noexcept {
    std::swap(fd_, other.fd_);
    std::swap(hidden_, other.hidden_);
    return *this;
}

AnonymousFile::~AnonymousFile() {
    if (fd_ >= 0) ::close(fd_);
    std::error_code ignored;
    if (!hidden_.empty()) fs::remove(hidden_, ignored);
}

std::string AnonymousFile::path() const {
    return fmt::format("/proc/self/fd/{}", fd_);
}

Status AnonymousFile::publish(const fs::path& target, bool replace) {
    if (::fsync(fd_) != 0) return write_error(target, errno);
    const auto name = [&](const fs::path& to) {
        return hidden_.empty() ? ::linkat(AT_FDCWD, path().c_str(), AT_FDCWD, to.c_str(), AT_SYMLINK_FOLLOW)
                               : ::link(hidden_.c_str(), to.c_str());
    };
    if (name(target) == 0) return {};
    if (errno != EEXIST) return write_error(target, errno);
    if (!replace)
        return make_error(ErrorKind::Io, "\"{}\" is there already. Choose another name, or allow replacing.",
                          target.string());
    const fs::path beside = partial_path(target);
    if (name(beside) != 0) return write_error(target, errno);
    return rivlen::publish(beside, target);
}

}  // namespace rivlen
