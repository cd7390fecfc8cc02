// SPDX-License-Identifier: GPL-3.0-or-later
// A session to be delivered, and the programs that read what was delivered.
#pragma once

#include <gtest/gtest.h>

#include <array>
#include <cctype>
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <memory>
#include <nlohmann/json.hpp>
#include <string>

#include "core/delivery/deliver.h"
#include "core/project/editing.h"
#include "tests/support/fixtures.h"

namespace rivlen::test {

namespace fs = std::filesystem;

inline std::string ran(const std::string& command) {
    return output_of(command + " 2>&1");
}
inline std::string lowered(std::string text) {
    for (char& c : text) c = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return text;
}
inline nlohmann::json probed(const fs::path& file) {
    return nlohmann::json::parse(ran("ffprobe -v error -of json -show_format -show_streams " + quoted(file)),
                                 nullptr, false);
}

// Two tracks, dialogue and music, of noise that speaks in turns.
class Deliveries : public ::testing::Test {
  protected:
    void SetUp() override {
        for (const char* name : {"voice", "music"}) {
            auto x = noise(12 * kRate, name[0]);
            for (std::size_t i = 0; i < x.size(); ++i) {
                const double t = static_cast<double>(i) / kRate;
                x[i] *= static_cast<float>(name[0] == 'v' ? (std::fmod(t, 3) < 1.7 ? 0.8 : 0.0)
                                                          : 0.2 + 0.1 * std::sin(t));
            }
            // Little above 3 kHz, as in speech, so that coders and other rates take no loudness; peaks that
            // stick out.
            float low = 0;
            for (std::size_t i = 0; i < x.size(); ++i) {
                low += 0.3F * (x[i] - low);
                const bool speaks = name[0] == 'v' && std::fmod(static_cast<double>(i) / kRate, 3) < 1.5;
                x[i] = speaks && i % 24000 < 40 ? 0.6F : low;
            }
            const fs::path file = scratch_ / (std::string(name) + ".wav");
            write_wav(file, {x, x}, kRate);
            auto source = Source::bring_in(file, scratch_ / "work");
            ASSERT_TRUE(source.ok());
            Placement placement;
            placement.path = file;
            placement.length = static_cast<std::int64_t>(source->frames());
            plan_.session.timeline.sample_rate = kRate;
            const int track = add_track(plan_.session.timeline, name[0] == 'v' ? "Voice" : "Music");
            place_clip(plan_.session.timeline, placement, ClipSource::Whole, track);
            plan_.media[file] = {std::make_shared<const Source>(std::move(*source)), nullptr, kRate};
        }
        plan_.session.timeline.first_timecode_frame = 90000;  // 01:00:00:00 at 25
        plan_.name = "Ferry";
        plan_.folder = scratch_ / "out";
        plan_.work = scratch_ / "work";
    }
    HandoverRow& add(Content content, Container container, const std::string& target = "r128") {
        HandoverRow row;
        row.content = content;
        row.container = container;
        row.target = target;
        plan_.table.rows.push_back(row);
        return plan_.table.rows.back();
    }
    [[nodiscard]] int leftovers() const {
        int count = 0;
        std::error_code error;
        for (const auto& entry : fs::directory_iterator(plan_.folder, error)) {
            const auto name = entry.path().filename().string();
            if (name.starts_with('.') && name != ".rivlen") ++count;
        }
        return count;
    }
    Scratch scratch_;
    DeliveryPlan plan_;
};

}  // namespace rivlen::test
