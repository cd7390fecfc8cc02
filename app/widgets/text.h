// SPDX-License-Identifier: GPL-3.0-or-later
// Strings and paths of core as Qt shows them.
#pragma once

#include <QCoreApplication>
#include <QString>
#include <filesystem>
#include <string>

#include "core/metering/level.h"

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

// "-23.0 LUFS", or that there is nothing.
inline QString level_text(Level level, const QString& unit) {
    return level ? QString("%1 %2").arg(*level, 0, 'f', 1).arg(unit)
                 : QCoreApplication::translate("Level", "silent");
}

}  // namespace rivlen::app
