// SPDX-License-Identifier: GPL-3.0-or-later
// The list of packages (packages.json): which of their files are what, and which pool they belong to.
#pragma once

#include <filesystem>
#include <optional>
#include <regex>
#include <set>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "learn/corpus.h"

namespace rivlen::learn {

struct Rule {
    std::string kind;
    std::regex match;
    std::string group;
    std::set<std::string> choose, tell, skip;
};
// Voices to be synthesised: every text by every voice of a command.
struct Speak {
    std::vector<std::string> commands, texts;
    std::vector<std::vector<std::string>> voices;  // of each command
};
// Scores to be arranged: a chart of our own for the first grooves of every style.
struct Accompany {
    std::string command;  // of {chart} and {file}
    std::string styles;   // folder
    std::size_t grooves_a_style = 1;
};
struct Package {
    std::string name;
    std::string licence;
    Pool pool = Pool::Learn;
    std::vector<Rule> rules;
    std::optional<Speak> speak;
    std::optional<Accompany> accompany;
};

// Errors: NotFound, Io; BadInput for a damaged list.
[[nodiscard]] Result<std::vector<Package>> read_packages(const std::filesystem::path& path);

// What a package's rules say about a path inside it; no rule when it is not wanted.
struct Match {
    const Rule* rule = nullptr;
    std::string group;
    Pool pool = Pool::Learn;
};
[[nodiscard]] Match find_match(const Package& package, const std::string& path);

}  // namespace rivlen::learn
