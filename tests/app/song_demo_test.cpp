// SPDX-License-Identifier: GPL-3.0-or-later
// The demo's song through the window: split, its music opened into parts, rebalanced, delivered as it is, as
// an instrumental and without drums. Its parts are known (demo/make_song.py).
#include <QSettings>
#include <QToolButton>
#include <QtTest>
#include <cmath>

#include "app/handover/handover_view.h"
#include "app/separate/lanes.h"
#include "app/shell/main_window.h"
#include "app/widgets/parameter_slider.h"
#include "core/dsp/decibels.h"
#include "core/separation/shaper.h"
#include "learn/metrics/si_sdr.h"
#include "tests/app/window_setup.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

const fs::path kDemo = fs::path(RIVLEN_ROOT) / "demo";
constexpr std::size_t kVoices = sound_of(MusicPart::Voices), kDrums = sound_of(MusicPart::Drums),
                      kBass = sound_of(MusicPart::Bass);

double energy_of_both(const test::Channels& sound) {
    return energy_of(std::span(sound[0])) + energy_of(std::span(sound[1]));
}

// How far from b, against a's level, in dB.
double apart_db(const test::Channels& a, const test::Channels& b) {
    double apart = 0;
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < a[c].size(); ++i) {
            const auto d = static_cast<double>(a[c][i]) - static_cast<double>(b[c][i]);
            apart += d * d;
        }
    }
    return db_of_power(apart / energy_of_both(a));
}

}  // namespace

class SongDemoTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        qputenv("RIVLEN_ENGINE", RIVLEN_ENGINE_FILE);
        QSettings().clear();
        apply_theme(*qApp);
        // A copy: the demo itself is not saved over.
        for (const char* file : {"lantern-song.flac", "lantern-song.rivlen"})
            fs::copy_file(kDemo / file, scratch_ / file);
        window_ = std::make_unique<MainWindow>(scratch_ / "work");
        window_->resize(1280, 800);
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
        window_->open_path(scratch_ / "lantern-song.rivlen");
        QTRY_VERIFY_WITH_TIMEOUT(document().source() != nullptr, 60000);
        document().split(kFineModel);
        QTRY_VERIFY_WITH_TIMEOUT(document().map() != nullptr, 120000);
    }
    void cleanupTestCase() {
        window_.reset();
        QSettings().clear();
    }

    // Its table asks for an instrumental, so that the music opens by itself; the mark shows its lanes.
    void theMusicUnfolds() {
        QTRY_VERIFY_WITH_TIMEOUT(document().map()->opens_music(), 120000);
        auto* lanes = find<LaneCanvas>("lanes");
        QVERIFY(lanes->lane_rect(lane_of_sound(kDrums)).isEmpty());
        click("open_music");
        QVERIFY(lanes->unfolded());
        const QRect drums = lanes->lane_rect(lane_of_sound(kDrums));
        QVERIFY(drums.height() > 30);
        QVERIFY(drums.top() > lanes->lane_rect(lane_of_sound(kMusicSound)).bottom());
        QVERIFY(drums.bottom() < lanes->lane_rect(lane_of_sound(3)).top());
        QVERIFY(find<QToolButton>("solo_drums")->isVisible());
        // From lane to lane by the arrows, through the parts.
        click("stem_music");
        QTest::keyClick(window_.get(), Qt::Key_Down);
        QVERIFY(find<QToolButton>("stem_voices")->isChecked());
        QTest::keyClick(window_.get(), Qt::Key_U, Qt::ShiftModifier);
        QVERIFY(!lanes->unfolded());
        QVERIFY(find<QToolButton>("stem_music")->isChecked());  // a lane that is not shown is not chosen
        QTest::keyClick(window_.get(), Qt::Key_U, Qt::ShiftModifier);
        QVERIFY(lanes->unfolded());
    }

    // Floors, not aims, on a song whose score, instruments and mix nothing was learned from.
    void itsPartsAreThere() {
        const test::Channels song = file(kDemo / "lantern-song.flac");
        const auto gain_db = [&](std::size_t sound) {
            const test::Channels truth =
                file(kDemo / "lantern-song" / (std::string(kSoundNames[sound]) + ".flac"));
            const auto found = rendered(sound_weights(ShapeSettings{}, sound));
            return si_sdr_db(found[0], truth[0]) - si_sdr_db(song[0], truth[0]);
        };
        QVERIFY2(gain_db(kDrums) > 5, qPrintable(QString::number(gain_db(kDrums))));
        QVERIFY2(gain_db(kBass) > 4, qPrintable(QString::number(gain_db(kBass))));
    }

    // How evenly the music is shared out is drawn over the unfolded music, and is a part's line of doubt.
    void whatIsDoubtedOfThePartsIsShown() {
        auto& view = *window_->findChild<SeparateView*>();
        QTRY_VERIFY_WITH_TIMEOUT(view.doubting().settled(), 120000);
        const DoubtLine& parts = view.doubting().parts_line();
        QCOMPARE(parts.doubt.size(), view.doubting().line().doubt.size());
        QVERIFY(std::ranges::max(parts.doubt) > 0.2F);
        click("stem_bass");
        QVERIFY(view.measuring().doubt() == parts.doubt);
        click("stem_music");
        QVERIFY(view.measuring().doubt() == view.doubting().line().doubt);
        auto* lanes = find<LaneCanvas>("lanes");
        const auto music_lane = [&] {
            return lanes->grab(lanes->lane_rect(lane_of_sound(kMusicSound))).toImage();
        };
        const QImage without = music_lane();
        QTest::keyClick(window_.get(), Qt::Key_W, Qt::ShiftModifier);
        QVERIFY(music_lane() != without);
        QTest::keyClick(window_.get(), Qt::Key_W, Qt::ShiftModifier);
        QCOMPARE(music_lane(), without);
    }

    // Drums down by a hand on their level; one act takes the voices out and, again, brings them back.
    void itIsRebalanced() {
        const auto kept = [&] { return rendered(kept_weights(document().shown_settings())); };
        const auto all = kept();
        click("stem_drums");
        auto* gain = find<ParameterSlider>("gain");
        for (int i = 0; i < 12; ++i) QTest::keyClick(gain, Qt::Key_Left);
        QCOMPARE(document().shown_settings().stems[kDrums].value(Setting::Gain), -6.0);
        auto down = kept();
        const auto drums = rendered(sound_weights(ShapeSettings{}, kDrums));
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < down[c].size(); ++i)
                down[c][i] += drums[c][i] * static_cast<float>(1 - amplitude_of_db(-6));
        }
        QVERIFY(apart_db(all, down) < -100);
        QTest::keyClick(window_.get(), Qt::Key_R);
        QVERIFY(document().shown_settings().stems[kDrums].untouched());

        QTest::keyClick(window_.get(), Qt::Key_I, Qt::ShiftModifier);
        QVERIFY(document().shown_settings().stems[kVoices].mute);
        QVERIFY(find<QToolButton>("mute_voices")->isChecked());
        QCOMPARE(music_heard(document().shown_settings()), MusicHeard::Instrumental);
        QTest::keyClick(window_.get(), Qt::Key_J, Qt::ShiftModifier);
        QCOMPARE(music_heard(document().shown_settings()), MusicHeard::VoicesOnly);
        QTest::keyClick(window_.get(), Qt::Key_J, Qt::ShiftModifier);
        QCOMPARE(music_heard(document().shown_settings()), MusicHeard::All);
        QVERIFY(document().shown_settings().neutral());
        click("monitor_drums");
        QCOMPARE(document().session().monitor, Monitor::Drums);
        click("monitor_kept");
    }

    // What is drawn over the bass goes to the drums: out of the bass, and out of nothing else.
    void aRegionIsGivenToAPart() {
        QVERIFY(find<QToolButton>("give_drums") != nullptr);
        for (const char* other :
             {"from_dialogue", "from_reverb", "from_ambience", "from_voices", "from_rest"})
            click<QCheckBox>(other);
        QTest::keyClick(window_.get(), Qt::Key_Q);
        auto* lanes = find<LaneCanvas>("lanes");
        auto* regions = lanes->findChild<QWidget*>("region_editor");
        QVERIFY(regions != nullptr);
        const QRect bass = lanes->lane_rect(lane_of_sound(kBass));
        const QPoint from(lanes->width() / 3, bass.top() + 3), to(lanes->width() / 2, bass.bottom() - 2);
        QTest::mousePress(regions, Qt::LeftButton, {}, from);
        QTest::mouseMove(regions, (from + to) / 2);
        QTest::mouseMove(regions, to);
        QTest::mouseRelease(regions, Qt::LeftButton, {}, to);
        click("give_drums");
        const auto& corrections = document().current_item()->corrections;
        QCOMPARE(corrections.size(), std::size_t{1});
        QCOMPARE(given_to(corrections[0]), kDrums);
        QTRY_VERIFY_WITH_TIMEOUT(document().map()->parts() != nullptr, 5000);
        std::vector<float> masks(document().map()->row_size()), before(masks.size());
        const double frame = 0.42 * static_cast<double>(document().map()->facts().frames);
        document().map()->read(frame, masks);
        document().model_map()->read(frame, before);
        constexpr std::size_t kBand = 4;  // 94 Hz
        const auto at = [](const std::vector<float>& row, std::size_t sound) {
            return row[sound * kBands + kBand];
        };
        QCOMPARE(at(masks, kBass), 0.0F);
        QVERIFY(std::abs(at(masks, kDrums) - at(before, kDrums) - at(before, kBass)) < 1e-5F);
        QVERIFY(std::abs(at(masks, kMusicSound) - at(before, kMusicSound)) < 1e-5F);
        QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(document().current_item()->corrections.empty());
        click("page_tune");
    }

    void itIsDeliveredAsAnInstrumental() {
        QTest::keyClick(window_.get(), Qt::Key_3);
        auto* view = window_->findChild<HandoverView*>();
        view->set_folder(scratch_ / "out");
        QCOMPARE(view->table().rows.size(), std::size_t{3});
        view->deliver_now();
        QTRY_VERIFY_WITH_TIMEOUT(view->report().has_value(), 240000);
        for (const auto& row : view->report()->rows)
            QVERIFY2(row.state == RowState::Done, row.sentence.c_str());
        const auto song = file(view->report()->rows[0].path);
        const std::array<std::size_t, 2> left_out = {kVoices, kDrums};
        for (std::size_t k = 0; k < left_out.size(); ++k) {
            auto with = file(view->report()->rows[1 + k].path);
            QVERIFY(apart_db(song, with) > -60);
            const auto part = rendered(sound_weights(ShapeSettings{}, left_out[k]));
            for (std::size_t c = 0; c < 2; ++c) {
                for (std::size_t i = 0; i < with[c].size(); ++i) with[c][i] += part[c][i];
            }
            // But for the edges of the clip.
            QVERIFY2(apart_db(song, with) < -70, qPrintable(QString::number(apart_db(song, with))));
        }
    }

    // In Rebuild the music comes apart into clips of its own, and a clip plays what is chosen.
    void clipsPlayItsParts() {
        QTest::keyClick(window_.get(), Qt::Key_2);
        auto& selection = window_->rebuild_view().selection();
        selection.choose_clips({document().timeline().tracks[0].clips[0].id});
        QTest::keyClick(window_.get(), Qt::Key_U, Qt::ShiftModifier);
        QCOMPARE(document().timeline().tracks.size(), std::size_t{5});
        QCOMPARE(selection.clips().size(), std::size_t{4});
        QCOMPARE(document().timeline().tracks[2].name, std::string("Drums"));
        const int drums = document().timeline().tracks[2].clips[0].id;
        selection.choose_clips({drums});
        auto* plays = find<QComboBox>("clip_plays");
        QCOMPARE(plays->currentIndex(), static_cast<int>(ClipSource::Drums));
        pick(*plays, static_cast<int>(ClipSource::Music));
        QCOMPARE(document().timeline().clip(drums)->clip_source, ClipSource::Music);
        QTest::keyClick(window_.get(), Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(document().timeline().clip(drums)->clip_source, ClipSource::Drums);
    }

  private:
    Document& document() { return window_->document(); }
    template <typename T>
    T* find(const QString& name) {
        return find_revealed<T>(*window_, name);
    }
    template <typename T = QToolButton>
    void click(const QString& name) {
        auto* button = find<T>(name);
        QVERIFY2(button != nullptr, qPrintable(name));
        QTest::mouseClick(button, Qt::LeftButton, {}, QPoint(6, button->height() / 2));
    }
    static test::Channels file(const fs::path& path) {
        auto sound = read_audio(path);
        return sound ? sound->take() : test::Channels(2);
    }
    test::Channels rendered(const MaskWeights& weights) {
        const auto source = document().source();
        test::Channels out(2);
        const std::array sets = {weights};
        const Status status =
            render(*source, *document().map(), sets, 0, static_cast<std::int64_t>(source->frames()), {},
                   [&](std::int64_t, std::span<const AudioBlock> blocks) {
                       for (std::size_t c = 0; c < 2; ++c)
                           out[c].insert(out[c].end(), blocks[0][c].begin(), blocks[0][c].end());
                       return Status{};
                   });
        return status ? out : test::Channels(2);
    }

    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::SongDemoTest)
#include "song_demo_test.moc"
