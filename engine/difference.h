// SPDX-License-Identifier: GPL-3.0-or-later
// Weights that were taught, as what sets them apart from the model that they began with: float16 differences
// of every tensor that changed, the golden masks of the whole, and in the header which model that was.
#pragma once

#include <filesystem>
#include <map>
#include <string>

#include "core/base/safetensors.h"
#include "engine/network.h"

namespace rivlen {

[[nodiscard]] bool is_difference(const safetensors::Metadata& metadata);

// base: the file that base_network was loaded from. network: of the same kind; it has the weights that
// loading gives when this returns. metadata goes into the header. Errors: those of model_identity(),
// DiskFull, Io.
[[nodiscard]] Status save_difference(const std::filesystem::path& base, const SeparationNetwork& base_network,
                                     SeparationNetwork& network, const std::filesystem::path& path,
                                     std::map<std::string, std::string> metadata);

// The model it is a difference of is looked for beside it and among those that come with the program.
// Errors: NotFound (that is not there), Mismatch (it is another version), BadInput.
[[nodiscard]] Result<LoadedNetwork> load_difference(const safetensors::File& file,
                                                    const std::filesystem::path& path);

}  // namespace rivlen
