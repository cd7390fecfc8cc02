// SPDX-License-Identifier: GPL-3.0-or-later
// Channels and space in the real window: layouts, places, headphones, what is seen of the field, rows of
// channels.
#include <QComboBox>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QToolButton>
#include <QtTest>
#include <cmath>

#include "app/rebuild/field_view.h"
#include "app/rebuild/place_editor.h"
#include "app/shell/main_window.h"
#include "app/shell/parts_dialog.h"
#include "app/shell/recording_bar.h"
#include "app/widgets/parameter_slider.h"
#include "app/widgets/picture_pane.h"
#include "app/widgets/side_pages.h"
#include "core/delivery/written_sound.h"
#include "core/play/simulated_output.h"
#include "core/project/editing.h"
#include "tests/app/window_setup.h"

namespace rivlen::app {

class SpaceWindowTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        use_engine_for_tests(scratch_);
        qputenv("RIVLEN_KEEP_OUTPUT", "1");
        QSettings().clear();
        auto bell = test::noise(std::size_t{6} * 48000, 5);
        for (float& x : bell) x *= 0.3F;
        test::write_wav(scratch_ / "bell.wav", {bell}, 48000);
        show_split(window_, scratch_ / "work", scratch_ / "bell.wav");
        window_->rebuild_view().bring_to_track(scratch_ / "bell.wav");
        QTRY_VERIFY_WITH_TIMEOUT(!timeline().tracks.empty(), 30000);
        window_->show_view(View::Rebuild);
    }
    void cleanupTestCase() {
        window_->jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        window_.reset();
        QSettings().clear();
    }

    void theMainBusGetsChannelsAndTracksPlaces() {
        choose(timeline().main_bus());
        auto* layout = find<QComboBox>("strip_layout");
        QCOMPARE(layout->findData(static_cast<int>(Layout::Mono)), -1);  // no bus is mono
        pick(*layout, layout->findData(static_cast<int>(Layout::Surround51)));
        QCOMPARE(timeline().main_layout(), Layout::Surround51);
        QVERIFY(find<ParameterSlider>("strip_pan") == nullptr);  // nothing to pan in five directions
        QVERIFY(find<ParameterSlider>("fold_surround") != nullptr);
        emit find<ParameterSlider>("fold_surround")->moved(-6);
        QCOMPARE(timeline().fold_down.surround_db, -6.0);
        document().undo();
        QCOMPARE(timeline().fold_down, FoldDown());
        document().undo();
        QCOMPARE(timeline().main_layout(), Layout::Stereo);
        document().redo();
        choose(track());
        QVERIFY(find<ParameterSlider>("strip_pan") == nullptr);  // it has a place instead
        QVERIFY(find<ParameterSlider>("place_width") != nullptr);
        pick(*find<QComboBox>("strip_layout"), static_cast<int>(Layout::Mono));
        QCOMPARE(timeline().tracks[0].layout, Layout::Mono);
        QVERIFY(find<ParameterSlider>("place_width") == nullptr);
        emit find<ParameterSlider>("place_lfe")->moved(-10);
        QCOMPARE(strip().place.lfe_db, -10.0);
        auto* lines = window_->findChild<QComboBox*>(QString("line_%1").arg(track()));
        QVERIFY(lines->findText("azimuth") > 0);
        QCOMPARE(lines->findText("pan"), -1);
    }

    void aPlaceIsDraggedInBothViews() {
        choose(track());
        auto* editor = find<PlaceEditor>("place_editor");
        QVERIFY(editor->isVisible());
        const double r = editor->radius();
        // To the left and a little behind, seen from above.
        const double angle = radians(110);
        drag(*editor, editor->above_middle() + QPointF(0, -r),
             editor->above_middle() + QPointF(-std::sin(angle), -std::cos(angle)) * r);
        QVERIFY(std::abs(strip().place.azimuth_deg - 110) <= 2);
        drag(*editor, editor->side_middle(), editor->side_middle() + QPointF(0, -r / 2));
        QVERIFY(std::abs(strip().place.elevation_deg - 30) <= 2);
        const double before = strip().place.azimuth_deg;
        editor->setFocus();
        QTest::keyClick(editor, Qt::Key_Left);
        QCOMPARE(strip().place.azimuth_deg, before + 5);
        document().undo();  // one step each
        QCOMPARE(strip().place.azimuth_deg, before);
        QTest::mouseDClick(editor, Qt::LeftButton, {}, editor->above_middle().toPoint());
        QCOMPARE(strip().place, (Place{0, 0, 0, -10}));
        emit find<ParameterSlider>("place_azimuth")->moved(110);
        emit find<ParameterSlider>("place_spread")->moved(5);
        QCOMPARE(strip().place.azimuth_deg, 110.0);
        QTRY_COMPARE(editor->shown().azimuth_deg, 110.0);
    }

    // A click in the picture places the chosen track where the ray through it goes.
    void aPlaceIsPointedAtInThePicture() {
        document().edit_timeline("picture", {}, [](Timeline& r) {
            r.picture.push_back({r.new_id(), test::demo_picture(), 0, 0, 6 * 48000});
        });
        QTRY_VERIFY(window_->rebuild_view().settled());
        choose(track());
        QVERIFY(find<PlaceEditor>("place_editor")->isVisible());
        window_->rebuild_view().follow_time();
        PicturePane& picture = window_->rebuild_view().picture();
        QTRY_VERIFY_WITH_TIMEOUT(picture.isVisible() && picture.shown_seconds() >= 0, 30000);
        const QRect shown = picture.picture_rect();
        const QPoint at = shown.topLeft() + QPoint(shown.width() / 4, shown.height() / 2);
        const double before = strip().place.elevation_deg;
        QTest::mouseClick(&picture, Qt::LeftButton, {}, at);
        const double x = (at.x() - shown.left()) / static_cast<double>(shown.width());
        const double expected = direction_of_point({x, 0.5}, 60, picture.aspect()).azimuth_deg;
        QVERIFY(std::abs(strip().place.azimuth_deg - expected) < 0.1);
        QCOMPARE(strip().place.elevation_deg, before);  // nothing is heard of it in 5.1
        window_->rebuild_view().follow_time();
        QVERIFY(picture.mark().has_value());
        QVERIFY(std::abs(picture.mark()->x() - x) < 0.01);
        // A box around the figure of the demo: its place is written over the loop.
        document().edit_timeline("loop", {}, [](Timeline& r) { r.loop = LoopRange{0, 48000}; });
        QTest::mouseClick(find<QToolButton>("follow_in_picture"), Qt::LeftButton);
        QVERIFY(picture.taking_box());
        const auto spot = [&](double px, double py) {
            return QPointF(shown.left() + px * shown.width(), shown.top() + py * shown.height());
        };
        drag(picture, spot(0.17, 0.44), spot(0.29, 0.84));
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 60000);
        const StripLane azimuth{LaneTarget::Azimuth, 0, 0, {}};
        QVERIFY(find_lane(strip(), azimuth) != nullptr);
        const double followed = value_at(strip(), azimuth, 24000);
        QVERIFY(followed > 8 && followed < 25);  // a little to the left, where the figure stands
        document().undo();
        QVERIFY(find_lane(strip(), azimuth) == nullptr);
        emit find<ParameterSlider>("screen_width")->moved(100);
        QCOMPARE(timeline().screen_width_deg, 100.0);
        choose(timeline().main_bus());
        window_->rebuild_view().follow_time();
        QVERIFY(!picture.mark().has_value());
        choose(track());
        emit find<ParameterSlider>("place_azimuth")->moved(110);
        document().close_step();
    }

    // What is played comes out of the left side more than of the right, and the map shows it on the left.
    void theFieldIsSeenAndHeardOnHeadphones() {
        auto* listening = window_->findChild<QComboBox*>("listening");
        QCOMPARE(listening->count(), 2);  // the device has two channels
        pick(*listening, 1);
        QCOMPARE(window_->rebuild_view().listening().monitoring(), Monitoring::Headphones);
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 30000);
        choose(timeline().main_bus());
        auto* field = find<FieldView>("field_view");
        QTRY_VERIFY(window_->rebuild_view().settled());
        auto* output = window_->output().simulated();
        QVERIFY(output != nullptr);
        static_cast<void>(output->take_kept());
        QTest::mouseClick(window_->findChild<QToolButton*>("mix_play"), Qt::LeftButton);
        for (int k = 0; k < 40; ++k) {
            output->advance(4800);
            window_->rebuild_view().follow_time();
        }
        QVERIFY(!field->peaks().empty());
        QVERIFY(std::abs(field->peaks()[0].direction.azimuth_deg - 110) < 20);
        // Over a picture all around the map lies where the sound is: a fifth from the left.
        PicturePane& picture = window_->rebuild_view().picture();
        QVERIFY(picture.map().isNull());
        document().edit_timeline("screen", {}, [](Timeline& r) { r.screen_width_deg = kAllAroundDeg; });
        window_->rebuild_view().follow_time();
        const QImage over = picture.map();
        QVERIFY(!over.isNull());
        const auto cover = [&](double azimuth_deg) {
            return over
                .pixelColor(static_cast<int>((180 - azimuth_deg) / 360 * over.width()), over.height() / 2)
                .alphaF();
        };
        QVERIFY(cover(110) > 0.5F);
        QVERIFY(cover(-110) < 0.2F);
        document().undo();
        window_->rebuild_view().follow_time();
        QVERIFY(picture.map().isNull());
        const auto& levels = find<ChannelLevels>("channel_levels")->shown_db();
        QCOMPARE(levels.size(), std::size_t{6});
        QVERIFY(levels[4] > levels[5] + 10);
        const auto& true_peaks = find<ChannelLevels>("channel_levels")->true_peaks_dbtp();
        QCOMPARE(true_peaks.size(), std::size_t{6});
        QVERIFY(true_peaks[4].has_value());
        // No lower than what its samples were shown to be.
        QVERIFY(*true_peaks[4] > levels[4] - 0.1 && *true_peaks[4] < 0);
        QVERIFY(*true_peaks[4] > true_peaks[5].value_or(-99) + 10);
        double left = 0, right = 0;
        const auto heard = output->take_kept();
        for (std::size_t i = 0; i + 1 < heard.size(); i += 2) {
            left += static_cast<double>(heard[i]) * static_cast<double>(heard[i]);
            right += static_cast<double>(heard[i + 1]) * static_cast<double>(heard[i + 1]);
        }
        QVERIFY(left > 2 * right);
        QVERIFY(right > 0.01 * left);  // around the head, not a pan to one side
        QTest::mouseClick(window_->findChild<QToolButton*>("mix_play"), Qt::LeftButton);
        QTest::keyClick(window_.get(), Qt::Key_H);
        QCOMPARE(window_->rebuild_view().listening().monitoring(), Monitoring::FoldDown);
        QCOMPARE(listening->currentIndex(), 0);
    }

    void aHeadThatIsNoneIsSaid() {
        QVERIFY(write_text_file(scratch_ / "none.sofa", "nothing").ok());
        window_->rebuild_view().listening().choose_head(scratch_ / "none.sofa");
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 30000);
        QCOMPARE(window_->rebuild_view().listening().monitoring(), Monitoring::FoldDown);
        window_->rebuild_view().listening().choose_head({});
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 30000);
        QCOMPARE(window_->rebuild_view().listening().monitoring(), Monitoring::Headphones);
        window_->rebuild_view().listening().set_monitoring(Monitoring::FoldDown);
    }

    // A file of several channels is asked about, and comes in as recordings of their own.
    void aFileIsTakenApart() {
        test::write_wav(scratch_ / "mics.wav",
                        {test::noise(24000, 1), test::noise(24000, 2), test::noise(24000, 3)}, 48000);
        const std::size_t items = document().session().items.size();
        auto* bar = window_->findChild<RecordingBar*>();
        bar->take_apart(scratch_ / "mics.wav");
        QTRY_VERIFY_WITH_TIMEOUT(window_->findChild<PartsDialog*>() != nullptr, 30000);
        auto* dialog = window_->findChild<PartsDialog*>();
        QVERIFY(dialog->isVisible());
        QCOMPARE(dialog->parts().size(), std::size_t{1});  // three channels without names are a bed
        QCOMPARE(dialog->findChild<QTableWidget*>("parts_table")->item(2, 1)->text(), "3 C");
        QTest::mouseClick(dialog->findChild<QToolButton*>("parts_alone"), Qt::LeftButton);
        QCOMPARE(dialog->parts().size(), std::size_t{3});
        dialog->findChild<QSpinBox*>("part_number_1")->setValue(1);
        dialog->findChild<QSpinBox*>("part_number_2")->setValue(0);
        dialog->findChild<QTableWidget*>("parts_table")->item(0, 3)->setText("Deck L");
        dialog->findChild<QTableWidget*>("parts_table")->item(1, 3)->setText("Deck R");
        const auto parts = dialog->parts();
        QCOMPARE(parts.size(), std::size_t{1});
        QCOMPARE(parts[0].name, std::string("Deck"));
        QTest::mouseClick(dialog->findChild<QPushButton*>("parts_bring_in"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(document().session().items.size() == items + 1, 30000);
        QCOMPARE(document().session().items.back().path.filename(), std::filesystem::path("mics - Deck.wav"));
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        QTRY_VERIFY_WITH_TIMEOUT(document().source() != nullptr && document().source()->channels() == 2,
                                 30000);
    }

    // Brought in like any other, a file of two microphones asks; a channel is heard from within; as one
    // recording it comes in whole.
    void aFileOfSeveralRecordingsAsks() {
        auto sound = ScratchSound::create(scratch_.folder(), 48000, 2);
        QVERIFY(sound->append(test::Channels{test::noise(96000, 1), test::noise(96000, 2)}).ok());
        SoundDescription said;
        said.track_names = {"Boom", "Ferryman"};
        QVERIFY(
            write_sound(*sound, Container::Wav, Depth::Float32, said, scratch_ / "two.wav", true, {}).ok());
        const std::size_t items = document().session().items.size();
        window_->open_path(scratch_ / "two.wav");
        QTRY_VERIFY_WITH_TIMEOUT(window_->findChild<PartsDialog*>() != nullptr, 30000);
        auto* dialog = window_->findChild<PartsDialog*>();
        QCOMPARE(dialog->parts().size(), std::size_t{2});
        QTest::mouseClick(dialog->findChild<QToolButton*>("part_hear_1"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 30000);
        auto* output = window_->output().simulated();
        static_cast<void>(output->take_kept());
        QCOMPARE(output->advance(20000), std::size_t{20000});
        const auto heard = output->take_kept();
        const auto second = test::noise(96000, 2);
        // From its start on, on both sides; the first samples fade in.
        for (std::size_t i = 1000; i < 20000; i += 997) {
            QCOMPARE(heard[2 * i], second[i]);
            QCOMPARE(heard[2 * i + 1], second[i]);
        }
        QTest::mouseClick(dialog->findChild<QPushButton*>("parts_whole"), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(document().session().items.size() == items + 1, 30000);
        QCOMPARE(document().session().items.back().path.filename(), std::filesystem::path("two.wav"));
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
    }

    void rowsHaveChannels() {
        window_->show_view(View::Handover);
        auto* channels = window_->findChild<QComboBox*>("handover_channels");
        QVERIFY(channels != nullptr && channels->isVisible());
        pick(*channels, channels->findData(static_cast<int>(Layout::Surround51)));
        QCOMPARE(document().session().deliveries.rows[0].layout, Layout::Surround51);
        pick(*channels, channels->count() - 1);
        QVERIFY(document().session().deliveries.rows[0].binaural);
        document().undo();
        QVERIFY(!document().session().deliveries.rows[0].binaural);
        window_->show_view(View::Rebuild);
    }

  private:
    Document& document() { return window_->document(); }
    const Timeline& timeline() { return document().timeline(); }
    int track() { return timeline().tracks[0].id; }
    const Strip& strip() { return timeline().tracks[0].strip; }
    void choose(int strip) { window_->rebuild_view().selection().choose_strip(strip); }
    template <typename T>
    T* find(const QString& name) {
        return find_revealed<T>(*window_, name);
    }
    static void drag(QWidget& widget, QPointF from, QPointF to) {
        QTest::mousePress(&widget, Qt::LeftButton, {}, from.toPoint());
        QTest::mouseMove(&widget, ((from + to) / 2).toPoint());
        QTest::mouseMove(&widget, to.toPoint());
        QTest::mouseRelease(&widget, Qt::LeftButton, {}, to.toPoint());
    }

    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::SpaceWindowTest)
#include "space_window_test.moc"
