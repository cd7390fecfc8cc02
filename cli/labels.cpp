// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include "cli/commands.h"
#include "core/workflow/labels.h"

namespace rivlen::cli {

// For tools/words; not for users.
void add_labels(CLI::App& app, Status& status) {
    auto* command = app.add_subcommand("labels", "Every label of core's tables, one a line")->group("");
    command->callback([&status] {
        for (const auto& label : all_labels()) fmt::print("{}\n", label);
        status = {};
    });
}

}  // namespace rivlen::cli
