// SPDX-License-Identifier: GPL-3.0-or-later
// A file that appears whole or not at all: bytes go to a hidden neighbour, commit() renames it into place.
#pragma once

#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <memory>
#include <span>

#include "core/base/result.h"

namespace rivlen {

// The name under which an output is written until it is complete: same folder, hidden, unique per process.
[[nodiscard]] std::filesystem::path partial_path(const std::filesystem::path& target);

// Moves a complete partial file onto its target; removes the partial on failure. Errors: Io.
[[nodiscard]] Status publish(const std::filesystem::path& partial, const std::filesystem::path& target);

// Turns errno of a failed write into a sentence; DiskFull for ENOSPC and EDQUOT, else Io.
[[nodiscard]] Error write_error(const std::filesystem::path& path, int errno_value);

class OutputFile {
  public:
    // Errors: Io when the folder cannot be written to.
    [[nodiscard]] static Result<OutputFile> create(const std::filesystem::path& target);

    OutputFile(OutputFile&&) noexcept;
    OutputFile& operator=(OutputFile&&) noexcept;
    OutputFile(const OutputFile&) = delete;
    OutputFile& operator=(const OutputFile&) = delete;
    ~OutputFile();  // without commit() nothing stays behind

    // Errors: DiskFull, Io.
    [[nodiscard]] Status write(std::span<const std::byte> bytes);
    [[nodiscard]] Status write_at(std::uint64_t offset, std::span<const std::byte> bytes);
    // What is written so far can be read there, until commit() or the end of this object.
    [[nodiscard]] Result<std::filesystem::path> so_far();
    // Flushes to the disk and renames into place.
    [[nodiscard]] Status commit();

  private:
    struct Closer {
        void operator()(std::FILE* file) const { std::fclose(file); }
    };
    OutputFile(std::filesystem::path target, std::filesystem::path partial, std::FILE* file);

    std::filesystem::path target_;
    std::filesystem::path partial_;
    std::unique_ptr<std::FILE, Closer> file_;
};

// Both there, and the same file, whatever their names.
[[nodiscard]] bool same_file(const std::filesystem::path& a, const std::filesystem::path& b);

// Writes a small text file atomically.
[[nodiscard]] Status write_text_file(const std::filesystem::path& target, std::string_view text);
[[nodiscard]] Result<std::string> read_text_file(const std::filesystem::path& path);

}  // namespace rivlen
