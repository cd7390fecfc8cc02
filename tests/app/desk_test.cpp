// SPDX-License-Identifier: GPL-3.0-or-later
// The desk of the Rebuild view: buses, sends, pan, pages, rows, the overview; what an empty session shows;
// and that every view fits small screens.
#include <QCheckBox>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QNativeGestureEvent>
#include <QSettings>
#include <QToolButton>
#include <QtTest>
#include <cmath>

#include "app/rebuild/mix_ruler.h"
#include "app/rebuild/mix_transport.h"
#include "app/rebuild/part_tile.h"
#include "app/shell/main_window.h"
#include "app/shell/start_page.h"
#include "app/widgets/file_dialogs.h"
#include "app/widgets/kept_splitter.h"
#include "app/widgets/overview_strip.h"
#include "app/widgets/parameter_slider.h"
#include "app/widgets/side_pages.h"
#include "core/project/editing.h"
#include "tests/app/window_setup.h"

namespace rivlen::app {

class DeskTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        use_engine_for_tests(scratch_);
        qputenv("RIVLEN_KEEP_OUTPUT", "1");
        QSettings().clear();
        // Two seconds of noise alone, then a voice-like tone over it.
        auto yard = test::noise(std::size_t{8} * 48000, 5);
        for (std::size_t i = 0; i < yard.size(); ++i)
            yard[i] = 0.02F * yard[i] + (i > 96000 ? 0.2F * std::sin(static_cast<float>(i) * 0.05F) : 0.0F);
        test::write_wav(scratch_ / "yard.wav", {yard, yard}, 48000);
        show_split(window_, scratch_ / "work", scratch_ / "yard.wav");
        QVERIFY(document().place_stems(SessionFrame{}));
        window_->show_view(View::Rebuild);
    }
    void cleanupTestCase() {
        window_->jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        window_.reset();
        QSettings().clear();
    }

    // A send is made from the menu, with a bus of its own; its level, its place and its switch are those of
    // the session.
    void aTrackIsSentToANewBus() {
        choose(timeline().tracks[0].id);
        auto* menu = find<QMenu>("send_buses");
        emit menu->aboutToShow();
        QCOMPARE(menu->actions().size(), 1);  // a new bus
        menu->actions().back()->trigger();
        QCOMPARE(timeline().buses.size(), std::size_t{2});
        const int bus = timeline().buses[1].id;
        QCOMPARE(sends().size(), std::size_t{1});
        QCOMPARE(sends()[0].bus, bus);
        find<ParameterSlider>(QString("send_level_%1").arg(bus))->set_value(0);
        emit find<ParameterSlider>(QString("send_level_%1").arg(bus))->moved(-7.5);
        QCOMPARE(sends()[0].level_db, -7.5);
        click(QString("send_before_%1").arg(bus));
        QVERIFY(sends()[0].before_fader);
        auto* on = find<QCheckBox>(QString("send_on_%1").arg(bus));
        QTest::mouseClick(on, Qt::LeftButton, {}, {8, on->height() / 2});
        QVERIFY(!sends()[0].on);
        // The bus has a row of its own, with lines; the main bus is the last row.
        auto& canvas = window_->rebuild_view().canvas();
        QCOMPARE(canvas.strips_of(timeline()).back(), timeline().main_bus());
        QVERIFY(window_->findChild<QWidget*>(QString("strip_%1").arg(bus))->isVisible());
        auto* lines = find<QComboBox>(QString("line_%1").arg(bus));
        lines->setCurrentIndex(1);
        emit lines->activated(1);
        const StripLane gain{LaneTarget::Gain, 0, 0, {}};
        const QPointF at = canvas.position_of(bus, gain, {96000, 0});
        QTest::mouseClick(&canvas, Qt::LeftButton, {}, at.toPoint());
        QCOMPARE(timeline().buses[1].strip.lines.size(), std::size_t{1});
        document().undo();
        choose(timeline().tracks[0].id);  // the click chose the bus
        click(QString("send_remove_%1").arg(bus));
        QVERIFY(sends().empty());
        document().undo();
        QCOMPARE(sends().size(), std::size_t{1});
    }

    void aBusGoesToAnother() {
        document().edit_timeline("bus", {}, [](Timeline& r) { add_bus(r, "Group"); });
        const int first = timeline().buses[1].id, second = timeline().buses[2].id;
        choose(first);
        auto* box = find<QComboBox>("track_bus");
        QCOMPARE(box->count(), 2);  // main and the other one, not itself
        pick(*box, box->findData(second));
        QCOMPARE(timeline().buses[1].bus, second);
        choose(second);
        QCOMPARE(find<QComboBox>("track_bus")->findData(first), -1);  // it would reach itself
        choose(timeline().main_bus());
        for (auto* hidden : window_->findChildren<QComboBox*>("track_bus")) QVERIFY(!hidden->isVisible());
    }

    void sidesArePlaced() {
        choose(timeline().tracks[1].id);
        pick(*find<QComboBox>("pan_law"), static_cast<int>(PanLaw::Sides));
        QCOMPARE(timeline().tracks[1].strip.pan_law, PanLaw::Sides);
        emit find<ParameterSlider>("strip_width")->moved(30);
        QCOMPARE(timeline().tracks[1].strip.width_percent, 30.0);
        pick(*find<QComboBox>("pan_law"), static_cast<int>(PanLaw::Balance));
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        QCOMPARE(window_->findChild<ParameterSlider*>("strip_width"), nullptr);
    }

    // A chosen clip brings its page to the front, a track that is chosen keeps the page.
    void pagesFollowWhatIsChosen() {
        choose(timeline().tracks[0].id);
        const int clip = timeline().tracks[0].clips[0].id;
        window_->rebuild_view().selection().choose_clips({clip});
        QVERIFY(find<QToolButton>("page_clip")->isChecked());
        QTest::mouseClick(find<QToolButton>("page_levels"), Qt::LeftButton);
        QVERIFY(find<QCheckBox>("duck_on")->isVisible());
        choose(timeline().tracks[2].id);
        QVERIFY(find<QToolButton>("page_levels")->isChecked());
        window_->rebuild_view().selection().choose_clips({});
        QVERIFY(!window_->findChild<QToolButton*>("page_clip") ||
                !window_->findChild<QToolButton*>("page_clip")->isVisible());
    }

    // Several tracks turn one down: chosen in a menu.
    void severalTracksDuckOne() {
        choose(timeline().tracks[2].id);
        auto* menu = find<QMenu>("duck_keys");
        QCOMPARE(menu->actions().size(), 3);
        for (int k : {0, 2}) menu->actions()[k]->trigger();
        QCOMPARE(timeline().tracks[2].ducking.key_tracks,
                 (std::vector{timeline().tracks[0].id, timeline().tracks[3].id}));
        QVERIFY(find<QToolButton>("duck_key")->toolTip().contains("Ambience"));
        menu->actions()[0]->trigger();
        QCOMPARE(timeline().tracks[2].ducking.key_tracks, std::vector{timeline().tracks[3].id});
    }

    // The noise is learned from the loop range into the part, and what it is expected to be is drawn.
    void aNoisePrintIsLearned() {
        const int track = timeline().tracks[3].id;  // the ambience
        choose(track);
        document().edit_timeline("part", {}, [&](Timeline& r) {
            r.track(track)->strip.chain = {make_part(EffectType::Hiss, r.new_id()),
                                           make_part(EffectType::Gate, r.new_id())};
            r.loop = LoopRange{0, 90000};
            r.loop_on = true;
        });
        open_part(0);
        click("part_learn_0");
        QTRY_VERIFY_WITH_TIMEOUT(!part(track, 0).noise_shape_db.empty(), 30000);
        QVERIFY(part(track, 0)[parameter::kHissLevelDb] > -100);
        QCOMPARE(part(track, 0)[parameter::kHissFromHz], 100.0);
        document().undo();
        QVERIFY(part(track, 0).noise_shape_db.empty());
        // The key of a gate can be heard.
        open_part(1);
        click("part_key_1");
        QCOMPARE(window_->rebuild_view().plan()->heard_as(part(track, 1).id), Chain::Audition::Key);
        click("part_key_1");
        QCOMPARE(window_->rebuild_view().plan()->heard_as(part(track, 1).id), Chain::Audition::Result);
    }

    // The overview moves and sizes what is shown; the wheel does the same everywhere.
    void theOverviewMovesWhatIsShown() {
        auto& view = window_->rebuild_view().time_view();
        auto* strip = window_->findChild<OverviewStrip*>("mix_overview");
        view.show(2, 2);
        view.settle();
        const QRectF shown = strip->shown();
        drag(*strip, shown.center().toPoint(), shown.center().toPoint() + QPoint(strip->width() / 8, 0));
        QVERIFY(std::abs(view.start() - 2 - view.total() / 8) < 0.05);
        QVERIFY(std::abs(view.span() - 2) < 1e-6);
        drag(*strip, {static_cast<int>(strip->shown().right()), 5},
             {static_cast<int>(strip->shown().right()) + 40, 5});
        QVERIFY(view.span() > 2.1);
        QTest::mouseClick(strip, Qt::LeftButton, {}, {1, 5});
        QVERIFY(view.start() < 0.01);
        view.show(0, view.total());
        view.settle();
        auto& canvas = window_->rebuild_view().canvas();
        turn_wheel(canvas, 120, {});
        view.settle();
        const double after = view.span();
        QVERIFY(after < view.total() * 0.81);
        view.show(0, view.total());
        view.settle();
        turn_wheel(window_->rebuild_view().ruler(), 120, {});
        view.settle();
        QCOMPARE(view.span(), after);
        QNativeGestureEvent pinch(Qt::ZoomNativeGesture, QPointingDevice::primaryPointingDevice(), 2,
                                  QPointF(50, 50), QPointF(50, 50), QPointF(50, 50), 0.25, QPointF());
        QCoreApplication::sendEvent(&canvas, &pinch);
        view.settle();
        QVERIFY(std::abs(view.span() - after / 1.25) < 1e-6);
    }

    // Rows fill what there is until a height is asked for, which is kept.
    void rowsKeepTheHeightThatWasAskedFor() {
        auto& canvas = window_->rebuild_view().canvas();
        const int before = canvas.row_height();
        turn_wheel(canvas, 120, Qt::ControlModifier);
        QVERIFY(canvas.row_height() > before);
        const int asked = canvas.row_height();
        QCOMPARE(QSettings().value("sizes/rebuild_rows").toInt(), asked);
        QCOMPARE(window_->findChild<QWidget*>(QString("strip_%1").arg(timeline().tracks[0].id))->height(),
                 asked);
        QTest::keyClick(window_.get(), Qt::Key_Up, Qt::ShiftModifier);
        QVERIFY(canvas.row_height() < asked);
        auto* head = window_->findChild<QWidget*>(QString("strip_%1").arg(timeline().tracks[0].id));
        const int now = canvas.row_height();
        drag(*head, {30, head->height() - 2}, {30, head->height() + 40});
        QVERIFY(canvas.row_height() > now + 20);
        auto* columns = window_->findChild<KeptSplitter*>("rebuild_columns");
        const int wide = columns->sizes()[1];
        QWidget* handle = columns->handle(1);
        drag(*handle, {2, 100}, {-60, 100});
        QVERIFY(columns->sizes()[1] > wide);
        QCOMPARE(QSettings().value("sizes/rebuild_columns").toList().at(1).toInt(), columns->sizes()[1]);
    }

    // However many rows there are, times lie over each other.
    void theRulerEndsWhereTheTracksDo() {
        auto& view = window_->rebuild_view();
        QSettings().remove("sizes/rebuild_rows");
        turn_wheel(view.canvas(), 1200, Qt::ControlModifier);  // rows that do not fit
        QTRY_COMPARE(view.ruler().width(), view.canvas().width());
        QCOMPARE(view.ruler().mapToGlobal(QPoint()).x(), view.canvas().mapToGlobal(QPoint()).x());
        const int narrow = view.ruler().width();
        for (int i = 0; i < 3; ++i) turn_wheel(view.canvas(), -1200, Qt::ControlModifier);
        document().edit_timeline("fewer", {}, [](Timeline& r) {
            while (r.tracks.size() > 1) remove_track(r, r.tracks.back().id);
            while (r.buses.size() > 1) remove_bus(r, r.buses.back().id);
        });
        QTRY_COMPARE(view.ruler().width(), view.canvas().width());
        QVERIFY(view.ruler().width() > narrow);
        document().undo();
    }

    // Set by its key where the playhead stands, dragged, named in place, walked to, taken away.
    void markersAreSetNamedAndWalkedTo() {
        auto& player = window_->mix_player();
        auto& ruler = window_->rebuild_view().ruler();
        player.locate(48000);
        trigger("marker");
        player.locate(144000);
        trigger("marker");
        QCOMPARE(timeline().markers.size(), std::size_t{2});
        trigger("marker_before");
        QCOMPARE(player.position(), std::int64_t{48000});
        trigger("marker_next");
        QCOMPARE(player.position(), std::int64_t{144000});
        trigger("marker_next");  // there is none
        QCOMPARE(player.position(), std::int64_t{144000});
        const QPoint flag = ruler.marker_rect(timeline().markers[0]).center();
        QTest::mouseDClick(&ruler, Qt::LeftButton, {}, flag);
        auto* name = find<QLineEdit>("marker_name");
        QVERIFY(name != nullptr);
        QTest::keyClicks(name, "Bell");
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(timeline().markers[0].name, std::string("Bell"));
        const QPoint named = ruler.marker_rect(timeline().markers[0]).center();
        drag(ruler, named, named + QPoint(60, 0));
        QVERIFY(timeline().markers[0].frame > 48000);
        document().undo();
        QCOMPARE(timeline().markers[0].frame, std::int64_t{48000});
        QTest::mouseClick(&ruler, Qt::LeftButton, {}, named);
        QCOMPARE(player.position(), std::int64_t{48000});
        trigger("marker");
        QCOMPARE(timeline().markers.size(), std::size_t{1});
    }

    // Played, the main bus shows its loudness, and how alike its sides are: the same.
    void metersFollowTheMix() {
        document().edit_timeline("loop", {}, [](Timeline& r) { r.loop_on = false; });
        auto& player = window_->mix_player();
        player.locate(96000);
        player.play();
        auto* output = window_->output().simulated();
        QVERIFY(output != nullptr);
        for (int i = 0; i < 40; ++i) {
            output->advance(4800);
            window_->rebuild_view().follow_time();
        }
        const auto correlation = window_->findChild<CorrelationBar*>("mix_correlation")->shown();
        QVERIFY(correlation && *correlation > 0.99);
        player.stop();
        QVERIFY(window_->findChild<QLabel*>("mix_loudness")->text().contains("LUFS"));
    }

    // What is played comes back 37.5 ms later: measured to the sample by the test sound, kept for the
    // devices, and a take is moved earlier by it.
    void theRecordingDelayIsMeasuredAndTakenOff() {
        constexpr std::size_t kLate = 1800;
        auto& take = window_->rebuild_view().take_recording();
        auto& output = *window_->output().simulated();
        QCOMPARE(take.delay_frames(), std::int64_t{0});
        take.measure_delay();
        QVERIFY(take.measuring());
        static_cast<void>(output.take_kept());
        window_->mix_player().settle();
        std::vector<float> back(kLate, 0.0F);
        while (window_->mix_player().playing() && back.size() < 48000 * 4) {
            output.advance(4800);
            const auto kept = output.take_kept();
            for (std::size_t i = 0; i + 1 < kept.size(); i += 2) back.push_back(0.3F * kept[i]);
            take.recorder().hear(
                std::span(back).first(back.size() > kLate ? back.size() - kLate : 0).subspan(heard_));
            heard_ = back.size() > kLate ? back.size() - kLate : 0;
        }
        QTRY_VERIFY_WITH_TIMEOUT(!take.measuring(), 20000);
        QCOMPARE(take.delay_frames(), static_cast<std::int64_t>(kLate));
        // A take is placed with as much of its beginning left out.
        choose(timeline().tracks[0].id);
        window_->mix_player().locate(24000);
        const std::size_t tracks = timeline().tracks.size();
        QTest::keyClick(window_.get(), Qt::Key_R, Qt::ShiftModifier);
        take.recorder().speak(48000);
        QTest::keyClick(window_.get(), Qt::Key_R, Qt::ShiftModifier);
        QTRY_VERIFY_WITH_TIMEOUT(timeline().tracks.size() == tracks + 1, 20000);
        const Clip& clip = timeline().tracks.back().clips[0];
        QCOMPARE(clip.start, std::int64_t{24000});
        QCOMPARE(clip.offset, static_cast<std::int64_t>(kLate));
        QCOMPARE(clip.length, static_cast<std::int64_t>(48000 - kLate));
    }

    // A clip is pulled down as a file of its own beside the takes, and undone it is what it was.
    void aClipIsPulledDown() {
        auto& selection = window_->rebuild_view().selection();
        const Clip before = timeline().tracks[0].clips[0];
        selection.choose_clips({before.id});
        trigger("pull_down");
        QTRY_VERIFY_WITH_TIMEOUT(timeline().clip(before.id)->path != before.path, 30000);
        const Clip after = *timeline().clip(before.id);
        QVERIFY(std::filesystem::exists(after.path));
        QCOMPARE(after.start, before.start);
        QCOMPARE(after.clip_source, ClipSource::Whole);
        QVERIFY(std::abs(static_cast<double>(after.length) - static_cast<double>(before.length) * 1.001) < 3);
        QTRY_VERIFY_WITH_TIMEOUT(document().media_length(after.path) == after.length, 30000);
        document().undo();
        QCOMPARE(*timeline().clip(before.id), before);
    }

    // Two takes on two tracks: the second's track gets an equaliser that brings it to the first.
    void theToneOfATakeIsMatched() {
        auto& selection = window_->rebuild_view().selection();
        const int reference = timeline().tracks[0].clips[0].id, matched = timeline().tracks[3].clips[0].id;
        document().edit_timeline("whole", {}, [&](Timeline& r) {
            for (const int id : {reference, matched}) r.clip(id)->clip_source = ClipSource::Whole;
            r.tracks[3].strip.chain.clear();
        });
        selection.choose_clips({reference, matched});
        trigger("match_tone");
        QTRY_COMPARE_WITH_TIMEOUT(timeline().tracks[3].strip.chain.size(), std::size_t{1}, 30000);
        const Insert& equaliser = timeline().tracks[3].strip.chain[0];
        QCOMPARE(equaliser.kind, EffectType::Equaliser);
        QVERIFY(std::abs(equaliser[parameter::eq_gain_db(1)]) < 0.2);  // they are alike
        QVERIFY(well_formed(timeline()));
    }

    // Of our own, not of a font on this machine that goes by the same name.
    void theTypeIsTheProgramsOwn() {
        const QFontInfo info(QApplication::font());
        QCOMPARE(info.family(), QString(kFontFamily));
        QVERIFY(!info.fixedPitch());
    }

    // No view asks for more than a screen of 1280 x 720 has under a title bar (25 pixels) and its frame.
    void everyViewFitsSmallScreens() {
        for (const View view : {View::Separate, View::Rebuild, View::Handover}) {
            window_->show_view(view);
            // Step by step, as a hand draws it smaller: what yields does so on the way.
            for (int height = 800; height >= 690; height -= 10) window_->resize(1270, height);
            QVERIFY2(window_->size() == QSize(1270, 690), qPrintable(QString("%1: %2 x %3")
                                                                         .arg(static_cast<int>(view))
                                                                         .arg(window_->width())
                                                                         .arg(window_->height())));
            window_->resize(1280, 800);
        }
    }

    // An empty session shows what can be done; sessions that were open last are there, and gone ones are not.
    void anEmptySessionShowsWhatCanBeDone() {
        const auto session = scratch_ / "last.rivlen";
        QVERIFY(save_session(Session(), session).ok());
        QSettings().setValue("recent",
                             QStringList{QString::fromStdString(session.string()), "/nowhere/gone.rivlen"});
        MainWindow window(scratch_ / "work2");
        window.show();
        QVERIFY(QTest::qWaitForWindowExposed(&window));
        auto* page = window.findChild<StartPage*>("start_page");
        QVERIFY(page->isVisible());
        for (const char* act : {"start_bring_in", "start_open", "start_guide"})
            QVERIFY2(window.findChild<QToolButton*>(act)->isVisible(), act);
        QCOMPARE(window.findChildren<QToolButton*>(QRegularExpression("start_recent_\\d")).size(), 1);
        QTest::mouseClick(window.findChild<QToolButton*>("start_recent_0"), Qt::LeftButton);
        QCOMPARE(window.document().path(), session);
        QTest::mouseClick(window.findChild<QToolButton*>("start_guide"), Qt::LeftButton);
        QVERIFY(window.findChild<QWidget*>("guide")->isVisible());
        window.open_path(scratch_ / "yard.wav");
        QTRY_VERIFY_WITH_TIMEOUT(window.document().source() != nullptr, 30000);
        QVERIFY(!page->isVisible());
        window.jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window.jobs().busy(), 60000);
    }

    void dialogsKnowKindsAndFolders() {
        QVERIFY(file_filter(FileKind::Recording).contains("*.wav"));
        QVERIFY(file_filter(FileKind::Recording).contains("All files"));
        QVERIFY(file_filter(FileKind::Session).contains("*.rivlen"));
        QVERIFY(folder_of(FileKind::Chain).isEmpty());
        remember_folder(FileKind::Chain, scratch_ / "voice.rivlen-chain");
        QCOMPARE(folder_of(FileKind::Chain), QString::fromStdString(scratch_.folder().string()));
        QVERIFY(folder_of(FileKind::Session).isEmpty());  // every kind has its own
        remember_folder(FileKind::Chain, "/nowhere/x.rivlen-chain");
        QVERIFY(folder_of(FileKind::Chain).isEmpty());  // not there any more
    }

  private:
    Document& document() { return window_->document(); }
    const Timeline& timeline() { return document().timeline(); }
    const std::vector<Send>& sends() { return timeline().tracks[0].strip.sends; }
    const Insert& part(int track, std::size_t place) { return timeline().track(track)->strip.chain[place]; }
    void choose(int strip) { window_->rebuild_view().selection().choose_strip(strip); }
    template <typename T>
    T* find(const QString& name) {
        return find_revealed<T>(*window_, name);
    }
    void click(const QString& name) { QTest::mouseClick(find<QToolButton>(name), Qt::LeftButton); }
    void open_part(int place) {
        QTest::mouseClick(find<PartTile>(QString("part_tile_%1").arg(place)), Qt::LeftButton, {}, {4, 60});
    }
    void trigger(const char* action) {
        auto* found = window_->findChild<QAction*>(action);
        QVERIFY2(found != nullptr, action);
        found->trigger();
    }
    static void turn_wheel(QWidget& over, int delta, Qt::KeyboardModifiers modifiers) {
        const QPointF at(over.width() / 2.0, 20);
        QWheelEvent wheel(at, over.mapToGlobal(at), {}, {0, delta}, Qt::NoButton, modifiers,
                          Qt::NoScrollPhase, false);
        QCoreApplication::sendEvent(&over, &wheel);
    }
    static void drag(QWidget& widget, QPoint from, QPoint to) {
        QTest::mousePress(&widget, Qt::LeftButton, {}, from);
        QTest::mouseMove(&widget, (from + to) / 2);
        QTest::mouseMove(&widget, to);
        QTest::mouseRelease(&widget, Qt::LeftButton, {}, to);
    }

    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
    std::size_t heard_ = 0;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::DeskTest)
#include "desk_test.moc"
