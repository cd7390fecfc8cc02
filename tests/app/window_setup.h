// SPDX-License-Identifier: GPL-3.0-or-later
// What tests of the window begin with that need no network.
#pragma once

#include <QApplication>
#include <QStandardPaths>
#include <QtTest>

#include "app/widgets/theme.h"
#include "core/base/output_file.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

// Settings of their own, the program's look, and the engine for tests (tests/support/band_engine.cpp) with a
// file that stands for its model.
inline void use_engine_for_tests(const test::Scratch& scratch) {
    QStandardPaths::setTestModeEnabled(true);
    qputenv("RIVLEN_ENGINE", RIVLEN_BAND_ENGINE_FILE);
    qputenv("RIVLEN_MODEL", (scratch / "model").c_str());
    QVERIFY(write_text_file(scratch / "model", "of the engine for tests").ok());
    apply_theme(*qApp);
}

}  // namespace rivlen::app
