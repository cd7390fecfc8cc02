// SPDX-License-Identifier: GPL-3.0-or-later
// Strings and paths of core as Qt shows them.
#pragma once

#include <QString>
#include <filesystem>
#include <string>

namespace rivlen::app {

inline QString text(const std::string& s) {
    return QString::fromStdString(s);
}
inline QString text(const std::filesystem::path& path) {
    return QString::fromStdString(path.string());
}

}  // namespace rivlen::app
