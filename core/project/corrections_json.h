// SPDX-License-Identifier: GPL-3.0-or-later
// Corrections as JSON, the same in sessions and in files of their own (docs/formats.md).
#pragma once

#include <filesystem>
#include <nlohmann/json.hpp>
#include <vector>

#include "core/base/result.h"
#include "core/separation/corrections.h"

namespace rivlen {

inline constexpr const char* kCorrectionsExtension = ".rivlen-corrections";

[[nodiscard]] nlohmann::json corrections_to_json(std::span<const Correction> corrections);
// Values out of range are brought into it; what has no extent or is no correction is left out.
[[nodiscard]] std::vector<Correction> corrections_from_json(const nlohmann::json& entry);

// The whole of a file of its own.
[[nodiscard]] std::string corrections_file_text(std::span<const Correction> corrections);
// Errors: Io, DiskFull.
[[nodiscard]] Status save_corrections(std::span<const Correction> corrections,
                                      const std::filesystem::path& path);
// Errors: NotFound, BadInput, Unsupported.
[[nodiscard]] Result<std::vector<Correction>> load_corrections(const std::filesystem::path& path);

}  // namespace rivlen
