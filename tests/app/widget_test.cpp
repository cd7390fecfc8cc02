// SPDX-License-Identifier: GPL-3.0-or-later
// Single widgets and the application's models, driven by real events.
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QProgressBar>
#include <QRegularExpression>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTableWidget>
#include <QToolButton>
#include <QtTest>
#include <csignal>
#include <future>

#include <sys/resource.h>

#include "app/handover/handover_view.h"
#include "app/handover/page_pdf.h"
#include "app/separate/card_row.h"
#include "app/separate/measuring.h"
#include "app/separate/risk_strip.h"
#include "app/separate/setting_line_editor.h"
#include "app/separate/tradeoff_graph.h"
#include "app/separate/weighting_editor.h"
#include "app/shell/document.h"
#include "app/shell/jobs.h"
#include "app/shell/recorder.h"
#include "app/widgets/english_plurals.h"
#include "app/widgets/parameter_slider.h"
#include "app/widgets/theme.h"
#include "app/widgets/time_strip.h"
#include "app/widgets/time_view.h"
#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

namespace fs = std::filesystem;

class WidgetTest : public QObject {
    Q_OBJECT
  private slots:
    // One of something is not said as many; what is no plural stays as it is.
    void oneIsOneAndTwoAreMore() {
        EnglishPlurals plurals;
        QVERIFY(QCoreApplication::installTranslator(&plurals));
        QCOMPARE(tr("Aligned: %n clip(s).", nullptr, 1), "Aligned: 1 clip.");
        QCOMPARE(tr("Aligned: %n clip(s).", nullptr, 2), "Aligned: 2 clips.");
        QCOMPARE(tr("Aligned: %n clip(s).", nullptr, 0), "Aligned: 0 clips.");
        QCOMPARE(tr("Aligned."), "Aligned.");
        QCoreApplication::removeTranslator(&plurals);
    }

    // The disk fills up while a take is recorded: what was recorded until then is a file that can be read.
    void aTakeStaysWhenTheDiskIsFull() {
        const test::Scratch scratch;
        Recorder recorder;
        QSignalSpy failed(&recorder, &Recorder::failed);
        rlimit before{};
        QCOMPARE(::getrlimit(RLIMIT_FSIZE, &before), 0);
        std::signal(SIGXFSZ, SIG_IGN);  // a write behind the limit is an error then, as on a full disk
        QVERIFY(recorder.start(scratch / "take 1.wav", 48000).ok());
        const rlimit small{400'000, before.rlim_max};  // bytes: two seconds
        QCOMPARE(::setrlimit(RLIMIT_FSIZE, &small), 0);
        for (int i = 0; i < 10 && recorder.recording(); ++i) recorder.speak(24000);
        QCOMPARE(::setrlimit(RLIMIT_FSIZE, &before), 0);
        QCOMPARE(failed.count(), 1);
        QVERIFY(!recorder.recording());
        const auto take = read_audio(scratch / "take 1.wav");
        QVERIFY2(take.ok(), take ? "" : take.error().message.c_str());
        QVERIFY(take->frames() >= 48000 && take->frames() <= 100'000);
        QVERIFY(energy_of((*take)[0]) > 0);
        QCOMPARE(scratch.leftovers(), 0);
        QVERIFY(recorder.start(scratch / "take 2.wav", 48000).ok());  // and the next one can be made
        recorder.speak(4800);
        QVERIFY(recorder.stop().ok());
    }

    // The window closes while a take is recorded.
    void aTakeStaysWhenTheRecorderGoes() {
        const test::Scratch scratch;
        {
            Recorder recorder;
            QVERIFY(recorder.start(scratch / "take.wav", 48000).ok());
            recorder.speak(9600);
        }
        const auto take = read_audio(scratch / "take.wav");
        QVERIFY(take.ok());
        QCOMPARE(take->frames(), std::size_t{9600});
    }

    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        apply_theme(*qApp);
    }

    // Mouse, wheel-free keys, typed numbers and reset; always within the range and on the step.
    void aRailMovesByMouseKeysAndTyping() {
        const auto& info = rivlen::info(Setting::Floor);
        ParameterSlider slider(info);
        slider.resize(240, 22);
        slider.show();
        QSignalSpy moved(&slider, &ParameterSlider::moved);
        QSignalSpy released(&slider, &ParameterSlider::released);
        QCOMPARE(slider.value(), info.standard);
        QTest::mousePress(&slider, Qt::LeftButton, {}, {-50, 11});
        QCOMPARE(slider.value(), info.lowest);
        QTest::mouseMove(&slider, {2000, 11});
        QCOMPARE(slider.value(), info.highest);
        QTest::mouseRelease(&slider, Qt::LeftButton, {}, {2000, 11});
        QCOMPARE(moved.count(), 2);
        QCOMPARE(released.count(), 1);
        QTest::keyClick(&slider, Qt::Key_Left);
        QCOMPARE(slider.value(), info.highest - info.step);
        QTest::keyClick(&slider, Qt::Key_Down, Qt::ShiftModifier);
        QCOMPARE(slider.value(), info.highest - 11 * info.step);
        QTest::keyClick(&slider, Qt::Key_Backspace);
        QCOMPARE(slider.value(), info.standard);
        auto* number = slider.findChild<QDoubleSpinBox*>();
        number->setFocus();
        number->selectAll();
        QTest::keyClicks(number, "-33");
        QTest::keyClick(number, Qt::Key_Return);
        QCOMPARE(slider.value(), -33.0);
        const auto before = moved.count();
        slider.set_value(-20);  // set from outside: nobody is told
        QCOMPARE(moved.count(), before);
        QVERIFY(!slider.accessibleName().isEmpty());
        QVERIFY(!slider.accessibleDescription().isEmpty());
    }

    void zoomingKeepsThePlaceUnderThePointer() {
        TimeView view;
        view.set_total(3600);
        view.zoom(0.1, 1800);
        view.settle();
        QCOMPARE(view.span(), 360.0);
        QVERIFY(std::abs(view.to_x(1800, 1000) - 500) < 1e-6);
        view.zoom(0.25, 1700);
        view.settle();
        QCOMPARE(view.span(), 90.0);
        // 1700 s stood 80/360 of the way along, and still does.
        QVERIFY(std::abs(view.to_x(1700, 1000) - 1000 * (1700 - 1620) / 360.0) < 1e-6);
        view.zoom(1000, 0);
        view.settle();
        QCOMPARE(view.span(), 3600.0);
        QCOMPARE(view.start(), 0.0);
        view.zoom(1e-9, 10);
        view.settle();
        QVERIFY(view.span() >= 0.02 - 1e-12);  // never closer than that
    }

    void scrollingStopsAtBothEndsAndFollowsPlayback() {
        TimeView view;
        view.set_total(100);
        view.show(20, 10);
        view.settle();
        view.scroll(-1000);
        view.settle();
        QCOMPARE(view.start(), 0.0);
        view.scroll(1000);
        view.settle();
        QCOMPARE(view.start(), 90.0);
        view.show(0, 10);
        view.settle();
        view.follow(5);
        view.settle();
        QCOMPARE(view.start(), 0.0);  // it is in view
        view.follow(9.9);
        view.settle();
        QVERIFY(view.start() > 9 && view.start() < 9.9);
    }

    void gliding() {
        TimeView view;
        view.set_total(100);
        QSignalSpy changed(&view, &TimeView::changed);
        view.zoom(0.1, 50);
        QTRY_VERIFY_WITH_TIMEOUT(std::abs(view.span() - 10) < 1e-9, 3000);
        QVERIFY2(changed.count() > 3, "in steps, not at once");
    }

    void timesAreWrittenInTimecodeWhereThereIsAPicture() {
        MediaInfo info;
        QVERIFY(!TimeText(info).has_timecode());
        QVERIFY(TimeText(info).of(61.5).contains("1:01"));
        info.picture = PictureStreamInfo{};
        info.picture->frame_rate_num = 30000;
        info.picture->frame_rate_den = 1001;
        info.picture->timecode = "00:00:59;28";
        const TimeText text(info);
        QVERIFY(text.has_timecode());
        QCOMPARE(text.of(0), QString("00:00:59;28"));
        // Two frames on, the numbers ;00 and ;01 of the new minute are dropped (SMPTE ST 12-1).
        QCOMPARE(text.of(2.0 * 1001 / 30000 + 1e-6), QString("00:01:00;02"));
    }

    void jobsShowProgressAndEndOnThisThread() {
        JobList jobs;
        JobListView view(jobs);
        view.show();
        std::promise<void> go;
        auto wait = go.get_future().share();
        const auto* here = QThread::currentThread();
        bool ended = false;
        const int number = jobs.start(
            "Long work",
            [wait](const JobControl& job) -> Status {
                job.report(0.5);
                wait.wait();
                return {};
            },
            [&](const Status& status) { ended = status.ok() && QThread::currentThread() == here; });
        QVERIFY(jobs.busy());
        QTRY_VERIFY(!jobs.shown().empty() && jobs.shown()[0].done_share == 0.5);
        QCOMPARE(jobs.shown()[0].number, number);
        QTRY_VERIFY(view.findChild<QProgressBar*>() != nullptr && view.isVisible());
        go.set_value();
        QTRY_VERIFY(ended);
        QVERIFY(!jobs.busy());
        QTRY_VERIFY(!view.isVisible());
    }

    void aJobIsCancelledByItsButtonAndTroubleIsPassedOn() {
        JobList jobs;
        JobListView view(jobs);
        view.show();
        Status outcome;
        jobs.start(
            "Endless",
            [](const JobControl& job) -> Status {
                while (!job.cancelled()) QThread::yieldCurrentThread();
                return JobControl::cancelled_error();
            },
            [&](const Status& status) { outcome = status; });
        QTRY_VERIFY(view.findChild<QToolButton*>() != nullptr);
        QTest::mouseClick(view.findChild<QToolButton*>(), Qt::LeftButton);
        QTRY_VERIFY(!outcome.ok());
        QVERIFY(outcome.error().kind == ErrorKind::Cancelled);
        Status failed;
        jobs.start(
            "Failing", [](const JobControl&) -> Status { return make_error(ErrorKind::DiskFull, "Full."); },
            [&](const Status& status) { failed = status; }, true);
        QVERIFY(jobs.shown().empty());  // quiet ones are not shown
        QTRY_VERIFY(!failed.ok());
        QCOMPARE(QString::fromStdString(failed.error().message), QString("Full."));
    }

    void leavingCancelsWhatRuns() {
        std::atomic<bool> stopped{false};
        {
            JobList jobs;
            jobs.start(
                "Endless",
                [&](const JobControl& job) -> Status {
                    while (!job.cancelled()) QThread::yieldCurrentThread();
                    stopped = true;
                    return JobControl::cancelled_error();
                },
                [](const Status&) {});
        }
        QVERIFY(stopped);
    }

    void stemColoursKeepTheirOrderWithoutHue() {
        const auto luminance = [](const QColor& c) {  // WCAG 2.2, relative luminance
            const auto linear = [](double v) {
                return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
            };
            return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
        };
        for (std::size_t s = 1; s < kStems; ++s)
            QVERIFY(luminance(stem_colour(s)) < luminance(stem_colour(s - 1)) - 0.05);
        const auto contrast = [&](const QColor& a, const QColor& b) {
            const double x = luminance(a) + 0.05;
            const double y = luminance(b) + 0.05;
            return std::max(x, y) / std::min(x, y);
        };
        // WCAG 2.2, 1.4.3: text at 4.5:1 or more.
        for (const QColor& ground : {colour::kGround, colour::kPanel, colour::kRaised}) {
            for (const QColor& text : {colour::kText, colour::kDim, colour::kAct, colour::kWarn})
                QVERIFY(contrast(text, ground) >= 4.5);
        }
        QVERIFY(contrast(colour::kGround, colour::kAct) >= 4.5);
        for (std::size_t s = 0; s < kStems; ++s) QVERIFY(!stem_icon(s).isNull());
    }

    // The document alone: changes with one key merge until the step is closed; undo and redo give equal
    // sessions.
    void changesMergeAndComeBack() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        begin(document, scratch);
        const int start = document.history().position();
        for (int i = 1; i <= 5; ++i) document.set_value("Gain", 2, Setting::Gain, -i);
        QCOMPARE(document.history().position(), start + 1);
        document.close_step();
        document.set_value("Gain", 2, Setting::Gain, -9);
        QCOMPARE(document.history().position(), start + 2);
        document.set_value("Gain", 3, Setting::Gain, -9);  // another stem
        QCOMPARE(document.history().position(), start + 3);
        document.edit_settings("nothing", {}, [](ShapeSettings&) {});
        QCOMPARE(document.history().position(), start + 3);  // no change, no step
        const Session after = document.session();
        while (document.history().can_undo()) document.undo();
        QVERIFY(document.session().items.empty());
        while (document.history().can_redo()) document.redo();
        QVERIFY(document.session() == after);
        // A setting that is switched off keeps its value, and moving it switches it on.
        document.set_value("Floor", 0, Setting::Floor, -30);
        QVERIFY(document.session().items[0].settings.stems[0].acts(Setting::Floor));
        document.edit_settings("off", {}, [](ShapeSettings& s) { s.stems[0].set_on(Setting::Floor, false); });
        QCOMPARE(document.session().items[0].settings.stems[0].value(Setting::Floor), -30.0);
        jobs.cancel_all();
    }

    // On paper a drawing stands with its name on one page, upright, every page numbered and named.
    void reportsArePrintedWithDrawingsUnderTheirNames() {
        const test::Scratch scratch;
        std::string page = "<html><body><h1>Ferry</h1><p>Words.</p>";
        constexpr int kDrawings = 17;
        for (int i = 0; i < kDrawings; ++i)
            page += "<h3>drawing " + std::to_string(i) +
                    " here</h3>\n<svg xmlns=\"http://www.w3.org/2000/svg\" viewBox=\"0 0 860 " +
                    std::to_string(110 + 37 * (i % 5)) + "\"><rect width=\"400\" height=\"60\"/></svg>\n";
        page += "<h2>Last</h2><table><tr><td>cell</td></tr></table></body></html>";
        QVERIFY(write_text_file(scratch / "Ferry report.html", page).ok());
        for (const Paper paper : {Paper::A4, Paper::Letter}) {
            const auto pdf = scratch / "Ferry report.pdf";
            QVERIFY(page_to_pdf(scratch / "Ferry report.html", pdf, paper).ok());
            const QString facts = QString::fromStdString(test::output_of("pdfinfo " + test::quoted(pdf)));
            QVERIFY2(facts.contains(paper == Paper::A4 ? "595 x 842" : "612 x 792"), qPrintable(facts));
            const int pages = QRegularExpression("Pages: +([0-9]+)").match(facts).captured(1).toInt();
            QVERIFY(pages > 2);
            int names = 0;
            for (int p = 1; p <= pages; ++p) {
                const std::string range = " -f " + std::to_string(p) + " -l " + std::to_string(p) + " ";
                const QString words = QString::fromStdString(
                    test::output_of("pdftotext -layout" + range + test::quoted(pdf) + " -"));
                const QString images =
                    QString::fromStdString(test::output_of("pdfimages -list" + range + test::quoted(pdf)));
                const auto here = words.count("drawing ");
                QCOMPARE(images.count(" image "), here);
                names += static_cast<int>(here);
                QVERIFY(words.startsWith("Ferry report"));
                QVERIFY2(QString(words).remove(QChar(32)).contains(QString("%1/%2").arg(p).arg(pages)),
                         qPrintable(words));
                QCOMPARE(words.contains("Last"), words.contains("cell"));
            }
            QCOMPARE(names, kDrawings);
        }
    }

    // The table of deliveries is the session's: what is changed in it is undone, and would be asked about on
    // closing; the cells follow.
    void theTableOfDeliveriesBelongsToTheSession() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        HandoverView view(document, jobs);
        view.show();
        begin(document, scratch);
        QVERIFY(document.save(scratch / "s.rivlen"));
        QVERIFY(!document.changed_since_saving());
        auto* cells = view.findChild<QTableWidget*>("handover_rows");
        const auto rows = [&] { return document.session().deliveries.rows; };
        const std::size_t standard = rows().size();
        view.add_row();
        QCOMPARE(rows().size(), standard + 1);
        QCOMPARE(cells->rowCount(), static_cast<int>(standard) + 1);
        QVERIFY(document.changed_since_saving());
        document.undo();
        QCOMPARE(cells->rowCount(), static_cast<int>(standard));
        QVERIFY(!document.changed_since_saving());
        // A control of a row, and typing, which is one step.
        view.findChild<QComboBox*>("handover_kind_0")->setCurrentIndex(static_cast<int>(Container::Picture));
        QCOMPARE(rows()[0].container, Container::Picture);
        QVERIFY(cells->item(0, 8)->text().endsWith(".mov"));  // no picture yet
        document.edit_timeline("picture", {}, [](Timeline& t) {
            VideoClip picture;
            picture.path = "scene.avi";
            picture.length = 48000;
            t.picture.push_back(picture);
        });
        QVERIFY(cells->item(0, 8)->text().endsWith(".mov"));  // no AVI is written
        cells->setCurrentCell(0, 1);
        const int before = document.history().position();
        auto* pattern = view.findChild<QLineEdit*>("handover_pattern");
        pattern->setFocus();
        pattern->selectAll();
        QTest::keyClicks(pattern, "take one");
        QCOMPARE(rows()[0].name, std::string("take one"));
        QCOMPARE(document.history().position(), before + 1);
        while (document.history().position() > 1) document.undo();
        QVERIFY(document.session().deliveries == standard_template());
        QCOMPARE(qobject_cast<QComboBox*>(cells->cellWidget(0, 5))->currentIndex(),
                 static_cast<int>(Container::Wav));
        jobs.cancel_all();
    }

    void aProposalIsOneStepAndGoesIntoALineWhereThereIsOne() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        begin(document, scratch);
        Proposal proposal;
        proposal.isolation_percent = 65;
        proposal.temporal_smoothing_percent = 5;
        const int start = document.history().position();
        document.take_proposal("Take", 0, proposal);
        QCOMPARE(document.history().position(), start + 1);
        const auto& stem = document.session().items[0].settings.stems[0];
        QCOMPARE(stem.value(Setting::Isolation), 65.0);
        QVERIFY(stem.acts(Setting::TemporalSmoothing));
        document.undo();
        QVERIFY(!document.session().items[0].settings.stems[0].acts(Setting::TemporalSmoothing));
        document.edit_lines("line", {}, [](auto& lines) {
            put_point(lines, 0, Setting::Isolation, {0, 10});
        });
        document.set_playhead({5000});
        document.take_proposal("Take", 0, proposal);
        const auto* line = document.line_of(0, Setting::Isolation);
        QVERIFY(line != nullptr);
        QCOMPARE(line->points.back(), (Breakpoint{5000, 65}));
        QCOMPARE(document.shown_settings().stems[0].value(Setting::Isolation), 65.0);
        jobs.cancel_all();
    }

    // Cards: kept, copied by what the menu does, emptied; an empty one says how it is filled.
    void cardsAreKeptAndEmptied() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        Measuring measuring(document, jobs);
        CardRow cards(document, measuring);
        cards.resize(900, 56);
        cards.show();
        QSignalSpy said(&cards, &CardRow::said);
        begin(document, scratch);
        QTest::mouseClick(&cards, Qt::LeftButton, {}, cards.card_rect(2).center());
        QCOMPARE(said.count(), 1);
        document.set_value("Gain", 0, Setting::Gain, -4);
        QTest::mouseClick(&cards, Qt::LeftButton, Qt::ShiftModifier, cards.card_rect(2).center());
        QVERIFY(document.current_item()->cards[2].has_value());
        document.set_value("Gain", 0, Setting::Gain, 3);
        QTest::mouseClick(&cards, Qt::LeftButton, {}, cards.card_rect(2).center());
        QCOMPARE(document.current_item()->settings.stems[0].value(Setting::Gain), -4.0);
        cards.clear(2);
        QVERIFY(!document.current_item()->cards[2].has_value());
        for (std::size_t i = 0; i + 1 < kCards; ++i)
            QVERIFY(!cards.card_rect(i).intersects(cards.card_rect(i + 1)));
        jobs.cancel_all();
    }

    // The weighting editor by keys: points stay within the range whatever is pressed.
    void weightingStaysInRange() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        Measuring measuring(document, jobs);
        WeightingEditor editor(document, measuring);
        editor.resize(300, 90);
        editor.show();
        begin(document, scratch);
        QTest::mouseDClick(&editor, Qt::LeftButton, {}, {150, 40});
        const auto points = [&] { return document.current_item()->settings.stems[0].weighting; };
        QCOMPARE(points().size(), std::size_t{1});
        for (int i = 0; i < 300; ++i) QTest::keyClick(&editor, Qt::Key_Left);
        QCOMPARE(points()[0].hz, kLowestPointHz);
        for (int i = 0; i < 300; ++i) QTest::keyClick(&editor, Qt::Key_Right);
        QCOMPARE(points()[0].hz, kHighestPointHz);
        for (int i = 0; i < 300; ++i) QTest::keyClick(&editor, Qt::Key_Up);
        QCOMPARE(points()[0].strength_percent, 100.0);
        for (int i = 0; i < 300; ++i) QTest::keyClick(&editor, Qt::Key_Down);
        QCOMPARE(points()[0].strength_percent, -100.0);
        const QPointF at = editor.position_of(points()[0]);
        QVERIFY(editor.rect().adjusted(-1, -1, 1, 1).contains(at.toPoint()));
        QTest::keyClick(&editor, Qt::Key_Delete);
        QVERIFY(points().empty());
        QTest::keyClick(&editor, Qt::Key_Delete);  // nothing chosen: nothing happens
        jobs.cancel_all();
    }

    // Bad sessions leave the open one as it is.
    void aDamagedSessionLeavesTheOpenOne() {
        const test::Scratch scratch;
        JobList jobs;
        Document document(jobs, scratch / "work");
        QSignalSpy said(&document, &Document::said);
        document.edit("x", {}, [](Session& s) { s.level_match = false; });
        const Session before = document.session();
        QVERIFY(write_text_file(scratch / "broken.rivlen", "{\"rivlen_session\": ").ok());
        QVERIFY(write_text_file(scratch / "newer.rivlen", "{\"rivlen_session\": 999}").ok());
        for (const char* name : {"broken.rivlen", "newer.rivlen", "none.rivlen"}) {
            QVERIFY(!document.open(scratch / name));
            QVERIFY(document.session() == before);
        }
        QCOMPARE(said.count(), 3);
        for (const auto& arguments : said) {
            QVERIFY(arguments[1].toBool());
            QVERIFY(arguments[0].toString().endsWith('.'));
        }
        QVERIFY(!document.save("/nowhere/at/all/s.rivlen"));
        QCOMPARE(said.count(), 4);
    }

  private:
    // An item whose recording is not there: enough for settings.
    static void begin(Document& document, const test::Scratch& scratch) {
        document.edit("start", {}, [&](Session& s) {
            s.items.push_back({scratch / "x.wav", "", {}, {}, true});
            s.current = 0;
        });
    }
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::WidgetTest)
#include "widget_test.moc"
