// SPDX-License-Identifier: GPL-3.0-or-later
// Strings and paths of core as Qt shows them.
#pragma once

#include <QCoreApplication>
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

// A label or sentence of a table of core, in the language of the window (tools/words lists them for
// translators).
inline QString words(const char* label) {
    return QCoreApplication::translate("core", label);
}

}  // namespace rivlen::app
