// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/folders.h"

#include <fmt/format.h>
#include <unistd.h>

#include <atomic>
#include <cstdlib>

namespace rivlen {

std::filesystem::path default_work_folder() {
    const auto variable = [](const char* name) -> std::filesystem::path {
        const char* value = std::getenv(name);  // NOLINT(concurrency-mt-unsafe)
        return value != nullptr ? value : "";
    };
    if (auto own = variable("RIVLEN_WORK"); !own.empty()) return own;
    if (const auto cache = variable("XDG_CACHE_HOME"); !cache.empty()) return cache / "rivlen";
    if (const auto home = variable("HOME"); !home.empty()) return home / ".cache" / "rivlen";
    return std::filesystem::temp_directory_path() / "rivlen";
}

ScratchFile::ScratchFile(const std::filesystem::path& folder, const std::string& name,
                         const std::string& ending) {
    static std::atomic<int> number{0};
    path_ = folder / fmt::format("{} {}-{}{}", name, ::getpid(), ++number, ending);
}

ScratchFile::~ScratchFile() {
    std::error_code ignored;
    std::filesystem::remove(path_, ignored);
}

}  // namespace rivlen
