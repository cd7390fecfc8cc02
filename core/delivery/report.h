// SPDX-License-Identifier: GPL-3.0-or-later
// What was delivered, for people (HTML) and for programs (JSON, CSV).
#pragma once

#include <filesystem>
#include <string>

#include "core/delivery/deliver.h"

namespace rivlen {

[[nodiscard]] std::string report_to_json(const DeliveryReport& report);
// One line a row, RFC 4180.
[[nodiscard]] std::string report_to_csv(const DeliveryReport& report);
// One page without anything outside it: table, targets, sum check, loudness and peaks over time as drawings
// (SVG).
[[nodiscard]] std::string report_to_html(const DeliveryReport& report, const HandoverTemplate& table);
// The page that write_reports() writes.
[[nodiscard]] std::filesystem::path report_page(const std::string& name, const std::filesystem::path& folder);
// "<name> report.html", .json and .csv; earlier ones stay (write_beside_earlier). Where all files were there
// as before, the report that is there stays as it is. Errors: Io, DiskFull.
[[nodiscard]] Status write_reports(const DeliveryReport& report, const HandoverTemplate& table,
                                   const std::filesystem::path& folder);

}  // namespace rivlen
