// SPDX-License-Identifier: GPL-3.0-or-later
// Text within other text: XML and HTML, and CSV.
#pragma once

#include <string>

namespace rivlen {

// For elements and attributes of XML and HTML.
[[nodiscard]] inline std::string escaped_markup(const std::string& text) {
    std::string out;
    for (const char c : text) {
        switch (c) {
            case '&':
                out += "&amp;";
                break;
            case '<':
                out += "&lt;";
                break;
            case '>':
                out += "&gt;";
                break;
            case '"':
                out += "&quot;";
                break;
            default:
                out += c;
        }
    }
    return out;
}

// A field by RFC 4180: quoted where it has to be.
[[nodiscard]] inline std::string csv_field(const std::string& text) {
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"') out += '"';
        out += c;
    }
    return out + '"';
}

}  // namespace rivlen
