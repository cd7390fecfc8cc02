// SPDX-License-Identifier: GPL-3.0-or-later
// Files inside packages: in archives within archives, and one after another in files that only hold sounds.
#pragma once

#include <cstdio>
#include <filesystem>
#include <functional>
#include <string>

#include "core/base/result.h"

namespace rivlen::learn {

// Calls `take` with every file of a tar stream for which its path is wanted, extracted to `scratch`. A file
// in an archive in it has the archive's path and "!" before its own. Errors: Io when the stream is no
// archive.
[[nodiscard]] Status walk_archive(
    std::FILE* stream, const std::filesystem::path& scratch,
    const std::function<bool(const std::string&)>& wanted,
    const std::function<void(const std::string&, const std::filesystem::path&)>& take);

}  // namespace rivlen::learn
