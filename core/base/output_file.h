// SPDX-License-Identifier: GPL-3.0-or-later
// A file that appears whole or not at all: bytes go to a hidden neighbour, commit() renames it into place.
#pragma once

#include <cstdint>
#include <cstdio>
#include <filesystem>
#include <memory>
#include <span>
#include <vector>

#include "core/base/result.h"

namespace rivlen {

// The name under which an output is written until it is complete (what dead processes have left of such is
// removed): same folder, hidden, not to be guessed.
[[nodiscard]] std::filesystem::path partial_path(const std::filesystem::path& target);

// A partial file whose process is gone, and the name that it would have got.
struct LeftPartial {
    std::filesystem::path partial, target;
};
[[nodiscard]] std::vector<LeftPartial> left_partials(const std::filesystem::path& folder);
// Removes what processes that are gone have left of partial files in a folder.
void sweep_partials(const std::filesystem::path& folder);

// Makes the folder of working copies when it is not there, for its owner only. Errors: Io, DiskFull.
[[nodiscard]] Status prepare_work_folder(const std::filesystem::path& folder);

// Moves a complete partial file onto its target; removes the partial on failure. Errors: Io.
[[nodiscard]] Status publish(const std::filesystem::path& partial, const std::filesystem::path& target);

// A file that is complete but for its name.
struct CompleteFile {
    std::filesystem::path partial, target;
};
// Moves all of them onto their targets or, when one cannot be moved, none: what stood there before stands
// there again. No partial file stays either way. Errors: DiskFull, Io.
[[nodiscard]] Status publish_together(std::span<const CompleteFile> files);

// Turns errno of a failed write into a sentence; DiskFull for ENOSPC and EDQUOT, else Io.
[[nodiscard]] Error write_error(const std::filesystem::path& path, int errno_value);

// Who may read a new file: those whom the system lets by default, or only its owner, whatever its folder
// allows.
enum class Readers { Usual, Owner };

class OutputFile {
  public:
    // Errors: Io when the folder cannot be written to.
    [[nodiscard]] static Result<OutputFile> create(const std::filesystem::path& target,
                                                   Readers readers = Readers::Usual);

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

// Refuses to write over one of the files that something is made from, by whatever name or link. Every writer
// asks. Errors: BadInput.
[[nodiscard]] Status never_over(const std::filesystem::path& file,
                                std::span<const std::filesystem::path> inputs);
// The same, before a command begins; and Io when the file is there and may not be replaced.
[[nodiscard]] Status may_write(const std::filesystem::path& file, bool overwrite,
                               std::span<const std::filesystem::path> inputs);

// Writes a small text file atomically.
[[nodiscard]] Status write_text_file(const std::filesystem::path& target, std::string_view text);
// The same for what is a record of its time: a file of this name with other content stays as "NAME,
// earlier.EXT", "NAME, earlier 2.EXT" and so on. Errors: DiskFull, Io.
[[nodiscard]] Status write_beside_earlier(const std::filesystem::path& target, std::string_view text);
// A file that is there gets the next free name of that kind; nothing happens where there is none. Errors: Io.
[[nodiscard]] Status set_aside(const std::filesystem::path& file);
[[nodiscard]] Result<std::string> read_text_file(const std::filesystem::path& path);

}  // namespace rivlen
