// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/page_document.h"

#include <QImage>
#include <QPainter>
#include <QRegularExpression>
#include <QSvgRenderer>
#include <QTextDocument>
#include <QUrl>

namespace rivlen::app {

namespace {
constexpr int kFineness = 3;  // pixels of a picture for one of the page
const QColor kPaper(0xF2, 0xF3, 0xF0);
// In place of the page's own, which is made for browsers: sizes follow the document's font.
constexpr const char* kStyle =
    "body{color:#1d2124} table{width:100%} h1{font-size:x-large} h2{font-size:large} h3{font-size:medium}"
    "td,th{padding:2px 8px 2px 0; text-align:left} td.n,th.n{text-align:right; white-space:nowrap}"
    ".bad{color:#9a3b10; font-weight:bold} .dim{color:#5a6165}";
}  // namespace

void set_page(QTextDocument& document, const QString& html, int drawing_width) {
    static const QRegularExpression drawing("<svg .*?</svg>", QRegularExpression::DotMatchesEverythingOption);
    static const QRegularExpression style("<style>.*?</style>",
                                          QRegularExpression::DotMatchesEverythingOption);
    document.setDefaultStyleSheet(kStyle);
    QString page = html;
    page.remove(style);
    // Spectrograms are pictures already.
    static const QRegularExpression wide("width=\"600\" height=\"120\"");
    if (drawing_width < 600)
        page.replace(wide, QString("width=\"%1\" height=\"%2\"").arg(drawing_width).arg(drawing_width / 5));
    QString out;
    qsizetype at = 0;
    int count = 0;
    for (auto found = drawing.globalMatch(page); found.hasNext();) {
        const auto match = found.next();
        out += page.sliced(at, match.capturedStart() - at);
        at = match.capturedEnd();
        QSvgRenderer renderer(match.captured().toUtf8());
        if (!renderer.isValid()) continue;
        const QSize size = renderer.defaultSize().scaled(drawing_width, drawing_width, Qt::KeepAspectRatio);
        QImage picture(size * kFineness, QImage::Format_RGB32);
        picture.fill(kPaper);
        QPainter painter(&picture);
        renderer.render(&painter);
        const QString name = QString("drawing:%1").arg(count++);
        document.addResource(QTextDocument::ImageResource, QUrl(name), picture);
        out += QString("<p><img src=\"%1\" width=\"%2\" height=\"%3\"></p>")
                   .arg(name)
                   .arg(size.width())
                   .arg(size.height());
    }
    document.setHtml(out + page.sliced(at));
}

}  // namespace rivlen::app
