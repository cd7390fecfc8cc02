// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/folders.h"

#include <cstdlib>

#include "core/base/output_file.h"

namespace rivlen {

std::filesystem::path program_folder() {
    std::error_code error;
    return std::filesystem::read_symlink("/proc/self/exe", error).parent_path();
}

std::filesystem::path first_existing(const char* variable, std::span<const std::filesystem::path> places) {
    const char* set = std::getenv(variable);  // NOLINT(concurrency-mt-unsafe)
    if (set != nullptr && *set != '\0') return set;
    std::error_code error;
    for (const auto& place : places) {
        if (std::filesystem::exists(place, error)) return place;
    }
    return {};
}

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
                         const std::string& ending)
    : path_(partial_path(folder / (name + ending))) {}

ScratchFile::~ScratchFile() {
    std::error_code ignored;
    std::filesystem::remove(path_, ignored);
}

}  // namespace rivlen
