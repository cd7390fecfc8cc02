// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <QString>
#include <QTranslator>

namespace rivlen::app {

// "1 clip", "2 clips" of a text that is written "%n clip(s)" in the source. A translation that is installed
// later comes before it.
class EnglishPlurals : public QTranslator {
  public:
    using QTranslator::QTranslator;
    [[nodiscard]] bool isEmpty() const override { return false; }
    [[nodiscard]] QString translate(const char* /*context*/, const char* source,
                                    const char* /*disambiguation*/, int n) const override {
        const QString text = QString::fromUtf8(source);
        if (n < 0 || !text.contains("(s)")) return {};
        return QString(text).replace("(s)", n == 1 ? "" : "s");
    }
};

}  // namespace rivlen::app
