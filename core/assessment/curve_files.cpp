// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/curve_files.h"

#include <fmt/format.h>

#include <algorithm>
#include <nlohmann/json.hpp>

namespace rivlen {

namespace {

double percent_of(const CurveFile& file, std::size_t i) {
    return file.curve.size() < 2
               ? 0.0
               : 100.0 * static_cast<double>(i) / static_cast<double>(file.curve.size() - 1);
}

std::string escaped(const std::string& text) {
    std::string out;
    for (const char c : text) {
        if (c == '&') {
            out += "&amp;";
        } else if (c == '<') {
            out += "&lt;";
        } else if (c == '>') {
            out += "&gt;";
        } else if (static_cast<unsigned char>(c) >= 0x20) {
            out += c;
        }
    }
    return out;
}

constexpr double kLeft = 56, kTop = 48, kWidth = 520, kHeight = 260;
constexpr double kLowestBleedDb = -48;

double x_of(double percent) {
    return kLeft + kWidth * percent / 100.0;
}

template <typename Y>
std::string polyline(const CurveFile& file, const char* colour, const char* dashes, const Y& y_of) {
    std::string points;
    for (std::size_t i = 0; i < file.curve.size(); ++i)
        points += fmt::format("{:.1f},{:.1f} ", x_of(percent_of(file, i)), y_of(file.curve[i]));
    return fmt::format(
        "<polyline points=\"{}\" fill=\"none\" stroke=\"{}\" stroke-width=\"2\" stroke-dasharray=\"{}\"/>\n",
        points, colour, dashes);
}

std::string label(double x, double y, const char* anchor, const std::string& text) {
    return fmt::format("<text x=\"{:.1f}\" y=\"{:.1f}\" text-anchor=\"{}\">{}</text>\n", x, y, anchor,
                       escaped(text));
}

}  // namespace

std::string curve_csv(const CurveFile& file) {
    std::string out =
        "isolation_percent,leak_db,damage,loss,flicker,consonants_db,musical_noise,holes,thinness_db\n";
    for (std::size_t i = 0; i < file.curve.size(); ++i) {
        const TradeOff& t = file.curve[i];
        out += fmt::format("{:g},{:.3f},{:.3f},{:.6g},{:.6g},{:.4f},{:.5f},{:.6g},{:.4f}\n",
                           percent_of(file, i), t.bleed_db, t.damage, t.parts.loss, t.parts.gain_modulation,
                           t.parts.consonants_db, t.parts.musical_noise, t.parts.holes, t.parts.thinness_db);
    }
    return out;
}

std::string curve_json(const CurveFile& file) {
    nlohmann::json out = {
        {"stem", file.stem}, {"from_seconds", file.from_seconds}, {"to_seconds", file.to_seconds}};
    out["curve"] = nlohmann::json::array();
    for (std::size_t i = 0; i < file.curve.size(); ++i) {
        const TradeOff& t = file.curve[i];
        out["curve"].push_back({{"isolation_percent", percent_of(file, i)},
                                {"leak_db", t.bleed_db},
                                {"damage", t.damage},
                                {"loss", t.parts.loss},
                                {"flicker", t.parts.gain_modulation},
                                {"consonants_db", t.parts.consonants_db},
                                {"musical_noise", t.parts.musical_noise},
                                {"holes", t.parts.holes},
                                {"thinness_db", t.parts.thinness_db}});
    }
    return out.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
}

std::string curve_svg(const CurveFile& file) {
    const auto bleed_y = [](const TradeOff& t) {
        return kTop + kHeight * std::clamp(t.bleed_db / kLowestBleedDb, 0.0, 1.0);
    };
    const auto damage_y = [](const TradeOff& t) {
        return kTop + kHeight * (1.0 - std::clamp(t.damage / 100.0, 0.0, 1.0));
    };
    std::string out =
        "<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"640\" height=\"370\" viewBox=\"0 0 640 370\" "
        "font-family=\"sans-serif\" font-size=\"12\">\n<rect width=\"640\" height=\"370\" fill=\"white\"/>\n";
    out += label(kLeft, 22, "start", file.title);
    out += label(kLeft, 38, "start",
                 fmt::format("{}, {:.2f} to {:.2f} s", file.stem, file.from_seconds, file.to_seconds));
    for (int i = 0; i <= 4; ++i) {
        const double y = kTop + kHeight * i / 4.0;
        out += fmt::format("<path d=\"M{} {:.1f}H{}\" stroke=\"#ccc\"/>\n", kLeft, y, kLeft + kWidth);
        out += label(kLeft - 6, y + 4, "end", fmt::format("{} dB", -12 * i));
        out += label(kLeft + kWidth + 6, y + 4, "start", fmt::format("{}", 100 - 25 * i));
        out += label(x_of(25.0 * i), kTop + kHeight + 18, "middle", fmt::format("{} %", 25 * i));
    }
    out += polyline(file, "#1b6f8a", "none", bleed_y);
    out += polyline(file, "#b4452c", "7 4", damage_y);
    out += label(kLeft, 348, "start", "isolation; solid: leak (left scale); dashed: damage (right scale)");
    return out + "</svg>\n";
}

}  // namespace rivlen
