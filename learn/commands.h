// SPDX-License-Identifier: GPL-3.0-or-later
// The subcommands of rivlen-learn. Each leaves its outcome in `status`.
#pragma once

#include <CLI/CLI.hpp>

#include "core/base/result.h"

namespace rivlen::learn {

void add_commands(CLI::App& app, Status& status);

}  // namespace rivlen::learn
