// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/packages.h"

#include <nlohmann/json.hpp>

#include "core/base/output_file.h"
#include "learn/corpus_json.h"

namespace rivlen::learn {

using nlohmann::json;

NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Speak, commands, texts, voices)
NLOHMANN_DEFINE_TYPE_NON_INTRUSIVE(Accompany, command, styles, grooves_a_style)

Result<std::vector<Package>> read_packages(const std::filesystem::path& path) {
    auto text = read_text_file(path);
    if (!text) return text.error();
    std::vector<Package> packages;
    try {
        const json list = json::parse(*text);
        for (const auto& entry : list.at("packages")) {
            Package package{.name = entry.at("package"),
                            .licence = entry.value("licence", ""),
                            .pool = entry.value("pool", Pool::Learn),
                            .rules = {},
                            .speak = {},
                            .accompany = {}};
            if (entry.contains("speak")) package.speak = entry.at("speak").get<Speak>();
            if (entry.contains("accompany")) package.accompany = entry.at("accompany").get<Accompany>();
            for (const auto& rule : entry.value("rules", json::array())) {
                package.rules.push_back({rule.at("kind"), std::regex(rule.at("match").get<std::string>()),
                                         rule.value("group", ""),
                                         rule.value("choose", std::set<std::string>{}),
                                         rule.value("tell", std::set<std::string>{}),
                                         rule.value("skip", std::set<std::string>{})});
            }
            packages.push_back(std::move(package));
        }
    } catch (const std::exception& problem) {
        return make_error(ErrorKind::BadInput, "The package list \"{}\" is damaged: {}.", path.string(),
                          problem.what());
    }
    return packages;
}

Match find_match(const Package& package, const std::string& path) {
    for (const auto& rule : package.rules) {
        std::smatch capture;
        if (!std::regex_search(path, capture, rule.match)) continue;
        std::string group = !rule.group.empty() ? rule.group : capture.size() > 1 ? capture[1].str() : "all";
        if (rule.skip.contains(group)) return {};
        return {&rule, group,
                rule.choose.contains(group) ? Pool::Choose
                : rule.tell.contains(group) ? Pool::Tell
                                            : package.pool};
    }
    return {};
}

}  // namespace rivlen::learn
