// SPDX-License-Identifier: GPL-3.0-or-later
// The demo of space through the window: split, its voice placed by following who walks through the picture,
// heard on headphones, delivered in 5.1, in 7.1.4 with objects, as ambisonics and binaurally.
// RIVLEN_KEEP_DEMO=FILE writes the session that comes out (demo/quay-walk.rivlen).
#include <QComboBox>
#include <QSettings>
#include <QToolButton>
#include <QtTest>
#include <cmath>

#include "app/handover/handover_view.h"
#include "app/shell/main_window.h"
#include "app/widgets/picture_pane.h"
#include "app/widgets/side_pages.h"
#include "core/delivery/adm_reading.h"
#include "core/dsp/decibels.h"
#include "core/play/simulated_output.h"
#include "core/project/editing.h"
#include "core/space/spherical_harmonics.h"
#include "tests/app/window_setup.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

const fs::path kQuay = fs::path(RIVLEN_ROOT) / "demo/quay-walk.mov";
constexpr int kRate = 48000;
constexpr double kSeconds = 16;

// As demo/make_quay.py has it: of the picture's width.
double x_of(double seconds) {
    return 0.86 + (0.12 - 0.86) * std::min(seconds / 13.0, 1.0);
}
// Some of him is behind the shed: he is half a shoulder wider than his middle.
bool covered(double seconds) {
    return x_of(seconds) > 0.44 - 0.04 && x_of(seconds) < 0.56 + 0.04;
}

// Energies of two channels over a stretch.
std::pair<double, double> energies(const test::Channels& sound, double first_seconds, double last_seconds) {
    const auto part = [&](std::size_t c) {
        const auto first = static_cast<std::size_t>(first_seconds * kRate);
        return energy_of(
            std::span(sound[c]).subspan(first, static_cast<std::size_t>(last_seconds * kRate) - first));
    };
    return {part(0), part(1)};
}

}  // namespace

class SpaceDemoTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        QStandardPaths::setTestModeEnabled(true);
        qputenv("RIVLEN_ENGINE", RIVLEN_ENGINE_FILE);
        qputenv("RIVLEN_MODEL", (fs::path(RIVLEN_ROOT) / "models/quick.safetensors").c_str());
        qputenv("RIVLEN_KEEP_OUTPUT", "1");
        QSettings().clear();
        apply_theme(*qApp);
        show_split(window_, scratch_ / "work", kQuay);
        QTest::keyClick(window_.get(), Qt::Key_2);
        QTest::keyClick(window_.get(), Qt::Key_P, Qt::ShiftModifier);
        QCOMPARE(timeline().tracks.size(), std::size_t{4});
        QCOMPARE(timeline().picture.size(), std::size_t{1});
    }
    void cleanupTestCase() {
        window_.reset();
        QSettings().clear();
    }

    void itsTracksAreSourcesInAWideBus() {
        choose(timeline().main_bus());
        pick(*find<QComboBox>("strip_layout"), static_cast<int>(Layout::Surround714) - 1);  // no mono
        QCOMPARE(timeline().main_layout(), Layout::Surround714);
        choose(voice());
        pick(*find<QComboBox>("strip_layout"), static_cast<int>(Layout::Mono));
        QCOMPARE(timeline().tracks[0].layout, Layout::Mono);
        // Water and echo come from all around.
        document().edit_timeline("places", {}, [](Timeline& r) {
            r.tracks[1].strip.place.spread_percent = 60;
            r.tracks[3].strip.place.spread_percent = 80;
        });
    }

    // A box around him at the start; where he is hidden it is said, and he is followed on from a box behind
    // the shed.
    void theVoiceFollowsWhoWalks() {
        follow_from(0);
        const StripLane azimuth{LaneTarget::Azimuth, 0, 0, {}};
        const StripLane* line = find_lane(strip(), azimuth);
        QVERIFY(line != nullptr);
        if (line->points.back().frame < 10 * kRate) follow_from(10 * kRate);
        line = find_lane(strip(), azimuth);
        double wrong = 0, frames = 0;
        for (double t = 0.1; t < kSeconds - 0.1; t += 0.04) {
            if (covered(t)) continue;
            const Direction there = {value_at(strip(), azimuth, static_cast<std::int64_t>(t * kRate)), 0};
            const auto point = point_of_direction(there, 60, picture().aspect());
            QVERIFY(point.has_value());
            ++frames;
            // The box's middle is that of man and lantern.
            if (std::abs(point->x - (x_of(t) - 0.008)) > 0.02) ++wrong;
        }
        QVERIFY2(wrong / frames < 0.05, qPrintable(QString("%1 of %2").arg(wrong).arg(frames)));
        document().edit_timeline("loop", {}, [](Timeline& r) { r.loop.reset(); });
        document().close_step();
        const QByteArray kept = qgetenv("RIVLEN_KEEP_DEMO");
        if (!kept.isEmpty()) QVERIFY(document().save(kept.toStdString()));
    }

    // On headphones he is on the right at first and on the left at last.
    void heIsHeardWhereHeWalks() {
        for (std::size_t t = 1; t < 4; ++t)
            document().edit_timeline("mute", {}, [t](Timeline& r) { r.tracks[t].strip.mute = true; });
        QTest::keyClick(window_.get(), Qt::Key_H);
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 30000);
        QTest::keyClick(window_.get(), Qt::Key_Home);
        window_->mix_player().settle();
        auto* output = window_->output().simulated();
        static_cast<void>(output->take_kept());
        QTest::keyClick(window_.get(), Qt::Key_Space);
        window_->mix_player().settle();
        output->advance(static_cast<std::size_t>(kSeconds * kRate));
        const auto interleaved = output->take_kept();
        test::Channels heard(2);
        for (std::size_t i = 0; i < interleaved.size(); ++i) heard[i % 2].push_back(interleaved[i]);
        QVERIFY(heard[0].size() > static_cast<std::size_t>(15 * kRate));
        const auto [left_first, right_first] = energies(heard, 0.3, 3.5);
        const auto [left_last, right_last] = energies(heard, 12, 15);
        QVERIFY2(right_first > 1.5 * left_first,
                 qPrintable(QString("%1 %2").arg(left_first).arg(right_first)));
        QVERIFY2(left_last > 1.5 * right_last, qPrintable(QString("%1 %2").arg(left_last).arg(right_last)));
        window_->mix_player().stop();
        QTest::keyClick(window_.get(), Qt::Key_H);
        for (std::size_t t = 1; t < 4; ++t)
            document().edit_timeline("mute", {}, [t](Timeline& r) { r.tracks[t].strip.mute = false; });
    }

    void itIsDeliveredInFourWays() {
        QTest::keyClick(window_.get(), Qt::Key_3);
        auto* view = window_->findChild<HandoverView*>();
        view->set_table({});
        view->set_folder(scratch_ / "out");
        add_row(*view, "{name} 5.1", static_cast<int>(Layout::Surround51));
        add_row(*view, "{name} 7.1.4", static_cast<int>(Layout::Surround714));
        QTest::mouseClick(window_->findChild<QCheckBox*>("handover_objects"), Qt::LeftButton, {}, {6, 8});
        add_row(*view, "{name} ambisonics", static_cast<int>(Layout::Ambisonics3));
        add_row(*view, "{name} binaural", -1);
        QVERIFY(view->table().rows[1].objects);
        QVERIFY(view->table().rows[3].binaural);
        view->deliver_now();
        QTRY_VERIFY_WITH_TIMEOUT(view->report().has_value(), 240000);
        for (const auto& row : view->report()->rows)
            QVERIFY2(row.state == RowState::Done, row.sentence.c_str());
        report_ = *view->report();
        const std::array<int, 4> channels = {6, 12 + 1 + 2 * 3, 16, 2};
        for (std::size_t k = 0; k < channels.size(); ++k) QCOMPARE(report_.rows[k].channels, channels[k]);
    }

    // The files say and hold where he is at the start and at the end.
    void whatWasDeliveredIsWhereHeWalks() {
        const auto bed = test::read_wav(report_.rows[0].path);  // L R C LFE Ls Rs
        const auto [left_first, right_first] = energies(bed, 0.3, 3.5);
        const auto [left_last, right_last] = energies(bed, 12, 15);
        QVERIFY(right_first > 2 * left_first);
        QVERIFY(left_last > 2 * right_last);

        const auto model = read_adm(report_.rows[1].path);
        QVERIFY(model.ok());
        QCOMPARE(model->tracks.size(), std::size_t{19});
        const AdmTrack& man = model->tracks[12];
        QCOMPARE(man.kind, AdmTrack::Kind::Source);
        QCOMPARE(man.object, std::string("Dialogue"));
        QVERIFY(man.course.front().at.azimuth_deg < -15);
        QVERIFY(man.course.back().at.azimuth_deg > 15);

        const auto field = test::read_wav(report_.rows[2].path);  // W Y Z X …: Y is to the left
        const auto leaning = [&](double first, double last) {
            double sum = 0, all = 0;
            for (auto i = static_cast<std::size_t>(first * kRate); i < static_cast<std::size_t>(last * kRate);
                 ++i) {
                sum += static_cast<double>(field[0][i]) * static_cast<double>(field[1][i]);
                all += static_cast<double>(field[0][i]) * static_cast<double>(field[0][i]);
            }
            return sum / all;
        };
        QVERIFY(leaning(0.3, 3.5) < -0.1);
        QVERIFY(leaning(12, 15) > 0.1);

        const auto ears = test::read_wav(report_.rows[3].path);
        const auto [left_ear_first, right_ear_first] = energies(ears, 0.3, 3.5);
        const auto [left_ear_last, right_ear_last] = energies(ears, 12, 15);
        QVERIFY(right_ear_first > 1.2 * left_ear_first);
        QVERIFY(left_ear_last > 1.2 * right_ear_last);
    }

  private:
    Document& document() { return window_->document(); }
    const Timeline& timeline() { return document().timeline(); }
    int voice() { return timeline().tracks[0].id; }
    const Strip& strip() { return timeline().tracks[0].strip; }
    PicturePane& picture() { return window_->rebuild_view().picture(); }
    void choose(int strip) { window_->rebuild_view().selection().choose_strip(strip); }
    template <typename T>
    T* find(const QString& name) {
        return find_revealed<T>(*window_, name);
    }
    // Draws a box around him, as a hand would, and follows him from there on.
    void follow_from(std::int64_t frame) {
        window_->mix_player().locate(frame);
        window_->mix_player().settle();
        choose(voice());
        auto* follow = find<QToolButton>("follow_in_picture");
        window_->rebuild_view().follow_time();
        const double seconds = static_cast<double>(frame) / kRate;
        QTRY_VERIFY_WITH_TIMEOUT(
            picture().isVisible() && std::abs(picture().shown_seconds() - seconds) < 0.03, 30000);
        QTest::mouseClick(follow, Qt::LeftButton);
        QVERIFY(picture().taking_box());
        const QRect shown = picture().picture_rect();
        const auto spot = [&](double x, double y) {
            return QPoint(shown.left() + static_cast<int>(std::lround(x * shown.width())),
                          shown.top() + static_cast<int>(std::lround(y * shown.height())));
        };
        const double x = x_of(seconds) - 0.008;
        QTest::mousePress(&picture(), Qt::LeftButton, {}, spot(x - 0.035, 0.49));
        QTest::mouseMove(&picture(), spot(x, 0.6));
        QTest::mouseMove(&picture(), spot(x + 0.035, 0.76));
        QTest::mouseRelease(&picture(), Qt::LeftButton, {}, spot(x + 0.035, 0.76));
        QTRY_VERIFY_WITH_TIMEOUT(window_->rebuild_view().settled(), 120000);
    }
    // channels: a layout, or -1 for headphones.
    void add_row(HandoverView& view, const QString& pattern, int channels) {
        view.add_row();
        auto* name = window_->findChild<QLineEdit*>("handover_pattern");
        name->setText(pattern);
        emit name->textEdited(pattern);
        auto* box = window_->findChild<QComboBox*>("handover_channels");
        pick(*box, box->findData(channels));
    }

    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
    DeliveryReport report_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::SpaceDemoTest)
#include "space_demo_test.moc"
