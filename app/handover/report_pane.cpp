// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/handover/report_pane.h"

#include <QResizeEvent>

#include "app/handover/page_document.h"
#include "app/widgets/text.h"
#include "app/widgets/theme.h"
#include "core/base/output_file.h"

namespace rivlen::app {

ReportPane::ReportPane(QWidget* parent) : QTextBrowser(parent) {
    setObjectName("handover_report_page");
    setAccessibleName(tr("Report"));
    setOpenLinks(false);
    // A page of paper, as it is printed.
    setStyleSheet("QTextBrowser { background: #ffffff; color: #1d2124; }");
    document()->setDefaultFont(QFont(kFontFamily, 8));
    setMinimumWidth(280);
    setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);  // drawings are made as wide as it is
}

void ReportPane::show_page(const std::filesystem::path& page) {
    const auto read = read_text_file(page);
    html_ = read ? QString::fromStdString(*read) : text(read.error().message).toHtmlEscaped();
    drawn_width_ = viewport()->width() - 16;
    set_page(*document(), html_, drawn_width_);
}

void ReportPane::resizeEvent(QResizeEvent* event) {
    QTextBrowser::resizeEvent(event);
    const int width = viewport()->width() - 16;
    if (html_.isEmpty() || width == drawn_width_) return;
    drawn_width_ = width;
    set_page(*document(), html_, width);
}

}  // namespace rivlen::app
