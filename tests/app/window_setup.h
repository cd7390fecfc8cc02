// SPDX-License-Identifier: GPL-3.0-or-later
// What tests of the window begin with that need no network.
#pragma once

#include <QApplication>
#include <QComboBox>
#include <QStandardPaths>
#include <QtTest>
#include <memory>

#include "app/shell/main_window.h"
#include "app/widgets/side_pages.h"
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

// A window of 1280 x 800 with a recording that is split.
inline void show_split(std::unique_ptr<MainWindow>& window, const std::filesystem::path& work,
                       const std::filesystem::path& recording) {
    window = std::make_unique<MainWindow>(work);
    window->resize(1280, 800);
    window->show();
    QVERIFY(QTest::qWaitForWindowExposed(window.get()));
    Document& document = window->document();
    window->open_path(recording);
    QTRY_VERIFY_WITH_TIMEOUT(document.source() != nullptr, 30000);
    if (!document.map()) document.split();
    QTRY_VERIFY_WITH_TIMEOUT(document.map() != nullptr, 60000);
}

// A control by its name, on a page that is turned to; null where there is none. What was given up for another
// one before has gone by then.
template <typename T>
T* find_revealed(MainWindow& window, const QString& name) {
    QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    T* widget = window.findChild<T*>(name);
    if (widget != nullptr) SidePages::reveal(widget);
    return widget;
}

// As a hand chooses an entry.
inline void pick(QComboBox& box, int index) {
    box.setCurrentIndex(index);
    emit box.activated(index);
}

}  // namespace rivlen::app
