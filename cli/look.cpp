// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <memory>
#include <nlohmann/json.hpp>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "core/base/folders.h"
#include "core/base/output_file.h"
#include "core/diagnosis/first_look.h"
#include "core/project/chain_preset.h"

namespace rivlen::cli {

namespace {

struct LookOptions {
    std::filesystem::path file, out, work = default_work_folder();
    bool overwrite = false, json = false;
};

nlohmann::json to_json(const FirstLook& look) {
    nlohmann::json out = {{"material", label_of(look.material)}, {"sentence", look.sentence},
                          {"voice_dbfs", look.voice_dbfs},       {"peak_dbfs", look.peak_dbfs},
                          {"decay_s", look.echo.rt60_s},         {"findings", nlohmann::json::array()}};
    for (const auto& finding : look.findings) {
        nlohmann::json f = {
            {"fault", key_of(finding.fault)}, {"found", finding.found}, {"sentence", finding.sentence}};
        if (finding.proposal) f["part"] = info(finding.proposal->kind).key;
        out["findings"].push_back(std::move(f));
    }
    return out;
}

Status run(const LookOptions& o) {
    if (!o.out.empty()) {
        if (auto free = may_write(o.out, o.overwrite, std::span(&o.file, 1)); !free) return free;
    }
    TerminalJob job("Looking");
    const auto source = Source::bring_in(o.file, o.work, job.control());
    if (!source) return source.error();
    tell_warnings(*source);
    const auto look = look_at(*source, nullptr, job.control());
    if (!look) return look.error();
    const auto chain = look->chain(1);
    if (!o.out.empty()) {
        auto status = save_chain_preset({o.file.stem().string(), look->sentence, chain}, o.out);
        if (!status) return status;
    }
    if (o.json) {
        fmt::print("{}\n", to_json(*look).dump(2, ' ', false, nlohmann::json::error_handler_t::replace));
        return {};
    }
    fmt::print("{}. {}\n", label_of(look->material), look->sentence);
    for (const auto& finding : look->findings)
        fmt::print("{} {:<15} {}\n", finding.found ? '*' : ' ', label_of(finding.fault), finding.sentence);
    if (!o.out.empty())
        fmt::print("The chain is in \"{}\": rivlen-cli process FILE --chain \"{}\" -o OUT\n", o.out.string(),
                   o.out.string());
    return {};
}

}  // namespace

void add_look(CLI::App& app, Status& status) {
    auto options = std::make_shared<LookOptions>();
    auto* command = app.add_subcommand("look", "Tell what is wrong with a sound file, and propose a chain");
    command->add_option("FILE", options->file, "Sound or picture file")->required();
    command->add_option("-o,--output", options->out, "Keep the proposed chain as a file (.rivlen-chain)");
    command->add_option("--work", options->work, "Folder for working copies")->capture_default_str();
    command->add_flag("--overwrite", options->overwrite, "Replace a file that is there");
    command->add_flag("--json", options->json, "Print what was found as JSON");
    command->callback([options, &status] { status = run(*options); });
}

}  // namespace rivlen::cli
