// SPDX-License-Identifier: GPL-3.0-or-later
#include <fmt/format.h>

#include <algorithm>
#include <memory>

#include "cli/commands.h"
#include "core/base/output_file.h"
#include "core/project/session.h"

namespace rivlen::cli {

namespace {

struct CorrectionsCommand {
    std::filesystem::path session, out;
    std::string recording;
    bool overwrite = false;
};

Status run(const CorrectionsCommand& c) {
    const auto session = load_session(c.session);
    if (!session) return session.error();
    const auto named = [&](const SessionItem& item) {
        return item.path == c.recording || item.path.filename() == c.recording;
    };
    const auto item = c.recording.empty() ? session->items.begin() + std::max(0, session->current)
                                          : std::ranges::find_if(session->items, named);
    if (session->items.empty() || item == session->items.end())
        return make_error(ErrorKind::NotFound, "The session has no recording{}. Name one that it has.",
                          c.recording.empty() ? "" : fmt::format(" \"{}\"", c.recording));
    const std::string text = corrections_file_text(item->corrections);
    if (c.out.empty()) {
        fmt::print("{}", text);
        return {};
    }
    if (auto free = may_write(c.out, c.overwrite, std::span(&c.session, 1)); !free) return free.error();
    return write_text_file(c.out, text);
}

}  // namespace

void add_corrections(CLI::App& app, Status& status) {
    auto c = std::make_shared<CorrectionsCommand>();
    auto* command =
        app.add_subcommand("corrections", "Print the corrections of a recording, for split --corrections");
    command->add_option("SESSION", c->session, "Session file")->required();
    command->add_option("--recording", c->recording, "Its recording, by name; else the current one");
    command->add_option("-o,--output", c->out, "File to write instead");
    command->add_flag("--overwrite", c->overwrite, "Replace a file that is there");
    command->callback([c, &status] { status = run(*c); });
}

}  // namespace rivlen::cli
