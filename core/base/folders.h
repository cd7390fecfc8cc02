// SPDX-License-Identifier: GPL-3.0-or-later
// Where Rivlen finds what belongs to it, and keeps working copies and maps: $RIVLEN_WORK, else
// $XDG_CACHE_HOME/rivlen, else
// ~/.cache/rivlen; and files that jobs need for a while.
#pragma once

#include <filesystem>
#include <span>
#include <string>

namespace rivlen {

[[nodiscard]] std::filesystem::path default_work_folder();

// Of the program that runs.
[[nodiscard]] std::filesystem::path program_folder();
// What an environment variable names, else the first of the places that is there; empty when none is.
[[nodiscard]] std::filesystem::path first_existing(const char* variable,
                                                   std::span<const std::filesystem::path> places);

// The name of a file that no other job has, of this process or another (that of partial_path()); what is
// there under it is removed when this goes, or by the next start when its process does not live to do so.
class ScratchFile {
  public:
    ScratchFile(const std::filesystem::path& folder, const std::string& name, const std::string& ending);
    ~ScratchFile();
    ScratchFile(const ScratchFile&) = delete;
    ScratchFile& operator=(const ScratchFile&) = delete;
    [[nodiscard]] const std::filesystem::path& path() const { return path_; }

  private:
    std::filesystem::path path_;
};

}  // namespace rivlen
