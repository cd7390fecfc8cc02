// SPDX-License-Identifier: GPL-3.0-or-later
// rivlen-cli: the work of Rivlen without a window.
#include <fmt/format.h>

#include <cstdio>
#include <exception>
#include <new>

#include "cli/commands.h"
#include "core/base/markup.h"

namespace {

// Exit codes, also in the man page: what a script can tell apart.
int exit_code(const rivlen::Status& status) {
    if (status.ok()) return 0;
    switch (status.error().kind) {
        case rivlen::ErrorKind::Internal:
            return 1;
        case rivlen::ErrorKind::BadInput:
        case rivlen::ErrorKind::Unsupported:
        case rivlen::ErrorKind::Mismatch:
            return 3;
        case rivlen::ErrorKind::NotFound:
            return 4;
        case rivlen::ErrorKind::Io:
            return 5;
        case rivlen::ErrorKind::DiskFull:
            return 6;
        case rivlen::ErrorKind::Cancelled:
            return 130;
    }
    return 1;
}

int run(int argc, char** argv) {
    CLI::App app{
        "Parts a mixed recording into dialogue, reverb, music and ambience, and puts sound back under its "
        "picture."};
    app.name("rivlen-cli");
    app.set_version_flag("--version", "rivlen-cli " RIVLEN_VERSION);
    app.require_subcommand(1);
    app.footer(
        "Exit codes: 0 done, 2 wrong use, 3 unusable input, 4 not found, 5 cannot write, 6 disk full, 130 "
        "stopped.");
    rivlen::Status status;
    rivlen::cli::add_info(app, status);
    rivlen::cli::add_labels(app, status);
    rivlen::cli::add_look(app, status);
    rivlen::cli::add_split(app, status);
    rivlen::cli::add_corrections(app, status);
    rivlen::cli::add_teach(app, status);
    rivlen::cli::add_assess(app, status);
    rivlen::cli::add_propose(app, status);
    rivlen::cli::add_mix(app, status);
    rivlen::cli::add_parts(app, status);
    rivlen::cli::add_process(app, status);
    rivlen::cli::add_layback(app, status);
    rivlen::cli::add_handover(app, status);
    rivlen::cli::add_batch(app, status);
    rivlen::cli::add_batch_report(app, status);
    try {
        app.parse(argc, argv);
    } catch (const CLI::ParseError& problem) {
        const int code = app.exit(problem);
        return code == 0 ? 0 : 2;
    }
    if (!status) fmt::print(stderr, "rivlen-cli: {}\n", rivlen::one_line(status.error().message));
    return exit_code(status);
}

}  // namespace

int main(int argc, char** argv) {
    // Trouble that is foreseen comes back as a status; what is thrown all the same is a defect.
    try {
        return run(argc, argv);
    } catch (const std::bad_alloc&) {
        std::fputs(
            "rivlen-cli: There is not enough memory for this. Close other programs, or work on a shorter "
            "recording.\n",
            stderr);
        return 1;
    } catch (const std::exception& problem) {
        std::fputs("rivlen-cli: Something went wrong that should not (", stderr);
        std::fputs(problem.what(), stderr);
        std::fputs("). Please report this.\n", stderr);
        return 1;
    }
}
