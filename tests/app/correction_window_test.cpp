// SPDX-License-Identifier: GPL-3.0-or-later
// Putting right by hand, in the real window: drawn with the mouse and by keys alone, heard, listed, undone,
// kept.
#include <QCheckBox>
#include <QListWidget>
#include <QToolButton>
#include <QtTest>

#include "app/separate/region_editor.h"
#include "app/shell/main_window.h"
#include "core/dsp/decibels.h"
#include "core/separation/band_powers.h"
#include "core/separation/shaper.h"
#include "tests/app/window_setup.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

class CorrectionWindowTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        use_engine_for_tests(scratch_);
        // Soft noise with a bang of a low tone every two seconds.
        auto sound = test::noise(static_cast<std::size_t>(10 * kRate), 5);
        for (float& x : sound) x *= 0.02F;
        for (int bang = 0; bang < 4; ++bang) {
            for (int i = 0; i < kRate / 5; ++i) {
                const double t = static_cast<double>(i) / kRate;
                const auto at = static_cast<std::size_t>((1 + 2 * bang) * kRate + i);
                sound[at] += static_cast<float>(0.5 * std::exp(-t / 0.04) * std::sin(2 * M_PI * 300 * t));
            }
        }
        test::write_wav(scratch_ / "yard.wav", {sound}, kRate);
    }
    void init() {
        show_split(window_, scratch_ / "work", scratch_ / "yard.wav");
        editor_ = window_->findChild<RegionEditor*>("region_editor");
        lanes_ = window_->findChild<LaneCanvas*>("lanes");
        QVERIFY(editor_ != nullptr && lanes_ != nullptr);
        window_->separate_view().time_view().settle();
    }
    void cleanup() {
        window_->jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        window_.reset();
    }

    // A box by mouse, given by key: the masks follow, and one undo takes it back.
    void aBoxIsDrawnAndGiven() {
        key(Qt::Key_Q);
        QVERIFY(window_->findChild<QToolButton*>("draw_box")->isChecked());
        drag(1, {1.0, 200}, {1.5, 500});
        QVERIFY(corrections().empty());  // drawn, but nothing made of it
        QTRY_VERIFY_WITH_TIMEOUT(correcting().facts() != nullptr, 10000);
        const auto& facts = *correcting().facts();
        QVERIFY(std::abs(facts.bounds.first_seconds - 1.0) < 0.05);
        QVERIFY(std::abs(facts.bounds.highest_hz - 500) < 40);
        QVERIFY(facts.level_dbfs && *facts.level_dbfs > -40 && *facts.level_dbfs < 0);
        QTRY_VERIFY(window_->findChild<QLabel*>("region_facts")->text().contains("Hz"));
        key(Qt::Key_4, Qt::ControlModifier);
        QCOMPARE(corrections().size(), std::size_t{1});
        QVERIFY(corrections()[0].to == Stem::Ambience);
        QVERIFY(share(Stem::Ambience, 1.2, 300) > 0.95F);
        QVERIFY(share(Stem::Ambience, 2.5, 300) < 0.95F);
        key(Qt::Key_Z, Qt::ControlModifier);
        QVERIFY(corrections().empty());
        QVERIFY(share(Stem::Ambience, 1.2, 300) < 0.95F);
        QVERIFY(window_->document().history().can_redo());
        window_->document().redo();
        QCOMPARE(corrections().size(), std::size_t{1});
        QVERIFY(share(Stem::Ambience, 1.2, 300) > 0.95F);
    }

    // Without the mouse: a region begins at the playhead, is moved, made larger and taken down.
    void everythingIsDoneByKeys() {
        window_->player().locate(3 * kRate);
        QTRY_COMPARE(window_->document().playhead().count, std::int64_t{3} * kRate);
        key(Qt::Key_Q);
        const Region* begun = correcting().region();
        QVERIFY(begun != nullptr);
        const RegionBounds before = bounds_of(*begun);
        QVERIFY(before.first_seconds < 3 && before.last_seconds > 3);
        editor_key(Qt::Key_Down, Qt::ShiftModifier);  // ten semitones
        editor_key(Qt::Key_Right);
        editor_key(Qt::Key_Right, Qt::ControlModifier | Qt::ShiftModifier);  // 100 ms longer
        const RegionBounds after = bounds_of(*correcting().region());
        QVERIFY(std::abs(after.first_seconds - before.first_seconds - 0.01) < 1e-6);
        QVERIFY(std::abs(after.last_seconds - before.last_seconds - 0.11) < 1e-6);
        QVERIFY(std::abs(after.lowest_hz / before.lowest_hz - std::exp2(-10.0 / 12)) < 1e-6);
        key(Qt::Key_5, Qt::ControlModifier);
        QCOMPARE(corrections().size(), std::size_t{1});
        QVERIFY(corrections()[0].act == CorrectionAct::TakeDown);
        QVERIFY(window_->document().map()->cuts());
        QVERIFY(window_->findChild<QToolButton*>("monitor_cut")->isEnabled());
        const int steps = window_->document().history().position();
        editor_key(Qt::Key_Up);  // the chosen one moves
        QVERIFY(bounds_of(corrections()[0].region).lowest_hz > after.lowest_hz);
        QCOMPARE(window_->document().history().position(), steps + 1);
        editor_key(Qt::Key_Delete);
        QVERIFY(corrections().empty());
        QVERIFY(correcting().region() == nullptr);
        editor_key(Qt::Key_Escape);
        QVERIFY(correcting().tool() == Correcting::Tool::None);
    }

    // The same recording in another session has that one's corrections, and no others.
    void anotherSessionHasItsOwn() {
        make_box({1.0, 200}, {1.5, 500}, Qt::Key_4);
        QVERIFY(share(Stem::Ambience, 1.2, 300) > 0.95F);
        QVERIFY(window_->document().save(scratch_ / "corrected.rivlen"));
        window_->document().new_session();
        window_->open_path(scratch_ / "yard.wav");
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().map() != nullptr, 30000);
        QVERIFY(corrections().empty());
        QTRY_VERIFY(share(Stem::Ambience, 1.2, 300) < 0.95F);
        QVERIFY(window_->document().open(scratch_ / "corrected.rivlen"));
        QCOMPARE(corrections().size(), std::size_t{1});
        QTRY_VERIFY(share(Stem::Ambience, 1.2, 300) > 0.95F);
    }

    void outlinesAndStrokesAreDrawn() {
        key(Qt::Key_U);
        drag_along(2, {{1, 400}, {1.5, 3000}, {2, 400}, {1.5, 150}});
        QVERIFY(correcting().region() != nullptr);
        QVERIFY(correcting().region()->shape == RegionShape::Outline);
        key(Qt::Key_6, Qt::ControlModifier);
        QVERIFY(corrections()[0].act == CorrectionAct::Fill);
        key(Qt::Key_I);
        drag_along(2, {{4, 1000}, {5, 2000}, {6, 1000}});
        QVERIFY(correcting().region()->shape == RegionShape::Brush);
        key(Qt::Key_1, Qt::ControlModifier);
        QCOMPARE(corrections().size(), std::size_t{2});
        QVERIFY(share(Stem::Dialogue, 5, 2000) > 0.9F);
        QVERIFY(share(Stem::Dialogue, 5, 600) < 0.9F || share(Stem::Music, 5, 600) > 0.9F);
        // A click on the first one chooses it again; its act can be changed to another.
        const QPointF inside = editor_->position_of(2, {1.5, 600});
        QTest::mouseClick(editor_, Qt::LeftButton, {}, inside.toPoint());
        QCOMPARE(correcting().chosen(), corrections()[0].id);
        key(Qt::Key_7, Qt::ControlModifier);
        QVERIFY(corrections()[0].act == CorrectionAct::ShareAsBefore);
        QCOMPARE(corrections().size(), std::size_t{2});
    }

    // The list: switched one by one and all together, named, jumped to.
    void theListSwitchesAndNames() {
        make_box({1, 200}, {1.4, 500}, Qt::Key_4);
        make_box({5, 200}, {5.4, 500}, Qt::Key_3);
        auto* list = window_->findChild<QListWidget*>("corrections");
        QCOMPARE(list->count(), 2);
        list->item(0)->setCheckState(Qt::Unchecked);
        QVERIFY(!corrections()[0].on);
        QVERIFY(share(Stem::Ambience, 1.2, 300) < 0.95F);
        list->item(0)->setText("Gate");
        QVERIFY(corrections()[0].name == "Gate");
        key(Qt::Key_C, Qt::ShiftModifier);
        QVERIFY(!corrections()[1].on);
        key(Qt::Key_C, Qt::ShiftModifier);
        QVERIFY(corrections()[0].on && corrections()[1].on);
        key(Qt::Key_PageUp);
        QCOMPARE(correcting().chosen(), corrections()[0].id);
        key(Qt::Key_PageDown);
        QCOMPARE(correcting().chosen(), corrections()[1].id);
        key(Qt::Key_C);
        QVERIFY(!corrections()[1].on);
    }

    // "The same bang": found elsewhere, and put right there in one act.
    void placesLikeThisArePutRightTogether() {
        make_box({0.97, 150}, {1.2, 700}, Qt::Key_4);
        key(Qt::Key_T);
        QTRY_COMPARE_WITH_TIMEOUT(correcting().places().size(), std::size_t{3}, 20000);
        QVERIFY(std::abs(correcting().places()[0].by_seconds - 2) < 0.03);
        QCOMPARE(window_->findChild<QListWidget*>("places")->count(), 3);
        correcting().take_place(1);
        QCOMPARE(corrections().size(), std::size_t{2});
        QVERIFY(share(Stem::Ambience, 5.1, 300) > 0.95F);
        key(Qt::Key_T, Qt::ShiftModifier);
        QCOMPARE(corrections().size(), std::size_t{4});
        QVERIFY(share(Stem::Ambience, 7.1, 300) > 0.95F);
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(corrections().size(), std::size_t{2});
    }

    // Only the region, or only the rest, is played; corrections stay as they are.
    void onlyTheRegionIsHeard() {
        make_box({1, 200}, {1.4, 500}, Qt::Key_4);
        const auto map = window_->document().map();
        key(Qt::Key_V);
        QVERIFY(correcting().hearing() == Correcting::Hearing::Region);
        const auto inside = correcting().heard(map);
        QVERIFY(inside != map && window_->document().map() == map);
        QVERIFY(sum(*inside, 1.2, 300) > 0.95F);
        QVERIFY(sum(*inside, 1.2, 3000) < 0.01F);
        QVERIFY(sum(*inside, 6, 300) < 0.01F);
        key(Qt::Key_V, Qt::ShiftModifier);
        const auto rest = correcting().heard(map);
        QVERIFY(sum(*rest, 1.2, 300) < 0.05F);
        QVERIFY(sum(*rest, 6, 300) > 0.95F);
        key(Qt::Key_V, Qt::ShiftModifier);
        QVERIFY(correcting().heard(map) == map);
    }

    // What corrections cut leaves the kept sound and can be heard by itself; the sum is shown and holds.
    void keptAndCutAddUp() {
        make_box({1, 100}, {1.4, 2000}, Qt::Key_5);
        const auto map = window_->document().map();
        QVERIFY(map->cuts());
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().current_material()->sum_job == 0 &&
                                     window_->document().current_material()->sum_dbfs.has_value(),
                                 30000);
        QVERIFY(*window_->document().current_material()->sum_dbfs < -110);
        key(Qt::Key_X);
        QVERIFY(window_->document().session().monitor == Monitor::Cut);
        auto& player = window_->player();
        player.locate(kRate);
        player.play();
        window_->output().simulated()->advance(kRate / 4);
        player.stop();
        QVERIFY(player.take_peak() > 0.1F);  // most of the bang
    }

    // A lane over the whole height, its frequencies zoomed, scrolled and laid out otherwise.
    void aLaneIsEnlarged() {
        QTRY_VERIFY_WITH_TIMEOUT(window_->settled(), 30000);
        const QRect before = lanes_->lane_rect(1);
        key(Qt::Key_E);
        QCOMPARE(lanes_->lane_rect(1), lanes_->rect());
        QVERIFY(lanes_->lane_rect(0).isEmpty());
        const FrequencyRange whole = lanes_->range();
        key(Qt::Key_Up, Qt::ControlModifier);
        QVERIFY(lanes_->range().high_hz < whole.high_hz && lanes_->range().low_hz > whole.low_hz);
        const FrequencyRange closer = lanes_->range();
        key(Qt::Key_Up, Qt::ShiftModifier);
        QVERIFY(lanes_->range().low_hz > closer.low_hz);
        key(Qt::Key_E, Qt::ShiftModifier);
        QVERIFY(lanes_->range().scale == FrequencyScale::Ear);
        const double y = lanes_->y_of(1, 1000);
        QVERIFY(std::abs(lanes_->hz_at(1, y) - 1000) < 1);
        QTRY_VERIFY_WITH_TIMEOUT(lanes_->level_at(1, 1.05, lanes_->range().hz_at(0.5)).has_value(), 20000);
        key(Qt::Key_E);
        QCOMPARE(lanes_->lane_rect(1), before);
    }

    void correctionsAreKeptInTheSession() {
        make_box({1, 200}, {1.4, 500}, Qt::Key_4);
        QVERIFY(window_->document().save(scratch_ / "yard.rivlen"));
        const auto kept = corrections();
        window_->document().new_session();
        QVERIFY(window_->document().open(scratch_ / "yard.rivlen"));
        QVERIFY(corrections() == kept);
        QTRY_VERIFY_WITH_TIMEOUT(window_->document().map() != nullptr, 60000);
        QVERIFY(share(Stem::Ambience, 1.2, 300) > 0.95F);
        correcting().save_to(scratch_ / "yard.rivlen-corrections");
        correcting().add_from(scratch_ / "yard.rivlen-corrections");
        QCOMPARE(corrections().size(), std::size_t{2});
    }

  private:
    Correcting& correcting() { return window_->separate_view().correcting(); }
    const std::vector<Correction>& corrections() { return window_->document().current_item()->corrections; }
    void key(Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(window_.get(), key, modifiers);
    }
    void editor_key(Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(editor_, key, modifiers);
    }
    void drag(int lane, RegionPoint from, RegionPoint to) { drag_along(lane, {from, to}); }
    void drag_along(int lane, const std::vector<RegionPoint>& path) {
        QTest::mousePress(editor_, Qt::LeftButton, {}, editor_->position_of(lane, path.front()).toPoint());
        for (std::size_t i = 1; i < path.size(); ++i) {
            const QPointF a = editor_->position_of(lane, path[i - 1]),
                          b = editor_->position_of(lane, path[i]);
            for (int k = 1; k <= 10; ++k) QTest::mouseMove(editor_, (a + (b - a) * k / 10.0).toPoint());
        }
        QTest::mouseRelease(editor_, Qt::LeftButton, {}, editor_->position_of(lane, path.back()).toPoint());
    }
    // A new region, and what a key makes of it.
    void make_box(RegionPoint from, RegionPoint to, Qt::Key act) {
        correcting().clear();
        Region region;
        region.points = {from, to};
        correcting().set_region(region);
        key(act, Qt::ControlModifier);
    }
    static std::size_t band_at(double hz) {
        return static_cast<std::size_t>(
            band_of_bin()[static_cast<std::size_t>(std::lround(hz * kModelFft / kModelRate))]);
    }
    float share(Stem stem, double seconds, double hz) {
        std::array<float, kMaskRow> row{};
        window_->document().map()->read(seconds * kMapFramesPerSecond, row);
        return row[static_cast<std::size_t>(stem) * kBands + band_at(hz)];
    }
    static float sum(const MaskMap& map, double seconds, double hz) {
        std::array<float, kMaskRow> row{};
        map.read(seconds * kMapFramesPerSecond, row);
        float out = 0;
        for (std::size_t s = 0; s < kStems; ++s) out += row[s * kBands + band_at(hz)];
        return out;
    }

    static constexpr int kRate = 48000;
    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
    RegionEditor* editor_ = nullptr;
    LaneCanvas* lanes_ = nullptr;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::CorrectionWindowTest)
#include "correction_window_test.moc"
