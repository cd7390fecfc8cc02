// SPDX-License-Identifier: GPL-3.0-or-later
// A ZIP archive, by libarchive; larger than 4 GB where it must be.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <string_view>

#include "core/base/result.h"

struct archive;

namespace rivlen {

class ZipWriter {
  public:
    // Writes to an open file from its start on. target: for sentences. Errors: Io.
    [[nodiscard]] static Result<ZipWriter> create(int fd, const std::filesystem::path& target);
    // Errors: Io, DiskFull.
    [[nodiscard]] Status add_text(const std::string& name, std::string_view text);
    // As it is: sound hardly becomes smaller. Errors: Io, DiskFull.
    [[nodiscard]] Status add_file(const std::string& name, const std::filesystem::path& file);
    // At the end. Errors: Io, DiskFull.
    [[nodiscard]] Status finish();

  private:
    struct Closer {
        void operator()(archive* writer) const;
    };
    ZipWriter(std::unique_ptr<archive, Closer> writer, std::filesystem::path target)
        : writer_(std::move(writer)), target_(std::move(target)) {}
    Status begin(const std::string& name, std::uint64_t size, bool compressed);
    Status failed();
    std::unique_ptr<archive, Closer> writer_;
    std::filesystem::path target_;
};

}  // namespace rivlen
