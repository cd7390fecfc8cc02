// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "core/base/markup.h"
#include "core/media/decode.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

json to_json(const MediaInfo& info) {
    json out = {{"container", info.container},
                {"duration_seconds", info.duration_seconds},
                {"size_bytes", info.size_bytes}};
    for (const auto& audio : info.audio) {
        out["audio"].push_back({{"stream", audio.index},
                                {"codec", audio.codec},
                                {"sample_rate_hz", audio.sample_rate},
                                {"channels", audio.channels},
                                {"bits_per_sample", audio.bits_per_sample},
                                {"duration_seconds", audio.duration_seconds},
                                {"start_seconds", audio.start_seconds},
                                {"language", audio.language},
                                {"title", audio.title}});
    }
    if (info.picture) {
        const auto& p = *info.picture;
        out["picture"] = {{"stream", p.index},
                          {"codec", p.codec},
                          {"width", p.width},
                          {"height", p.height},
                          {"frame_rate", fmt::format("{}/{}", p.frame_rate_num, p.frame_rate_den)},
                          {"duration_seconds", p.duration_seconds},
                          {"timecode", p.timecode}};
    }
    return out;
}

void print(const MediaInfo& info) {
    fmt::print("Container  {}, {:.2f} s, {:.1f} MB\n", info.container, info.duration_seconds,
               static_cast<double>(info.size_bytes) / 1e6);
    for (const auto& a : info.audio) {
        fmt::print("Sound      stream {}: {}, {} Hz, {} channel{}{}{}\n", a.index, a.codec, a.sample_rate,
                   a.channels, a.channels == 1 ? "" : "s",
                   a.language.empty() ? "" : ", " + one_line(a.language),
                   a.title.empty() ? "" : ", \"" + one_line(a.title) + "\"");
    }
    if (info.picture) {
        const auto& p = *info.picture;
        fmt::print("Picture    stream {}: {}, {} x {}, {:.3f} frames/s{}\n", p.index, p.codec, p.width,
                   p.height, static_cast<double>(p.frame_rate_num) / p.frame_rate_den,
                   p.timecode.empty() ? "" : ", starts at " + one_line(p.timecode));
    }
}

}  // namespace

void add_info(CLI::App& app, Status& status) {
    struct Options {
        std::filesystem::path file;
        bool json = false;
    };
    auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand("info", "Tell what is in a file");
    command->add_option("FILE", options->file, "Sound or picture file")->required();
    command->add_flag("--json", options->json, "Print JSON");
    command->callback([options, &status] {
        auto info = probe(options->file);
        if (!info) {
            status = info.error();
        } else if (options->json) {
            fmt::print("{}\n", to_json(*info).dump(2, ' ', false, json::error_handler_t::replace));
        } else {
            print(*info);
        }
    });
}

}  // namespace rivlen::cli
