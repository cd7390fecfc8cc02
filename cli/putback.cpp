// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/layback.h"

#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/terminal.h"

namespace rivlen::cli {

void add_layback(CLI::App& app, Status& status) {
    struct Options {
        LaybackPlan plan;
        std::vector<std::filesystem::path> sounds;
        std::vector<std::string> titles, languages;
        bool json = false;
    };
    auto options = std::make_shared<Options>();
    auto* command =
        app.add_subcommand("putback", "Put sound back under its picture, which is copied untouched");
    command->add_option("PICTURE", options->plan.picture, "File with the picture")->required();
    command
        ->add_option("--audio", options->sounds,
                     "Sounds that begin with the picture's first frame; players take the first")
        ->allow_extra_args(false)
        ->required();
    command->add_option("-o,--output", options->plan.out, "File to write: .mov, .mp4 or .mkv")->required();
    command->add_option("--title", options->titles, "Names of the new sounds, in their order")
        ->allow_extra_args(false);
    command
        ->add_option("--language", options->languages, "Their languages (ISO 639-2, as eng), in their order")
        ->allow_extra_args(false);
    command->add_flag("--keep-original", options->plan.keep_original_sound,
                      "Keep the old sound as the last track");
    command->add_flag("--overwrite", options->plan.overwrite, "Replace a file that is there");
    command->add_flag("--json", options->json, "Print a report as JSON");
    command->callback([options, &status] {
        for (std::size_t i = 0; i < options->sounds.size(); ++i) {
            LaybackSound sound;
            sound.audio = options->sounds[i];
            if (i < options->titles.size()) sound.title = options->titles[i];
            if (i < options->languages.size()) sound.language = options->languages[i];
            options->plan.sounds.push_back(std::move(sound));
        }
        TerminalJob job("Putting back");
        auto report = lay_back(options->plan, job.control());
        if (!report) {
            status = report.error();
            return;
        }
        if (options->json) {
            const nlohmann::json out = {{"codec", report->codec},
                                        {"picture_identical", report->picture_identical},
                                        {"picture_packets", report->picture_packets},
                                        {"offset_samples", report->offset_samples},
                                        {"difference_db", report->difference_db}};
            fmt::print("{}\n", out.dump(2));
        } else {
            fmt::print(
                "{}: picture copied ({} packets, identical); sound as {}, {} samples off, {:.1f} dB "
                "different.\n",
                options->plan.out.string(), report->picture_packets, report->codec, report->offset_samples,
                report->difference_db);
        }
    });
}

}  // namespace rivlen::cli
