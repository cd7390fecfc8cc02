// SPDX-License-Identifier: GPL-3.0-or-later
#include "cli/page_pdf.h"

#include <spawn.h>
#include <unistd.h>

#include <array>
#include <cstring>
#include <string>
#include <vector>

#include "core/base/child.h"

namespace rivlen::cli {

namespace fs = std::filesystem;

Status page_to_pdf(const fs::path& page, const std::string& paper) {
    std::error_code error;
    const fs::path here = fs::read_symlink("/proc/self/exe", error).parent_path();
    fs::path program = here / "rivlen";                                                // installed
    if (!fs::exists(program, error)) program = here.parent_path() / "app" / "rivlen";  // in the build folder
    if (!fs::exists(program, error))
        return make_error(
            ErrorKind::Io,
            "The program rivlen, which makes PDFs, is not beside rivlen-cli. Install it, or leave "
            "--pdf out.");
    std::string name = program.string();
    std::string option = "--page-to-pdf";
    std::string file = page.string();
    std::string size = "--paper=" + paper;
    const std::array<char*, 5> arguments = {name.data(), option.data(), file.data(),
                                            paper.empty() ? nullptr : size.data(), nullptr};
    // No display is needed for paper.
    std::string platform = "QT_QPA_PLATFORM=offscreen";
    std::vector<char*> environment = {platform.data()};
    for (char** entry = environ; *entry != nullptr; ++entry) {
        if (std::strncmp(*entry, "QT_QPA_PLATFORM=", std::strlen("QT_QPA_PLATFORM=")) != 0)
            environment.push_back(*entry);
    }
    environment.push_back(nullptr);
    pid_t child = -1;
    if (const int failed =
            ::posix_spawn(&child, name.c_str(), nullptr, nullptr, arguments.data(), environment.data());
        failed != 0)
        return make_error(ErrorKind::Io, "\"{}\" cannot be started ({}).", name, std::strerror(failed));
    if (!ended_well(child))
        return make_error(ErrorKind::Io, "The PDF of \"{}\" could not be made; its words stand above.",
                          page.string());
    return {};
}

}  // namespace rivlen::cli
