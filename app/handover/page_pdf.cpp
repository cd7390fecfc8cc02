// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/page_pdf.h"

#include <QAbstractTextDocumentLayout>
#include <QBuffer>
#include <QLocale>
#include <QPainter>
#include <QPdfWriter>
#include <QTextBlock>
#include <QTextCursor>
#include <QTextDocument>

#include "app/handover/page_document.h"
#include "app/widgets/theme.h"
#include "core/base/output_file.h"

namespace rivlen::app {

namespace {

constexpr double kHeadPixels = 26, kFootPixels = 24;

// Where the block behind a heading ends: what must stand on the heading's page.
double end_of_matter(const QTextBlock& heading, const QAbstractTextDocumentLayout& layout) {
    QTextBlock matter = heading.next();
    while (matter.isValid() &&
           (matter.blockFormat().headingLevel() > 0 || matter.text().trimmed().isEmpty()) &&
           matter.next().isValid())
        matter = matter.next();
    return matter.isValid() ? layout.blockBoundingRect(matter).bottom()
                            : layout.blockBoundingRect(heading).bottom();
}

// A page break before each heading whose matter would begin the next page.
void keep_headings_with_their_matter(QTextDocument& document, double page_height) {
    const auto& layout = *document.documentLayout();
    const auto page_of = [&](double y) { return static_cast<int>(y / page_height); };
    bool previous_is_heading = false;
    for (QTextBlock block = document.begin(); block.isValid(); block = block.next()) {
        const bool heading = block.blockFormat().headingLevel() > 0;
        if (heading && !previous_is_heading) {
            const double top = layout.blockBoundingRect(block).top();
            if (page_of(top) != page_of(end_of_matter(block, layout) - 1) && top > page_height / 8) {
                QTextBlockFormat format;
                format.setPageBreakPolicy(QTextFormat::PageBreak_AlwaysBefore);
                QTextCursor(block).mergeBlockFormat(format);
                document.markContentsDirty(0, document.characterCount());  // what follows is laid out anew
            }
        }
        previous_is_heading = heading;
    }
}

void draw_pages(const QTextDocument& document, QPdfWriter& writer, const QString& title, double page_height) {
    QPainter painter(&writer);
    QFont small = document.defaultFont();
    const double width = writer.width();
    for (int page = 0; page < document.pageCount(); ++page) {
        if (page > 0) writer.newPage();
        painter.save();
        painter.translate(0, kHeadPixels - page * page_height);
        QAbstractTextDocumentLayout::PaintContext context;
        // What begins the next page would leave a line at the foot of this one.
        context.clip = QRectF(0, page * page_height, width, page_height - 2);
        context.palette.setColor(QPalette::Text, Qt::black);
        painter.setClipRect(context.clip);
        document.documentLayout()->draw(&painter, context);
        painter.restore();
        painter.setFont(small);
        painter.setPen(QColor(0x5A, 0x61, 0x65));
        painter.drawText(QRectF(0, 0, width, kHeadPixels), Qt::AlignLeft | Qt::AlignTop, title);
        painter.drawText(QRectF(0, writer.height() - kFootPixels, width, kFootPixels),
                         Qt::AlignRight | Qt::AlignBottom,
                         QString("%1 / %2").arg(page + 1).arg(document.pageCount()));
    }
}

}  // namespace

Paper paper_of_this_place() {
    return QLocale::system().measurementSystem() == QLocale::ImperialUSSystem ? Paper::Letter : Paper::A4;
}

Status page_to_pdf(const std::filesystem::path& page, const std::filesystem::path& pdf, Paper paper) {
    const auto text = read_text_file(page);
    if (!text) return text.error();
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter writer(&buffer);
        const QString title = QString::fromStdString(page.stem().string());
        writer.setTitle(title);
        writer.setCreator("Rivlen");
        writer.setResolution(96);  // sizes in the page are in pixels
        writer.setPageSize(QPageSize(paper == Paper::Letter ? QPageSize::Letter : QPageSize::A4));
        writer.setPageMargins(QMarginsF(14, 12, 14, 12), QPageLayout::Millimeter);
        QTextDocument document;
        document.setDefaultFont(QFont(kFontFamily, 7));
        document.documentLayout()->setPaintDevice(&writer);
        const double page_height = writer.height() - kHeadPixels - kFootPixels;
        document.setPageSize(QSizeF(writer.width(), page_height));
        document.setDocumentMargin(0);
        set_page(document, QString::fromStdString(*text), writer.width());
        keep_headings_with_their_matter(document, page_height);
        draw_pages(document, writer, title, page_height);
    }
    return write_beside_earlier(pdf,
                                std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
}

}  // namespace rivlen::app
