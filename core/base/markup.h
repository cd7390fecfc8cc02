// SPDX-License-Identifier: GPL-3.0-or-later
// Text within other text: XML and HTML, and CSV.
#pragma once

#include <string>

namespace rivlen {

// Names come from files of strangers: on a terminal, in a cut list or in XML their control characters would
// be commands, new lines or errors. They become spaces (C0, DEL, and C1 as UTF-8 has it).
[[nodiscard]] inline std::string one_line(const std::string& text) {
    std::string out;
    for (std::size_t i = 0; i < text.size(); ++i) {
        const auto byte = static_cast<unsigned char>(text[i]);
        const auto next = i + 1 < text.size() ? static_cast<unsigned char>(text[i + 1]) : 0U;
        if (byte < 0x20 || byte == 0x7F) {
            out += ' ';
        } else if (byte == 0xC2 && next >= 0x80 && next <= 0x9F) {
            out += ' ';
            ++i;
        } else {
            out += text[i];
        }
    }
    return out;
}

// For elements and attributes of XML and HTML; characters that XML 1.0 does not have are left out.
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
                if (static_cast<unsigned char>(c) >= 0x20 || c == '\t' || c == '\n' || c == '\r') out += c;
        }
    }
    return out;
}

// A field of text by RFC 4180: quoted where it has to be. A spreadsheet takes what begins like a formula for
// one: an apostrophe keeps it text.
[[nodiscard]] inline std::string csv_field(std::string text) {
    if (!text.empty() && std::string("=+-@\t\r").find(text.front()) != std::string::npos)
        text.insert(text.begin(), '\'');
    if (text.find_first_of(",\"\r\n") == std::string::npos) return text;
    std::string out = "\"";
    for (const char c : text) {
        if (c == '"') out += '"';
        out += c;
    }
    return out + '"';
}

}  // namespace rivlen
