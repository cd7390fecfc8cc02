// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/curve_files.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>
#include <regex>
#include <sstream>

namespace rivlen {
namespace {

std::vector<TradeOff> example() {
    std::vector<TradeOff> curve(5);
    for (std::size_t i = 0; i < curve.size(); ++i) {
        curve[i].bleed_db = -3.0 - 8.0 * static_cast<double>(i);
        curve[i].damage = 12.5 * static_cast<double>(i);
        curve[i].parts.loss = 0.01 * static_cast<double>(i);
        curve[i].parts.musical_noise = 0.3;
    }
    return curve;
}

CurveFile file_of(const std::vector<TradeOff>& curve) {
    return {"take <1> & \"2\".wav", "dialogue", 5.0, 12.25, curve};
}

TEST(CurveFiles, TheTableHasARowAStepAndNamedColumns) {
    const auto curve = example();
    std::istringstream csv(curve_csv(file_of(curve)));
    std::string line;
    std::getline(csv, line);
    EXPECT_EQ(line.substr(0, 32), "isolation_percent,leak_db,damage");
    const auto columns = std::ranges::count(line, ',');
    std::vector<std::string> rows;
    while (std::getline(csv, line)) {
        EXPECT_EQ(std::ranges::count(line, ','), columns);
        rows.push_back(line);
    }
    ASSERT_EQ(rows.size(), curve.size());
    EXPECT_EQ(std::stod(rows[1]), 25.0);
    EXPECT_NEAR(std::stod(rows[4].substr(rows[4].find(',') + 1)), -35.0, 1e-3);
}

TEST(CurveFiles, JsonHoldsTheSameValues) {
    const auto curve = example();
    const auto json = nlohmann::json::parse(curve_json(file_of(curve)));
    ASSERT_EQ(json["curve"].size(), curve.size());
    EXPECT_EQ(json["stem"], "dialogue");
    EXPECT_NEAR(json["curve"][2]["isolation_percent"].get<double>(), 50.0, 1e-9);
    EXPECT_NEAR(json["curve"][2]["leak_db"].get<double>(), -19.0, 1e-6);
    EXPECT_NEAR(json["curve"][3]["damage"].get<double>(), 37.5, 1e-6);
}

// Names of files may hold anything: none of it becomes part of the drawing's markup.
TEST(CurveFiles, TheDrawingIsWellFormedAndEscaped) {
    const auto curve = example();
    const std::string svg = curve_svg(file_of(curve));
    EXPECT_EQ(svg.find("<1>"), std::string::npos);
    EXPECT_NE(svg.find("&lt;1&gt; &amp;"), std::string::npos);
    EXPECT_NE(svg.find("http://www.w3.org/2000/svg"), std::string::npos);
    // Every opened element is closed.
    std::vector<std::string> open;
    const std::regex tag(R"(<(/?)([a-z]+)[^>]*?(/?)>)");
    for (std::sregex_iterator at(svg.begin(), svg.end(), tag), end; at != end; ++at) {
        if ((*at)[3].length() > 0) continue;
        if ((*at)[1].length() == 0) {
            open.push_back((*at)[2]);
        } else {
            ASSERT_FALSE(open.empty());
            EXPECT_EQ(open.back(), (*at)[2].str());
            open.pop_back();
        }
    }
    EXPECT_TRUE(open.empty());
    EXPECT_EQ(svg.find("nan"), std::string::npos);
}

}  // namespace
}  // namespace rivlen
