// SPDX-License-Identifier: GPL-3.0-or-later
// Chains kept as files, asked for by name.
#pragma once

#include <QWidget>
#include <optional>
#include <vector>

#include "core/project/chain_preset.h"

namespace rivlen::app {

// The chain of a file that a person chooses; nothing when none is chosen. Errors: those of
// load_chain_preset().
[[nodiscard]] std::optional<Result<ChainPreset>> ask_chain(QWidget* parent, const QString& title);
// Keeps parts in a file that a person names; does nothing when none is named. Errors: Io, DiskFull.
[[nodiscard]] Status ask_and_keep_chain(QWidget* parent, const QString& title,
                                        const std::vector<Insert>& parts);

}  // namespace rivlen::app
