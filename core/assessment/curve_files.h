// SPDX-License-Identifier: GPL-3.0-or-later
// A measured trade-off as text for other programs: a table, JSON, and a drawing.
#pragma once

#include <span>
#include <string>

#include "core/assessment/tradeoff.h"

namespace rivlen {

struct CurveFile {
    std::string title;  // of the drawing
    std::string stem;
    double from_seconds = 0, to_seconds = 0;
    std::span<const TradeOff> curve;  // isolation in even steps from 0 to 100 %
};

// One row a step: isolation_percent, bleed_db, damage and its parts.
[[nodiscard]] std::string curve_csv(const CurveFile& file);
[[nodiscard]] std::string curve_json(const CurveFile& file);
// A drawing in SVG 1.1: leak falls from the top left, damage rises from the bottom left.
[[nodiscard]] std::string curve_svg(const CurveFile& file);

}  // namespace rivlen
