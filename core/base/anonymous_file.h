// SPDX-License-Identifier: GPL-3.0-or-later
// A file without a name: whatever happens to the process, also kill -9, nothing of it stays behind. It gets
// its name, whole, when it is published.
#pragma once

#include <filesystem>
#include <string>

#include "core/base/result.h"

namespace rivlen {

class AnonymousFile {
  public:
    // On the file system of `folder`, which is made when it is not there. Errors: Io, DiskFull.
    [[nodiscard]] static Result<AnonymousFile> create(const std::filesystem::path& folder);
    AnonymousFile(AnonymousFile&& other) noexcept;
    AnonymousFile& operator=(AnonymousFile&& other) noexcept;
    AnonymousFile(const AnonymousFile&) = delete;
    AnonymousFile& operator=(const AnonymousFile&) = delete;
    ~AnonymousFile();

    [[nodiscard]] int fd() const { return fd_; }
    // Under which this process can open it again.
    [[nodiscard]] std::string path() const;
    // Flushed to the disk, then named. Errors: Io (there is such a file and replace is off), DiskFull.
    [[nodiscard]] Status publish(const std::filesystem::path& target, bool replace);

  private:
    AnonymousFile(int fd, std::filesystem::path hidden) : fd_(fd), hidden_(std::move(hidden)) {}
    int fd_ = -1;
    std::filesystem::path hidden_;  // its name on file systems that know no files without one
};

}  // namespace rivlen
