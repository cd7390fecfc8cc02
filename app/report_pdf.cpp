#include <QBuffer>
#include <QPdfWriter>
#include <QTextDocument>

#include "app/handover_view.h"
#include "core/base/output_file.h"
#include "core/handover/report.h"

namespace rivlen::app {

Status write_report_pdf(const DeliveryReport& report, const HandoverTemplate& table,
                        const std::filesystem::path& file) {
    QByteArray bytes;
    QBuffer buffer(&bytes);
    buffer.open(QIODevice::WriteOnly);
    {
        QPdfWriter writer(&buffer);
        writer.setTitle(QString::fromStdString(report.name));
        writer.setCreator("Rivlen");
        writer.setResolution(96);  // sizes in the page are in pixels
        writer.setPageSize(QPageSize(QPageSize::A4));
        writer.setPageOrientation(QPageLayout::Landscape);
        writer.setPageMargins(QMarginsF(14, 14, 14, 14), QPageLayout::Millimeter);
        QTextDocument document;
        document.setDefaultFont(QFont("B612", 8));
        document.setPageSize(QSizeF(writer.width(), writer.height()));
        document.setHtml(QString::fromStdString(report_to_html(report, table, false)));
        document.print(&writer);
    }
    return write_text_file(file, std::string_view(bytes.constData(), static_cast<std::size_t>(bytes.size())));
}

}  // namespace rivlen::app
