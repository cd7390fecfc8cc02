// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/workflow/free_name.h"

#include <fmt/format.h>

#include <system_error>

namespace rivlen {

namespace fs = std::filesystem;

fs::path free_name(const fs::path& folder, const std::string& name) {
    std::error_code error;
    fs::path file = folder / (name + ".wav");
    for (int n = 2; fs::exists(file, error); ++n) file = folder / fmt::format("{} {}.wav", name, n);
    return file;
}

fs::path free_numbered_name(const fs::path& folder, const std::string& name) {
    std::error_code error;
    int n = 1;
    const auto numbered = [&] { return folder / fmt::format("{} {}.wav", name, n); };
    while (fs::exists(numbered(), error)) ++n;
    return numbered();
}

}  // namespace rivlen
