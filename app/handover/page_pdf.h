// SPDX-License-Identifier: GPL-3.0-or-later
// A report's page as PDF (QPdfWriter).
#pragma once

#include <filesystem>

#include "core/base/result.h"

namespace rivlen::app {

enum class Paper { A4, Letter };
// Letter where inches are used, else A4.
[[nodiscard]] Paper paper_of_this_place();

// The page is HTML as report_to_html() makes it; its SVG drawings are drawn as pictures. Upright; a heading
// stands on the page of what it is about; every page has the file's name and its number. Needs a
// QGuiApplication. Errors: NotFound, Io, DiskFull.
[[nodiscard]] Status page_to_pdf(const std::filesystem::path& page, const std::filesystem::path& pdf,
                                 Paper paper);

}  // namespace rivlen::app
