// SPDX-License-Identifier: GPL-3.0-or-later
// Reports as PDF: made by the rivlen program, which stands beside this one.
#pragma once

#include <filesystem>

#include "core/base/result.h"

namespace rivlen::cli {

// Writes page.pdf beside page.html. Errors: Io when rivlen is not there or fails.
[[nodiscard]] Status page_to_pdf(const std::filesystem::path& page, const std::string& paper = {});

}  // namespace rivlen::cli
