// SPDX-License-Identifier: GPL-3.0-or-later
// A chain as a file of its own (docs/formats.md).
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "core/effects/inserts.h"

namespace rivlen {

inline constexpr const char* kChainPresetExtension = ".rivlen-chain";
struct ChainPreset {
    std::string name, note;
    std::vector<Insert> parts;
    bool operator==(const ChainPreset&) const = default;
};
// Errors: Io, DiskFull.
[[nodiscard]] Status save_chain_preset(const ChainPreset& preset, const std::filesystem::path& path);
// Errors: NotFound, BadInput, Unsupported.
[[nodiscard]] Result<ChainPreset> load_chain_preset(const std::filesystem::path& path);

}  // namespace rivlen
