// SPDX-License-Identifier: GPL-3.0-or-later
// A read-only file in the address space: random access to files larger than memory.
#pragma once

#include <cstddef>
#include <filesystem>
#include <span>

#include "core/base/result.h"

namespace rivlen {

class MappedFile {
  public:
    // Errors: NotFound, Io, BadInput (empty file).
    [[nodiscard]] static Result<MappedFile> open(const std::filesystem::path& path);

    MappedFile() = default;
    MappedFile(MappedFile&& other) noexcept;
    MappedFile& operator=(MappedFile&& other) noexcept;
    MappedFile(const MappedFile&) = delete;
    MappedFile& operator=(const MappedFile&) = delete;
    ~MappedFile();

    [[nodiscard]] std::span<const std::byte> bytes() const { return {data_, size_}; }
    // Gives back the memory of what was read so far; what is read again comes from the file again (as a rule
    // from the system's cache). May be called while other threads read.
    void drop_pages() const;
    // False once something was read that the file no longer holds (it was cut short while it was mapped);
    // that read zeros. Any thread.
    [[nodiscard]] bool intact() const;

  private:
    MappedFile(const std::byte* data, std::size_t size);
    const std::byte* data_ = nullptr;
    std::size_t size_ = 0;
    int watched_ = -1;  // place among the mappings that are watched
};

}  // namespace rivlen
