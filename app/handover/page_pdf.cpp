// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/page_pdf.h"

#include <QBuffer>
#include <QImage>
#include <QPainter>
#include <QPdfWriter>
#include <QRegularExpression>
#include <QSvgRenderer>
#include <QTextDocument>
#include <QUrl>

#include "core/base/output_file.h"

namespace rivlen::app {

namespace {

// Rich text knows no SVG: each drawing becomes a picture as wide as the page.
QString with_pictures(const QString& html, QTextDocument& document, int width) {
    static const QRegularExpression drawing("<svg .*?</svg>", QRegularExpression::DotMatchesEverythingOption);
    constexpr int kFineness = 3;  // pixels of the picture for one of the page
    QString out;
    qsizetype at = 0;
    int count = 0;
    for (auto found = drawing.globalMatch(html); found.hasNext();) {
        const auto match = found.next();
        out += html.sliced(at, match.capturedStart() - at);
        at = match.capturedEnd();
        QSvgRenderer renderer(match.captured().toUtf8());
        if (!renderer.isValid()) continue;
        const QSize size = renderer.defaultSize().scaled(width, width, Qt::KeepAspectRatio);
        QImage picture(size * kFineness, QImage::Format_RGB32);
        picture.fill(QColor(0xF2, 0xF3, 0xF0));
        QPainter painter(&picture);
        renderer.render(&painter);
        const QString name = QString("drawing:%1").arg(count++);
        document.addResource(QTextDocument::ImageResource, QUrl(name), picture);
        out += QString("<p><img src=\"%1\" width=\"%2\" height=\"%3\"></p>")
                   .arg(name)
                   .arg(size.width())
                   .arg(size.height());
    }
    return out + html.sliced(at);
}

}  // namespace

Status page_to_pdf(const std::filesystem::path& page, const std::filesystem::path& pdf) {
    const auto text = read_text_file(page);
    if (!text) return text.error();
    const QString html = QString::fromStdString(*text);
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter writer(&buffer);
        writer.setTitle(QString::fromStdString(page.stem().string()));
        writer.setCreator("Rivlen");
        writer.setResolution(96);  // sizes in the page are in pixels
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setPageOrientation(QPageLayout::Landscape);
        writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout::Millimeter);
        QTextDocument document;
        document.setDefaultFont(QFont("B612", 8));
        document.setPageSize(QSizeF(writer.width(), writer.height()));
        document.setHtml(with_pictures(html, document, writer.width() * 9 / 10));
        document.print(&writer);
    }
    return write_beside_earlier(pdf,
                                std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
}

}  // namespace rivlen::app
