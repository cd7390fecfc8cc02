// SPDX-License-Identifier: GPL-3.0-or-later
#include <QApplication>
#include <QCommandLineParser>

#include "app/handover/page_pdf.h"
#include "app/shell/main_window.h"
#include "app/widgets/english_plurals.h"
#include "app/widgets/theme.h"
#include "core/base/folders.h"
#include "core/base/heap.h"

int main(int argc, char** argv) {
    rivlen::keep_heap_small();
    QApplication application(argc, argv);
    QApplication::setApplicationName("Rivlen");
    QApplication::setOrganizationName("Rivlen");
    QApplication::setApplicationVersion(RIVLEN_VERSION);
    QApplication::setDesktopFileName("rivlen");
    rivlen::app::apply_theme(application);
    rivlen::app::EnglishPlurals plurals;
    QApplication::installTranslator(&plurals);

    QCommandLineParser parser;
    parser.setApplicationDescription("Parts mixed recordings into dialogue, reverb, music and ambience.");
    parser.addHelpOption();
    parser.addVersionOption();
    const QCommandLineOption split("split",
                                   "Split a recording that has not been split yet as soon as it is in.");
    parser.addOption(split);
    const QCommandLineOption page("page-to-pdf", "Write a report's page (HTML) as PDF beside it, and end.",
                                  "PAGE");
    parser.addOption(page);
    const QCommandLineOption paper("paper", "Of that PDF: a4 or letter; else what is used in this place.",
                                   "SIZE");
    parser.addOption(paper);
    parser.addPositionalArgument("FILE", "Session or recording to open.", "[FILE...]");
    parser.process(application);

    if (parser.isSet(page)) {
        const std::filesystem::path from = parser.value(page).toStdString();
        auto to = from;
        const auto status =
            rivlen::app::page_to_pdf(from, to.replace_extension(".pdf"),
                                     parser.value(paper) == "letter" ? rivlen::app::Paper::Letter
                                     : parser.value(paper) == "a4"   ? rivlen::app::Paper::A4
                                                                     : rivlen::app::paper_of_this_place());
        if (!status) qCritical("%s", status.error().message.c_str());
        return status ? 0 : 1;
    }

    rivlen::app::MainWindow window(rivlen::default_work_folder());
    window.document().set_split_on_arrival(parser.isSet(split));
    window.show();
    const bool recovered = window.document().recover();
    window.document().keep_cut_off_takes();
    if (!recovered) {
        for (const QString& file : parser.positionalArguments()) window.open_path(file.toStdString());
    }
    return QApplication::exec();
}
