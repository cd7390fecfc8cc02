// SPDX-License-Identifier: GPL-3.0-or-later
// The head that was chosen to listen with, which binaural deliveries are made with, too; kept from one start
// to the next.
#pragma once

#include <QSettings>
#include <filesystem>

#include "app/widgets/text.h"

namespace rivlen::app {

// Empty: the standard set.
[[nodiscard]] inline std::filesystem::path chosen_head() {
    return QSettings().value("listening/head").toString().toStdString();
}
inline void choose_head_of_all(const std::filesystem::path& file) {
    QSettings().setValue("listening/head", text(file));
}

}  // namespace rivlen::app
