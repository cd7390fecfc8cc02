// SPDX-License-Identifier: GPL-3.0-or-later
// A report's page as PDF (QPdfWriter).
#pragma once

#include <filesystem>

#include "core/base/result.h"

namespace rivlen::app {

// The page is HTML as report_to_html() makes it; its SVG drawings are drawn as pictures. Needs a
// QGuiApplication. Errors: NotFound, Io, DiskFull.
[[nodiscard]] Status page_to_pdf(const std::filesystem::path& page, const std::filesystem::path& pdf);

}  // namespace rivlen::app
