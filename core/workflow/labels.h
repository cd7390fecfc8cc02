// SPDX-License-Identifier: GPL-3.0-or-later
// Every label and sentence of core's tables that a person reads, so that none is forgotten by translators.
#pragma once

#include <string>
#include <vector>

namespace rivlen {

// In the order of the tables, each once.
[[nodiscard]] std::vector<std::string> all_labels();

}  // namespace rivlen
