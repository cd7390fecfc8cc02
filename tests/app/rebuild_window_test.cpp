// SPDX-License-Identifier: GPL-3.0-or-later
// The demo rebuilt from its stems entirely through the window: every act is a key, a click, a drag or a typed
// value. At the end everything is undone and done again, and each state sounds as it did before, sample for
// sample.
#include <QApplication>
#include <QCheckBox>
#include <QComboBox>
#include <QDropEvent>
#include <QFileDialog>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPlainTextEdit>
#include <QPushButton>
#include <QRegularExpression>
#include <QScrollArea>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTableWidget>
#include <QTextBrowser>
#include <QToolButton>
#include <QtTest>
#include <numbers>

#include "app/handover/row_delegates.h"
#include "app/shell/first_look_dialog.h"
#include "app/shell/main_window.h"
#include "app/widgets/side_pages.h"
#include "app/widgets/theme.h"
#include "core/base/output_file.h"
#include "core/delivery/delivery_rows.h"
#include "core/delivery/export_mix.h"
#include "core/dsp/decibels.h"
#include "core/metering/loudness.h"
#include "core/mix/engine.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

namespace fs = std::filesystem;

const fs::path kDemo = fs::path(RIVLEN_ROOT) / "demo/tide-mill.mov";
constexpr int kRate = 48000;

class RebuildWindowTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        QApplication::setAttribute(Qt::AA_DontUseNativeDialogs);
        qputenv("RIVLEN_ENGINE", RIVLEN_ENGINE_FILE);
        qputenv("RIVLEN_MODEL", (fs::path(RIVLEN_ROOT) / "models/quick.safetensors").c_str());
        apply_theme(*qApp);
        scratch_ = std::make_unique<test::Scratch>();
        window_ = std::make_unique<MainWindow>(scratch_->folder() / "work");
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
        // Other music: a slow chord, louder than the old one, longer than the demo, at another rate.
        test::Channels music(2, std::vector<float>(60 * 44100));
        for (std::size_t i = 0; i < music[0].size(); ++i) {
            const double t = static_cast<double>(i) / 44100;
            double x = 0;
            for (const double hz : {220.0, 277.2, 329.6})
                x += 0.2 * std::sin(2 * std::numbers::pi * hz * t) *
                     (1 + 0.3 * std::sin(2 * std::numbers::pi * 0.4 * t));
            music[0][i] = music[1][i] = static_cast<float>(x);
        }
        test::write_wav(*scratch_ / "chord.wav", music, 44100);
    }
    void cleanupTestCase() {
        window_.reset();
        scratch_.reset();
    }
    void init() {
        if (window_->mix_player().playing()) window_->mix_player().stop();
    }

    void theRecordingIsSplitAndTuned() {
        window_->open_path(kDemo);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().source() != nullptr, 20000);
        click("split");
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().map() != nullptr, 180000);
        // Two cards: a clean one, and one that keeps some of the place.
        key(Qt::Key_F2, Qt::ShiftModifier);
        for (int i = 0; i < 8; ++i) key(Qt::Key_BracketLeft);
        key(Qt::Key_F3, Qt::ShiftModifier);
        const auto& cards = window_->document().current_item()->cards;
        QVERIFY(cards[0] && cards[1]);
        QCOMPARE(cards[1]->settings.stems[0].value(Setting::Isolation), 60.0);
    }

    void stemsArePlacedAsTracks() {
        key(Qt::Key_2);
        QCOMPARE(window_->view(), View::Rebuild);
        keep();
        key(Qt::Key_P, Qt::ShiftModifier);
        QCOMPARE(timeline().tracks.size(), std::size_t{4});
        QCOMPARE(timeline().sample_rate, kRate);
        QCOMPARE(timeline().picture.size(), std::size_t{1});
        QCOMPARE(timeline().end(), std::int64_t{44 * kRate});
        // The stems as they stand add up to the source.
        const auto mix = heard();
        std::vector<float> original(44 * kRate);
        window_->document().source()->read(0, 0, original);
        double worst = 0;
        // The dialogue is at 60 % isolation now, the card holds 100 %.
        choose_track(0);
        pick("track_card", 1);
        const auto clean = heard();
        for (std::size_t i = 0; i < original.size(); ++i)
            worst = std::max(worst,
                             std::abs(static_cast<double>(clean[0][i]) - static_cast<double>(original[i])));
        QVERIFY2(20 * std::log10(worst) < -100, qPrintable(QString::number(20 * std::log10(worst))));
        QVERIFY(mix != clean);
        keep();
    }

    void aBangIsCutOut() {
        // Two cuts on the ambience track alone, half a second apart, and what lies between goes.
        key(Qt::Key_G, Qt::ShiftModifier);
        QVERIFY(!timeline().edit_groups);
        const int ambience = timeline().tracks[3].clips[0].id;
        click_clip(ambience, 0.5);
        go_to(10.0);
        key(Qt::Key_T);
        QCOMPARE(timeline().tracks[3].clips.size(), std::size_t{2});
        click_clip(timeline().tracks[3].clips[1].id, 0.5);
        go_to(10.48);
        key(Qt::Key_T);
        QCOMPARE(timeline().tracks[3].clips.size(), std::size_t{3});
        const int bang = timeline().tracks[3].clips[1].id;
        window_->rebuild_view().selection().choose_clips({bang});
        key(Qt::Key_Delete);
        QCOMPARE(timeline().tracks[3].clips.size(), std::size_t{2});
        QCOMPARE(timeline().tracks[3].clips[0].end(), std::int64_t{10 * kRate});
        QCOMPARE(timeline().tracks[3].clips[1].start, std::int64_t{static_cast<int>(10.48 * kRate)});
        QCOMPARE(timeline().tracks[0].clips.size(), std::size_t{1});
        QCOMPARE(timeline().picture.size(), std::size_t{1});
        const auto mix = track_alone(3);
        QCOMPARE(energy_of(std::span(mix[0]).subspan(10 * kRate + 100, 22000)), 0.0);
        // The edges' own fades of 5 ms are drawn, not set.
        settle();
        const Clip& cut = timeline().tracks[3].clips[0];
        const TrackCanvas& canvas = window_->rebuild_view().canvas();
        QCOMPARE(cut.fade_out.frames, std::int64_t{0});
        QCOMPARE(canvas.as_played(cut).fade_out.frames, std::int64_t{kRate / 200});
        QCOMPARE(canvas.as_played(timeline().tracks[3].clips[1]).fade_in.frames, std::int64_t{kRate / 200});
        QCOMPARE(canvas.as_played(cut).fade_in.frames, std::int64_t{0});  // the recording begins there
        key(Qt::Key_G, Qt::ShiftModifier);
        QVERIFY(timeline().edit_groups);
        keep();
    }

    // The hole that the bang leaves gets the sound of the place; undo takes it and what was found of it away.
    void roomToneIsLaidInTheGap() {
        choose_track(3);
        key(Qt::Key_O, Qt::ShiftModifier);
        QVERIFY(find<QLabel>("message")->text().contains("loop range"));
        window_->document().edit_timeline("Loop", {}, [](Timeline& r) {
            r.loop = LoopRange{std::int64_t{9} * kRate, std::int64_t{12} * kRate};
        });
        const auto before = track_alone(3)[0];
        const auto level_db = [](const std::vector<float>& x, double first_s, double last_s) {
            const auto piece = std::span(x).subspan(static_cast<std::size_t>(first_s * kRate),
                                                    static_cast<std::size_t>((last_s - first_s) * kRate));
            return db_of_power(energy_of(piece) / static_cast<double>(piece.size()));
        };
        QVERIFY(level_db(before, 10.02, 10.46) < -100);
        key(Qt::Key_O, Qt::ShiftModifier);
        QTRY_COMPARE_WITH_TIMEOUT(timeline().tracks[3].clips.size(), std::size_t{3}, 60000);
        settle();
        QVERIFY(timeline().tracks[3].clips[1].room_tone);
        QVERIFY(!window_->document().current_item()->room_tone.empty());
        const auto after = track_alone(3)[0];
        const double laid_db = level_db(after, 10.02, 10.46);
        QVERIFY2(laid_db > level_db(before, 0, 44) - 15 && laid_db < level_db(before, 0, 44) + 3,
                 qPrintable(QString("%1 dB").arg(laid_db)));
        for (std::size_t i = 0; i < static_cast<std::size_t>(9.9 * kRate); ++i) QCOMPARE(after[i], before[i]);
        // In place of what a clip plays, and back.
        window_->rebuild_view().selection().choose_clips({timeline().tracks[3].clips[0].id});
        key(Qt::Key_O);
        QVERIFY(timeline().tracks[3].clips[0].room_tone);
        key(Qt::Key_O);
        QVERIFY(!timeline().tracks[3].clips[0].room_tone);
        for (int i = 0; i < 4; ++i) window_->document().undo();
        QCOMPARE(timeline().tracks[3].clips.size(), std::size_t{2});
        QVERIFY(window_->document().current_item()->room_tone.empty());
        QVERIFY(!timeline().loop);
    }

    // A second copy of the recording stands for a take of the same words by another microphone.
    void clipsAreNudgedSpottedAndAligned() {
        auto& selection = window_->rebuild_view().selection();
        const auto before = timeline();
        int take = 0;
        window_->document().edit_timeline("Take", {}, [&](Timeline& r) {
            take = place_clip(r, {kDemo, 2 * kRate, 20 * kRate, false, false, "Take"}, ClipSource::Whole, 0);
        });
        const auto start = [&] { return timeline().clip(take)->start; };
        selection.choose_clips({take});
        key(Qt::Key_Right, Qt::ControlModifier);
        QCOMPARE(start(), std::int64_t{2 * kRate + 1920});  // one frame of 25
        key(Qt::Key_N, Qt::ShiftModifier);                  // then one sample
        key(Qt::Key_Left, Qt::ControlModifier);
        key(Qt::Key_Left, Qt::ControlModifier);
        QCOMPARE(start(), std::int64_t{2 * kRate + 1918});
        for (int i = 0; i < 4; ++i) key(Qt::Key_N, Qt::ShiftModifier);  // round to frames again
        auto* field = find<QLineEdit>("clip_start");
        QVERIFY(field != nullptr);
        const QString typed = QString::fromStdString(timecode_at(timeline(), 5 * kRate));
        field->setFocus();
        field->selectAll();
        QTest::keyClicks(field, typed);
        QTest::keyClick(field, Qt::Key_Return);
        QCOMPARE(start(), std::int64_t{5} * kRate);
        field = find<QLineEdit>("clip_start");
        field->setText("99:99");
        emit field->editingFinished();
        QCOMPARE(start(), std::int64_t{5} * kRate);
        QVERIFY(find<QLabel>("message")->text().contains("no timecode"));
        key(Qt::Key_A);  // to what?
        QVERIFY(find<QLabel>("message")->text().contains("two clips"));
        selection.choose_clips({timeline().tracks[0].clips[0].id, take});
        key(Qt::Key_A);
        QTRY_COMPARE_WITH_TIMEOUT(start(), std::int64_t{0}, 60000);
        settle();
        selection.choose_clips({});
        while (!(timeline() == before)) window_->document().undo();
    }

    void musicIsReplacedAndAsLoud() {
        const int old = timeline().tracks[2].clips[0].id;
        const double before = loudness(track_alone(2));
        click_clip(old, 0.3);
        type_into_dialog(*scratch_ / "chord.wav");
        click("replace");
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        QTRY_VERIFY_WITH_TIMEOUT(timeline().tracks.size() == 5, 60000);
        const Clip& fresh = timeline().tracks[2].clips[0];
        QCOMPARE(fresh.path.filename().string(), std::string("chord.wav"));
        QCOMPARE(fresh.length, std::int64_t{44 * kRate});
        QVERIFY(fresh.fade_in.frames > 0 && fresh.fade_out.frames > 0);
        QVERIFY(timeline().clip(old)->mute);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().media_length(fresh.path) > 0, 60000);
        const double after = loudness(track_alone(2));
        QVERIFY2(std::abs(after - before) < 0.5, qPrintable(QString("%1 %2").arg(before).arg(after)));
        keep();
    }

    void musicIsDucked() {
        choose_track(2);
        auto* on = find<QCheckBox>("duck_on");
        QTest::mouseClick(on, Qt::LeftButton, {}, {8, on->height() / 2});
        QVERIFY(timeline().tracks[2].ducking.acts());
        QCOMPARE(timeline().tracks[2].ducking.key_tracks,
                 std::vector{timeline().tracks[0].id});  // the dialogue, by itself
        type("duck_depth", -15);
        QCOMPARE(timeline().tracks[2].ducking.value(DuckSetting::Depth), -15.0);
        // The line that is drawn is the line that is played.
        auto& levels = window_->rebuild_view().levels();
        QTRY_VERIFY_WITH_TIMEOUT(!levels.duck_gains_of(timeline().tracks[2].id).empty(), 60000);
        const auto gains = levels.duck_gains_of(timeline().tracks[2].id);
        const float lowest = *std::min_element(gains.begin(), gains.end());
        QCOMPARE(lowest, -15.0F);
        const auto ducked = track_alone(2);
        Session plain = window_->document().session();
        plain.timeline.tracks[2].ducking.on = false;
        const auto open = track_alone(2, plain);
        int compared = 0;
        for (std::size_t k = 100; k < gains.size(); k += 37) {
            const std::size_t frame = k * static_cast<std::size_t>(kDuckStep);
            if (frame >= open[0].size() || std::abs(open[0][frame]) < 0.01F) continue;
            const double played = 20 * std::log10(static_cast<double>(ducked[0][frame] / open[0][frame]));
            QVERIFY(std::abs(played - static_cast<double>(gains[k])) < 0.02);
            ++compared;
        }
        QVERIFY(compared > 50);
        keep();
    }

    void theVoiceGetsAHighPassAndALimiter() {
        choose_track(0);
        for (const char* part : {"High-pass", "Limiter"}) {
            auto* menu = find<QMenu>("part_menu");
            for (auto* action : menu->actions()) {
                if (action->text() == part) action->trigger();
            }
        }
        QCOMPARE(timeline().tracks[0].strip.chain.size(), std::size_t{2});
        type("part_0_frequency", 110);
        type("part_1_drive", 12);
        type("part_1_ceiling", -3);
        const auto voice = track_alone(0);
        LoudnessMeter meter(kRate, 2);
        meter.add(voice);
        QVERIFY2(meter.result().true_peak_dbtp <= -3.0,
                 qPrintable(QString::number(meter.result().true_peak_dbtp.value())));
        QVERIFY(meter.result().true_peak_dbtp > -4.0);
        // Nothing was shifted by the limiter's look-ahead: the voice begins where it began.
        keep();
    }

    void theVoiceGetsAChainWithGraphs() {
        choose_track(1);
        const auto trigger = [this](const char* menu, const QString& label) {
            for (auto* action : find<QMenu>(menu)->actions()) {
                if (action->text() == label) action->trigger();
            }
        };
        trigger("chain_menu", "Start chain for a voice");
        QCOMPARE(timeline().tracks[1].strip.chain.size(), std::size_t{4});
        QVERIFY(timeline().tracks[1].strip.chain[0].id != 1);  // ids of its own
        trigger("part_menu", "Equaliser");
        QCOMPARE(timeline().tracks[1].strip.chain.back().kind, EffectType::Equaliser);
        auto* graph = find<PartGraph>("part_graph_4");
        const QPoint from = graph->point_of(2).toPoint();
        const int before = window_->document().history().position();
        drag(*graph, from, from + QPoint(20, -40));
        const Insert& equaliser = timeline().tracks[1].strip.chain.back();
        QVERIFY(equaliser[parameter::eq_hz(2)] > 1300 && equaliser[parameter::eq_gain_db(2)] > 5);
        QCOMPARE(window_->document().history().position(), before + 1);  // one drag, one step
        const auto louder = track_alone(1);
        // Moved up in the chain, switched off, taken out.
        click("part_up_4");
        QCOMPARE(timeline().tracks[1].strip.chain[3].kind, EffectType::Equaliser);
        auto* on = find<QCheckBox>("part_on_3");
        QTest::mouseClick(on, Qt::LeftButton, {}, {8, on->height() / 2});
        QVERIFY(!timeline().tracks[1].strip.chain[3].on);
        QVERIFY(track_alone(1) != louder);
        click("part_original_0");
        QCOMPARE(window_->rebuild_view().plan()->heard_as(timeline().tracks[1].strip.chain[0].id),
                 Chain::Audition::Original);
        click("part_original_0");
        QCOMPARE(window_->rebuild_view().plan()->heard_as(timeline().tracks[1].strip.chain[0].id),
                 Chain::Audition::Result);
        click("part_away_3");
        QCOMPARE(timeline().tracks[1].strip.chain.size(), std::size_t{4});
        // One is open, and one only; a tile that is dragged behind the last goes there, and back by keys.
        QCOMPARE(std::ranges::count_if(window_->findChildren<PartGraph*>(), &QWidget::isVisible), 1);
        const auto order = [&] {
            std::vector<int> ids;
            for (const auto& part : timeline().tracks[1].strip.chain) ids.push_back(part.id);
            return ids;
        };
        const auto before_drag = order();
        auto* first = find<PartTile>("part_tile_0");
        const QPoint behind =
            first->mapFromGlobal(find<PartTile>("part_tile_3")->mapToGlobal(QPoint(100, 20)));
        drag(*first, {4, 60}, behind);
        QCOMPARE(order(), (std::vector<int>{before_drag[1], before_drag[2], before_drag[3], before_drag[0]}));
        for (const char* place : {"part_tile_3", "part_tile_2", "part_tile_1"}) {
            auto* tile = find<PartTile>(place);
            tile->setFocus();
            QTest::keyClick(tile, Qt::Key_Left, Qt::ControlModifier);
        }
        QCOMPARE(order(), before_drag);
        QTest::keyClick(find<PartTile>("part_tile_2"), Qt::Key_Return);
        QVERIFY(find<PartGraph>("part_graph_2") != nullptr);
        keep();
    }

    void talkIsLevelled() {
        choose_track(0);
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().levels().levels(timeline().tracks[0].id) != nullptr,
                                 60000);
        type("levelling_target", -20);
        click("levelling_write");
        const StripLane target{LaneTarget::Gain, 0, 0, {}};
        const StripLane* line = find_lane(timeline().tracks[0].strip, target);
        QVERIFY(line != nullptr && !line->points.empty() && line->points.size() < 200);
        for (const auto& point : line->points) QVERIFY(std::abs(point.value) <= 9.0 + 1e-9);
        keep();
        window_->document().undo();  // what follows is about the voice as it was
        QVERIFY(find_lane(timeline().tracks[0].strip, target) == nullptr);
        kept_.pop_back();
    }

    // The ambience is the fifth track now: the old music has one of its own above it.
    void aLevelIsAutomated() {
        auto& canvas = window_->rebuild_view().canvas();
        choose_track(4);
        key(Qt::Key_Y);
        const int id = timeline().tracks[4].id;
        const auto target = window_->rebuild_view().selection().line_of(id);
        QVERIFY(target.has_value());
        window_->rebuild_view().time_view().settle();
        const auto y = canvas.position_of(id, *target, {0, 0.0}).toPoint().y();
        const auto x_of = [&](double seconds) {
            return canvas.position_of(id, *target, {static_cast<std::int64_t>(seconds * kRate), 0})
                .toPoint()
                .x();
        };
        QTest::mouseClick(&canvas, Qt::LeftButton, {}, {x_of(20), y});
        QTest::mouseClick(&canvas, Qt::LeftButton, {}, {x_of(25), y});
        QCOMPARE(find_lane(timeline().tracks[4].strip, *target)->points.size(), std::size_t{2});
        QTest::mousePress(&canvas, Qt::LeftButton, {}, {x_of(25), y});
        QTest::mouseMove(&canvas, {x_of(25) + 4, y + 8});
        QTest::mouseMove(&canvas, {x_of(26), y + 20});
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, {x_of(26), y + 20});
        const auto points = find_lane(timeline().tracks[4].strip, *target)->points;
        QCOMPARE(points.size(), std::size_t{2});
        QVERIFY(points[1].value < -20);
        QVERIFY(std::abs(static_cast<double>(points[1].frame) / kRate - 26) < 0.2);
        keep();
        // Written by moving the fader while it plays, then thinned out.
        go_to(30.0);
        key(Qt::Key_Space);
        auto* gain = window_->findChild<ParameterSlider*>(QString("gain_%1").arg(id));
        QTest::mousePress(gain, Qt::LeftButton, {}, {20, 11});
        for (int i = 0; i < 12; ++i) {
            play_on(0.04);
            QTest::mouseMove(gain, {20 + 4 * i, 11});
        }
        QTest::mouseRelease(gain, Qt::LeftButton, {}, {64, 11});
        play_on(0.06);
        key(Qt::Key_Space);
        QTRY_VERIFY(!window_->mix_player().playing());
        const auto written = find_lane(timeline().tracks[4].strip, *target)->points;
        QVERIFY2(written.size() > 3 && written.size() < 14, qPrintable(QString::number(written.size())));
        keep();
    }

    void clipsAreDraggedTrimmedAndFaded() {
        auto& canvas = window_->rebuild_view().canvas();
        key(Qt::Key_Y);  // the line is put away
        QCOMPARE(timeline().tracks[4].clips.size(), std::size_t{2});
        const int id = timeline().tracks[4].clips[1].id;
        QVERIFY(timeline().clip(id) != nullptr);
        const Clip before = *timeline().clip(id);
        const QRectF rect = canvas.clip_rect(id);
        const int middle = static_cast<int>(rect.center().y()) + 12;
        // Its left edge, to the right.
        drag(canvas, {static_cast<int>(rect.left()) + 2, middle},
             {static_cast<int>(rect.left()) + 62, middle});
        const Clip trimmed = *timeline().clip(id);
        QVERIFY(trimmed.start > before.start && trimmed.end() == before.end());
        QCOMPARE(trimmed.offset - before.offset, trimmed.start - before.start);
        QCOMPARE(frame_of_picture(timeline(), picture_frame_of(timeline(), trimmed.start)),
                 trimmed.start);  // snapped
        // A fade from its upper corner.
        const QRectF now = canvas.clip_rect(id);
        drag(canvas, {static_cast<int>(now.left()) + 2, static_cast<int>(now.top()) + 22},
             {static_cast<int>(now.left()) + 50, static_cast<int>(now.top()) + 22});
        QVERIFY(timeline().clip(id)->fade_in.frames > kRate);
        QCOMPARE(timeline().clip(id)->start, trimmed.start);
        // Moved; with Ctrl it does not snap.
        QTest::mousePress(&canvas, Qt::LeftButton, {}, {static_cast<int>(now.center().x()), middle});
        QTest::mouseMove(&canvas, {static_cast<int>(now.center().x()) + 10, middle});
        QTest::mouseMove(&canvas, {static_cast<int>(now.center().x()) + 30, middle});
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, {static_cast<int>(now.center().x()) + 30, middle});
        QVERIFY(timeline().clip(id)->start > trimmed.start);
        QCOMPARE(timeline().clip(id)->length, trimmed.length);
        keep();
    }

    void silencesAreShownAndTaken() {
        key(Qt::Key_S, Qt::ShiftModifier);
        auto& side = window_->rebuild_view().side();
        QTRY_VERIFY_WITH_TIMEOUT(!side.silences().empty(), 60000);
        const auto ranges = side.silences();
        QVERIFY(ranges.size() >= 4);  // between the sentences
        const std::int64_t before = timeline().end();
        std::int64_t gone = 0;
        for (const auto& r : ranges) gone += r.last - r.first;
        click("silence_close");
        QVERIFY(std::abs(timeline().end() - (before - gone)) <=
                kRate);  // what was moved behind the end stays behind
        QVERIFY(timeline().picture.size() > 3);
        QCOMPARE(timeline().picture[1].start - timeline().picture[1].offset,
                 timeline().tracks[0].clips[1].start -
                     timeline().tracks[0].clips[1].offset);  // in step with the talk
        QVERIFY(well_formed(timeline()));
        keep();
    }

    void aTakeIsRecorded() {
        qputenv("RIVLEN_INPUT", "driven");
        go_to(2.0);
        const std::size_t tracks = timeline().tracks.size();
        key(Qt::Key_R, Qt::ShiftModifier);
        QVERIFY(window_->rebuild_view().recorder().recording());
        window_->rebuild_view().recorder().speak(kRate * 3 / 2);
        key(Qt::Key_R, Qt::ShiftModifier);
        QTRY_VERIFY_WITH_TIMEOUT(timeline().tracks.size() == tracks + 1, 20000);
        const Clip& take = timeline().tracks.back().clips[0];
        QCOMPARE(take.start, std::int64_t{2 * kRate});
        QVERIFY(take.length > kRate);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().media_length(take.path) > 0, 20000);
        const auto sound = track_alone(tracks);
        QVERIFY(energy_of(sound[0]) > 0.1);  // a line was spoken
        keep();
    }

    void thePictureIsThatOfThePlayhead() {
        auto& pane = window_->rebuild_view().picture();
        for (const std::int64_t frame : {0, 7, 26, 101}) {
            const std::int64_t at = frame_of_picture(timeline(), frame);
            window_->mix_player().locate(at);
            const VideoClip* cut = picture_at(timeline(), at);
            QVERIFY(cut != nullptr);
            const double wanted = static_cast<double>(cut->offset + at - cut->start) / kRate;
            const double begins = std::floor(wanted * 25 + 1e-6) / 25;  // of the frame that is shown then
            QTRY_VERIFY_WITH_TIMEOUT(std::abs(pane.shown_seconds() - begins) < 1e-3, 5000);
        }
        key(Qt::Key_Period);
        QCOMPARE(window_->mix_player().position(), frame_of_picture(timeline(), 102));
        key(Qt::Key_V);  // and in a window of its own, of any size
        PicturePane* own = nullptr;
        for (QWidget* top : QApplication::topLevelWidgets()) {
            if (top->objectName() == "picture_window") own = qobject_cast<PicturePane*>(top);
        }
        QVERIFY(own != nullptr && own->isVisible());
        own->resize(500, 300);
        QTRY_VERIFY_WITH_TIMEOUT(std::abs(own->shown_seconds() - pane.shown_seconds()) < 1e-3, 5000);
        own->hide();
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
    }

    // At every moment the frame is shown that belongs there: the one that began at most 40 ms ago.
    void thePictureFollowsWhilePlaying() {
        auto& pane = window_->rebuild_view().picture();
        go_to(0.5);
        key(Qt::Key_Space);
        int seen = 0;
        for (int i = 0; i < 40; ++i) {
            play_on(0.025);
            const std::int64_t at = window_->mix_player().position();
            const VideoClip* cut = picture_at(timeline(), at);
            if (cut == nullptr) continue;
            const double now = static_cast<double>(cut->offset + at - cut->start) / kRate;
            const double begins = std::floor(now * 25 + 1e-6) / 25;
            QTRY_VERIFY_WITH_TIMEOUT(std::abs(pane.shown_seconds() - begins) < 1e-3, 20000);
            ++seen;
        }
        key(Qt::Key_Space);
        QVERIFY(seen > 30);
    }

    void aFileDroppedOnTheTracksBecomesAClip() {
        const std::size_t before = timeline().tracks.size();
        QMimeData mime;
        mime.setUrls({QUrl::fromLocalFile(QString::fromStdString((*scratch_ / "chord.wav").string()))});
        QDropEvent drop({300, 300}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        choose_track(0);
        QDragEnterEvent enter({300, 300}, Qt::CopyAction, &mime, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(window_.get(), &enter);
        QApplication::sendEvent(window_.get(), &drop);
        QTRY_VERIFY_WITH_TIMEOUT(timeline().tracks.size() == before + 1, 20000);
        QCOMPARE(window_->document().session().items.size(), std::size_t{1});
        window_->document().undo();
        QCOMPARE(timeline().tracks.size(), before);
    }

    void theMixIsWritten() {
        const fs::path file = *scratch_ / "mix.wav";
        window_->rebuild_view().write_mix(file);
        QTRY_VERIFY_WITH_TIMEOUT(fs::exists(file), 60000);
        const auto written = test::read_wav(file);
        const auto mix = heard();
        QCOMPARE(written, mix);
        QCOMPARE(scratch_->leftovers(), 0);
    }

    void theSessionIsSavedAndComesBack() {
        const fs::path file = *scratch_ / "demo.rivlen";
        QVERIFY(window_->document().save(file));
        const auto loaded = load_session(file);
        QVERIFY(loaded.ok());
        QVERIFY(loaded->timeline == window_->document().session().timeline);
    }

    // Each state that was kept sounds as it did, going back and going forth.
    void undoAndRedoReachEverything() {
        Document& document = window_->document();
        QVERIFY(kept_.size() >= 8);
        const auto last = heard();
        const int top = document.history().position();
        for (auto state = kept_.rbegin(); state != kept_.rend(); ++state) {
            while (document.history().position() > state->step) document.undo();
            QVERIFY2(window_->document().timeline() == state->timeline,
                     qPrintable(QString::number(state->step)));
            QCOMPARE(heard(), state->mix);
        }
        while (document.history().can_undo()) document.undo();
        QVERIFY(timeline().empty());
        for (const auto& state : kept_) {
            while (document.history().position() < state.step) document.redo();
            QCOMPARE(heard(), state.mix);
        }
        while (document.history().position() < top) document.redo();
        QCOMPARE(heard(), last);
    }

    // The table of deliveries is checked, carried out and carried out again, by keys and clicks.
    void deliveriesAreMadeFromTheTable() {
        key(Qt::Key_3);
        QCOMPARE(window_->view(), View::Handover);
        auto& view = window_->handover_view();
        auto* rows = find<QTableWidget>("handover_rows");
        QCOMPARE(rows->rowCount(), 7);
        // Of the row as it is shown: those of an earlier filling live on for a moment.
        const auto choice = [rows](int row, int column) {
            return qobject_cast<QComboBox*>(rows->cellWidget(row, column));
        };
        const auto type_into = [this](const char* name, const QString& text) {
            auto* edit = find<QLineEdit>(name);
            edit->setFocus();
            edit->selectAll();
            QTest::keyClicks(edit, text);
            window_->setFocus();
        };
        type_into("handover_name", "Mill");
        type_into("handover_folder", QString::fromStdString((*scratch_ / "out").string()));
        QCOMPARE(rows->item(0, 8)->text(), "Mill mix.wav");
        // One more row: a copy of the first with another kind and target, which takes its own name.
        rows->setCurrentCell(0, 1);
        click("handover_copy");
        QCOMPARE(rows->rowCount(), 8);
        choice(1, 5)->setCurrentIndex(static_cast<int>(Container::Flac));
        choice(1, 4)->setCurrentIndex(0);
        QCOMPARE(view.table().rows[1].container, Container::Flac);
        QVERIFY(view.table().rows[1].target.empty());
        rows->item(1, 3)->setText("as mixed");
        QCOMPARE(view.table().rows[1].version, std::string("as mixed"));
        QCOMPARE(rows->item(1, 8)->text(), "Mill mix as mixed.flac");
        rows->setCurrentCell(6, 1);
        type_into("handover_pattern", "{name} {target}");
        QCOMPARE(rows->item(6, 8)->text(), "Mill r128.wav");
        QVERIFY(!find<QCheckBox>("handover_original")->isEnabled());
        choice(6, 5)->setCurrentIndex(static_cast<int>(Container::Picture));
        QVERIFY(find<QCheckBox>("handover_original")->isEnabled());
        QVERIFY(!rows->cellWidget(6, 6)->isEnabled());  // what goes under a picture has its own depth
        // Only the mix, its copy and the music are delivered.
        for (int row = 2; row < rows->rowCount(); ++row) {
            if (view.table().rows[static_cast<std::size_t>(row)].content != Content::Music)
                rows->item(row, 0)->setCheckState(Qt::Unchecked);
        }
        key(Qt::Key_C);
        auto* notes = find<QPlainTextEdit>("handover_notes");
        QVERIFY2(notes->toPlainText().contains("Nothing stands"), qPrintable(notes->toPlainText()));
        click("handover_deliver");
        QTRY_VERIFY_WITH_TIMEOUT(view.report().has_value(), 120000);
        QVERIFY(view.report()->all_done());
        QCOMPARE(view.report()->rows.size(), std::size_t{3});
        QCOMPARE(rows->item(0, 9)->text(), "delivered");
        QVERIFY(rows->item(0, 10)->text().contains("-23.0"));
        for (const char* file :
             {"Mill mix.wav", "Mill mix as mixed.flac", "Mill music.wav", "Mill report.html",
              "Mill report.pdf", "Mill report.json", "Mill report.csv"})
            QVERIFY2(fs::exists(*scratch_ / "out" / file), file);
        // The report stands beside the table, which then shows files and figures alone.
        auto* page = find<QTextBrowser>("handover_report_page");
        QVERIFY(!page->isVisible());
        key(Qt::Key_R);
        QVERIFY(page->isVisible());
        QVERIFY2(page->toPlainText().contains("Mill mix as mixed.flac"), qPrintable(page->toPlainText()));
        QVERIFY(page->toPlainText().contains("Checksums"));
        QVERIFY(rows->isColumnHidden(6));
        click("handover_report");
        QVERIFY(!page->isVisible());
        QVERIFY(!rows->isColumnHidden(6));
        // Before and after: what the target allows, and where the file lies in it.
        const auto bar = rows->item(0, 10)->data(ToleranceDelegate::kRole).value<Tolerance>();
        QVERIFY(bar.met());
        QCOMPARE(bar.unit, "LUFS");
        QVERIFY(!rows->item(1, 10)->data(ToleranceDelegate::kRole).isValid());  // it has no target
        // What is heard in the second view is what was delivered.
        const auto mix = heard();
        const auto written = test::read_wav(*scratch_ / "out/Mill mix as mixed.flac");
        QCOMPARE(written[0].size(), mix[0].size());
        for (std::size_t i = 0; i < mix[0].size(); i += 97)
            QVERIFY(std::abs(written[0][i] - std::clamp(mix[0][i], -1.0F, 1.0F)) < 1e-6F);
        // Again: nothing is made anew.
        click("handover_deliver");
        QTRY_COMPARE_WITH_TIMEOUT(rows->item(0, 9)->text(), "as before", 60000);
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        // A version's stems unfold under its mix.
        choice(1, 4)->setCurrentIndex(1);
        rows->item(1, 3)->setText("");
        rows->setCurrentCell(1, 1);
        QVERIFY(!rows->isRowHidden(2));
        key(Qt::Key_F);
        for (int row = 2; row < 6; ++row) QVERIFY(rows->isRowHidden(row));
        QVERIFY(!rows->isRowHidden(1));
        key(Qt::Key_F);
        QVERIFY(!rows->isRowHidden(2));
        const int had = rows->rowCount();
        key(Qt::Key_S);
        QCOMPARE(rows->rowCount(), had + 4);
        QCOMPARE(view.table().rows[2].content, Content::Dialogue);
        QCOMPARE(view.table().rows[2].container, Container::Flac);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(rows->rowCount(), had);
        // How much will be written is said, and follows the rows.
        auto* size = find<QLabel>("handover_size");
        const QString before = size->text();
        QVERIFY2(before.contains("free"), qPrintable(before));
        rows->item(2, 0)->setCheckState(Qt::Checked);
        QVERIFY(size->text() != before);
        rows->item(2, 0)->setCheckState(Qt::Unchecked);
        QCOMPARE(size->text(), before);
        // A table for another job in one choice, and back.
        const auto kept = view.table();
        auto* tables = find<QToolButton>("common_tables")->menu();
        QCOMPARE(tables->actions().size(), static_cast<qsizetype>(common_tables().size()));
        tables->actions().back()->trigger();
        QCOMPARE(view.table().name, common_tables().back().name);
        QVERIFY(find<QCheckBox>("handover_exchange")->isChecked());
        key(Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(view.table() == kept);
        // Lists for other tools lie beside the files.
        find<QCheckBox>("handover_exchange")->click();
        click("handover_deliver");
        QTRY_VERIFY_WITH_TIMEOUT(fs::exists(*scratch_ / "out/Mill.dawproject"), 120000);
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 120000);
        QVERIFY(fs::exists(*scratch_ / "out/Mill.otio"));
        // Other recordings go by the same table, each into a folder of its own; one that cannot be read is
        // told of.
        test::write_wav(*scratch_ / "shed.wav", {test::noise(48000, 3)}, 48000);
        QVERIFY(write_text_file(*scratch_ / "no sound.wav", "text").ok());
        view.deliver_recordings({*scratch_ / "shed.wav", *scratch_ / "no sound.wav"});
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 120000);
        QTRY_VERIFY2(notes->toPlainText().contains("shed: "), qPrintable(notes->toPlainText()));
        QTRY_VERIFY2(notes->toPlainText().contains("no sound: "), qPrintable(notes->toPlainText()));
        QVERIFY(fs::exists(*scratch_ / "out/shed/shed report.html"));
        QVERIFY(!fs::exists(*scratch_ / "out/no sound/no sound report.html"));
        // Two rows of one name: the check says so before anything happens.
        rows->setCurrentCell(0, 1);
        click("handover_copy");
        click("handover_check");
        QVERIFY2(notes->toPlainText().contains("Row 2: \"Mill mix.wav\" is the name of row 1"),
                 qPrintable(notes->toPlainText()));
        key(Qt::Key_Delete);
        QCOMPARE(rows->rowCount(), 8);
        key(Qt::Key_2);
    }

    // The damaged take of the demo, in a window of its own.
    void aDamagedTakeIsLookedAtAndMended() {
        for (const char* file : {"spare-take.flac", "spare-take.rivlen"})
            fs::copy_file(fs::path(RIVLEN_ROOT) / "demo" / file, *scratch_ / file);
        window_ = std::make_unique<MainWindow>(scratch_->folder() / "work");
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
        window_->open_path(*scratch_ / "spare-take.rivlen");
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().source() != nullptr, 20000);
        key(Qt::Key_2);
        choose_track(0);
        QTRY_VERIFY_WITH_TIMEOUT(energy_of(heard()[0]) > 0, 20000);
        const auto before = heard();
        const int step = window_->document().history().position();
        key(Qt::Key_F);
        FirstLookDialog* dialog = nullptr;
        QTRY_VERIFY_WITH_TIMEOUT((dialog = window_->findChild<FirstLookDialog*>()) != nullptr, 60000);
        for (const char* box : {"take_level", "take_clipping", "take_clicks", "take_plosives", "take_hum",
                                "take_wind", "take_hiss"})
            QVERIFY2(dialog->findChild<QCheckBox*>(box) != nullptr, box);
        QVERIFY(dialog->findChild<QCheckBox*>("take_telephone") == nullptr);
        QTest::keyClick(dialog->findChild<QCheckBox*>("take_level"), Qt::Key_Space);
        QTest::mouseClick(dialog->findChild<QPushButton*>("first_look_take"), Qt::LeftButton);
        const auto& chain = timeline().tracks[0].strip.chain;
        QCOMPARE(chain.size(), std::size_t{7});
        QCOMPARE(chain.front().kind, EffectType::Clipping);
        QVERIFY(chain.front().on);
        QCOMPARE(chain.back().kind, EffectType::Gain);
        QVERIFY(!chain.back().on && chain.back().values[0] > 10);  // left, and keeps its value
        QTRY_VERIFY(heard() != before);
        // A part's own amount: put out of place and proposed anew.
        const double frequency = chain[3][parameter::kHumHz];
        QVERIFY2(std::abs(frequency - 50.2) < 0.2, qPrintable(QString::number(frequency)));
        type("part_3_frequency", 60);
        QCOMPARE(timeline().tracks[0].strip.chain[3][parameter::kHumHz], 60.0);
        click("part_propose_3");
        QTRY_COMPARE_WITH_TIMEOUT(timeline().tracks[0].strip.chain[3][parameter::kHumHz], frequency, 60000);
        // What the hum part takes out is heard alone, and its graph has something to show.
        const int part = timeline().tracks[0].strip.chain[3].id;
        click("part_removed_3");
        QTRY_COMPARE(window_->rebuild_view().plan()->heard_as(part), Chain::Audition::Removed);
        QVERIFY(window_->rebuild_view().plan()->removed_tap_of(part) != nullptr);
        click("part_removed_3");
        QCOMPARE(window_->rebuild_view().plan()->heard_as(part), Chain::Audition::Result);
        // Ready values.
        open_part_of("part_presets_menu_3");
        for (auto* action : find<QMenu>("part_presets_menu_3")->actions()) {
            if (action->text() == "Mains, 60 Hz") action->trigger();
        }
        QCOMPARE(timeline().tracks[0].strip.chain[3][parameter::kHumHz], 60.0);
        QVERIFY(window_->document().history().position() <= step + 5);
        while (window_->document().history().position() > step) window_->document().undo();
        QVERIFY(timeline().tracks[0].strip.chain.empty());
    }

  private:
    struct State {
        int step;
        Timeline timeline;
        test::Channels mix;
    };
    [[nodiscard]] const Timeline& timeline() const { return window_->document().timeline(); }
    void keep() {
        window_->document().close_step();
        kept_.push_back({window_->document().history().position(), timeline(), heard()});
    }
    void key(int code, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(window_.get(), static_cast<Qt::Key>(code), modifiers);
    }
    template <typename T>
    T* find(const char* name) {
        // Panels that are being replaced are still there for a moment: the visible one is meant.
        const auto all = window_->findChildren<T*>(name);
        for (T* widget : all) {
            if constexpr (std::is_base_of_v<QMenu, T>) {
                if (widget->parentWidget()->isVisible()) return widget;
            } else {
                if (!widget->isVisible()) SidePages::reveal(widget);  // on the page that lies behind
                if (widget->isVisible()) return widget;
            }
        }
        return all.isEmpty() ? nullptr : all.front();
    }
    void click(const char* name) {
        open_part_of(name);
        QTest::mouseClick(find<QToolButton>(name), Qt::LeftButton);
    }
    // The values, the graph and what is heard of a part are there once its tile was clicked:
    // "part_3_frequency", "part_propose_3".
    void open_part_of(const QString& control) {
        static const QRegularExpression of_value("^part_(\\d+)_"),
            of_act("^part_(?:original|removed|propose|presets|graph)_(?:menu_)?(\\d+)$");
        for (const auto& pattern : {of_value, of_act}) {
            const auto match = pattern.match(control);
            if (match.hasMatch())
                QTest::mouseClick(find<PartTile>(("part_tile_" + match.captured(1)).toUtf8().constData()),
                                  Qt::LeftButton, {}, {4, 60});
        }
    }
    void type(const char* slider, double value) {
        open_part_of(slider);
        auto* number = find<ParameterSlider>(slider)->findChild<QDoubleSpinBox*>();
        number->setFocus();
        number->selectAll();
        QTest::keyClicks(number, QString::number(value));
        QTest::keyClick(number, Qt::Key_Return);
        window_->document().close_step();
        window_->setFocus();
    }
    void pick(const char* box, int index) {
        auto* combo = find<QComboBox>(box);
        combo->setCurrentIndex(index);
        emit combo->activated(index);
    }
    void choose_track(std::size_t place) {
        const int id = timeline().tracks[place].id;
        auto* head = window_->findChild<QWidget*>(QString("strip_%1").arg(id));
        QTest::mouseClick(head, Qt::LeftButton, {}, {40, 8});
        QCOMPARE(window_->rebuild_view().selection().strip(), id);
    }
    void click_clip(int id, double part) {
        auto& canvas = window_->rebuild_view().canvas();
        window_->rebuild_view().time_view().settle();
        const QRectF rect = canvas.clip_rect(id);
        QTest::mouseClick(
            &canvas, Qt::LeftButton, {},
            {static_cast<int>(rect.left() + rect.width() * part), static_cast<int>(rect.top()) + 8});
        QVERIFY(window_->rebuild_view().selection().has_clip(id));
    }
    static void drag(QWidget& widget, QPoint from, QPoint to) {
        QTest::mousePress(&widget, Qt::LeftButton, {}, from);
        QTest::mouseMove(&widget, (from + to) / 2);
        QTest::mouseMove(&widget, to);
        QTest::mouseRelease(&widget, Qt::LeftButton, {}, to);
    }
    // The last edit has reached the player.
    void settle() {
        QTRY_VERIFY_WITH_TIMEOUT(window_->settled(), 60000);
        window_->mix_player().settle();
    }
    // So much is played, and what is seen follows.
    void play_on(double seconds) {
        window_->output().simulated()->advance(static_cast<std::size_t>(seconds * kRate));
        window_->follow_time();
    }
    void go_to(double seconds) {
        settle();
        window_->mix_player().locate(static_cast<std::int64_t>(std::llround(seconds * kRate)));
    }
    // Answers the next file dialog.
    static void type_into_dialog(const fs::path& file) {
        // Again and again, as soon as events are handled, until it is there.
        auto* looking = new QTimer(qApp);
        connect(looking, &QTimer::timeout, qApp, [file, looking] {
            for (QWidget* top : QApplication::topLevelWidgets()) {
                auto* dialog = qobject_cast<QFileDialog*>(top);
                if (dialog == nullptr || !dialog->isVisible()) continue;
                looking->stop();
                looking->deleteLater();
                auto* name = dialog->findChild<QLineEdit*>("fileNameEdit");
                name->setText(QString::fromStdString(file.string()));
                QTest::keyClick(name, Qt::Key_Return);
                return;
            }
        });
        looking->start(0);
    }
    test::Channels rendered(const Session& session) const {
        test::Channels out(2);
        const auto plan = std::make_shared<const MixPlan>(session, window_->document().mix_media());
        const Status status = render_mix(plan, 0, session.timeline.end(), {}, [&](std::int64_t, auto block) {
            for (std::size_t c = 0; c < 2; ++c) out[c].insert(out[c].end(), block[c].begin(), block[c].end());
            return Status{};
        });
        [&] { QVERIFY(status.ok()); }();
        return out;
    }
    [[nodiscard]] test::Channels heard() const { return rendered(window_->document().session()); }
    [[nodiscard]] test::Channels track_alone(std::size_t place) const {
        return track_alone(place, window_->document().session());
    }
    [[nodiscard]] test::Channels track_alone(std::size_t place, Session session) const {
        for (auto& t : session.timeline.tracks) t.strip.solo = false;
        session.timeline.tracks[place].strip.solo = true;
        return rendered(session);
    }
    static double loudness(const test::Channels& x) {
        LoudnessMeter meter(kRate, 2);
        meter.add(x);
        return meter.result().integrated_lufs.value();
    }
    std::unique_ptr<test::Scratch> scratch_;
    std::unique_ptr<MainWindow> window_;
    std::vector<State> kept_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::RebuildWindowTest)
#include "rebuild_window_test.moc"
