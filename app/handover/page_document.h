// SPDX-License-Identifier: GPL-3.0-or-later
// A report's page (HTML as report_to_html() makes it) as rich text.
#pragma once

#include <QString>

class QTextDocument;

namespace rivlen::app {

// Rich text knows no SVG: each drawing becomes a picture so many pixels wide. The document is laid out anew.
// Needs a QGuiApplication.
void set_page(QTextDocument& document, const QString& html, int drawing_width);

}  // namespace rivlen::app
