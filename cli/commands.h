// SPDX-License-Identifier: GPL-3.0-or-later
// The subcommands of rivlen-cli. Each leaves its outcome in `status`.
#pragma once

#include <CLI/CLI.hpp>
#include <filesystem>

#include "core/base/result.h"

namespace rivlen::cli {

void add_corrections(CLI::App& app, Status& status);
void add_assess(CLI::App& app, Status& status);
void add_batch(CLI::App& app, Status& status);
void add_batch_report(CLI::App& app, Status& status);
void add_handover(CLI::App& app, Status& status);
void add_info(CLI::App& app, Status& status);
void add_labels(CLI::App& app, Status& status);
void add_look(CLI::App& app, Status& status);
void add_mix(CLI::App& app, Status& status);
void add_parts(CLI::App& app, Status& status);
void add_process(CLI::App& app, Status& status);
void add_propose(CLI::App& app, Status& status);
void add_split(CLI::App& app, Status& status);
void add_teach(CLI::App& app, Status& status);
void add_layback(CLI::App& app, Status& status);

}  // namespace rivlen::cli
