// SPDX-License-Identifier: GPL-3.0-or-later
// Every setting of every stem as an option, and presets as files.
#pragma once

#include <CLI/CLI.hpp>
#include <filesystem>
#include <functional>
#include <vector>

#include "core/base/result.h"
#include "core/separation/corrections.h"
#include "core/separation/settings.h"

namespace rivlen::cli {

class SettingOptions {
  public:
    void add_to(CLI::App& command);
    // The preset, if one was named, with what other options set laid over it. Errors: those of load_preset().
    [[nodiscard]] Result<ShapeSettings> settings() const;
    // Those that the preset brings along. Errors: those of load_preset().
    [[nodiscard]] Result<std::vector<Correction>> corrections() const;

  private:
    std::filesystem::path preset_;
    std::vector<std::function<void(ShapeSettings&)>> changes_;
};

}  // namespace rivlen::cli
