// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "core/base/markup.h"
#include "core/workflow/parts.h"

namespace rivlen::cli {

namespace {

using nlohmann::json;

json channel_to_json(const ChannelOfFile& channel) {
    json out = {{"stream", channel.stream}, {"channel", channel.channel + 1}, {"name", channel.name}};
    out["peak_dbfs"] = channel.peak_dbfs ? json(*channel.peak_dbfs) : json();
    return out;
}

json to_json(const FileChannels& file, const std::vector<PartOfFile>& parts) {
    json out = {{"channels", json::array()}, {"parts", json::array()}};
    for (const auto& channel : file.channels) out["channels"].push_back(channel_to_json(channel));
    for (const auto& part : parts) {
        json entry = {{"name", part.name}};
        for (const auto& channel : part.channels) entry["channels"].push_back(channel_to_json(channel));
        out["parts"].push_back(std::move(entry));
    }
    return out;
}

void print(const FileChannels& file, const std::vector<PartOfFile>& parts) {
    for (const auto& c : file.channels)
        fmt::print("stream {} channel {:2}  peak {}{}\n", c.stream, c.channel + 1,
                   level_words(c.peak_dbfs, "dBFS"), c.name.empty() ? "" : "  " + one_line(c.name));
    for (const auto& part : parts)
        fmt::print("part \"{}\": {} channel{}\n", one_line(part.name), part.channels.size(),
                   part.channels.size() == 1 ? "" : "s");
}

}  // namespace

void add_parts(CLI::App& app, Status& status) {
    struct Options {
        std::filesystem::path file, folder, work = "rivlen-work";
        bool json = false;
    };
    auto options = std::make_shared<Options>();
    auto* command = app.add_subcommand(
        "parts",
        "Tell the streams and channels of a file, or write what belongs together as recordings of their own");
    command->add_option("FILE", options->file, "Sound or picture file")->required();
    command->add_option("-o,--output", options->folder, "Write the parts into this folder");
    command->add_option("--work", options->work, "Folder for what is made on the way")->capture_default_str();
    command->add_flag("--json", options->json, "Print JSON");
    command->callback([options, &status] {
        const auto file = channels_of_file(options->file);
        if (!file) {
            status = file.error();
            return;
        }
        const auto parts = likely_parts(*file);
        if (options->json) {
            fmt::print("{}\n", to_json(*file, parts).dump(2, ' ', false, json::error_handler_t::replace));
        } else {
            print(*file, parts);
        }
        if (options->folder.empty()) return;
        const auto written = write_parts(options->file, parts, options->folder, options->work);
        if (!written) {
            status = written.error();
            return;
        }
        for (const auto& path : *written) fmt::print(stderr, "{}\n", path.string());
    });
}

}  // namespace rivlen::cli
