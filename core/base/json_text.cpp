// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/base/json_text.h"

#include <nlohmann/json.hpp>

namespace rivlen {

namespace {

bool too_deep(std::string_view text) {
    int depth = 0;
    bool quoted = false;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const char c = text[i];
        if (quoted) {
            if (c == '\\') ++i;
            quoted = c != '"';
        } else if (c == '"') {
            quoted = true;
        } else if (c == '[' || c == '{') {
            if (++depth > kDeepestJson) return true;
        } else if (c == ']' || c == '}') {
            --depth;
        }
    }
    return false;
}

}  // namespace

nlohmann::json parse_json(std::string_view text) {
    if (too_deep(text)) return nlohmann::json(nlohmann::json::value_t::discarded);
    return nlohmann::json::parse(text.begin(), text.end(), nullptr, false);
}

}  // namespace rivlen
