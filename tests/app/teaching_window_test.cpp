// SPDX-License-Identifier: GPL-3.0-or-later
// Teaching in the real window: marks by key and by proposal, the taught split, both heard by one key, undone,
// saved beside the session, opened again.
#include <QComboBox>
#include <QLabel>
#include <QListWidget>
#include <QToolButton>
#include <QtTest>
#include <numeric>

#include "app/shell/main_window.h"
#include "tests/app/window_setup.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

class TeachingWindowTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        use_engine_for_tests(scratch_);
        qputenv("RIVLEN_TEACHING", (scratch_ / "other").c_str());
        test::make_other_sound(scratch_ / "other");
        qputenv("RIVLEN_PARTS_MODEL", (scratch_ / "parts").c_str());
        QVERIFY(write_text_file(scratch_ / "parts", "of the engine for tests, too").ok());
        test::write_wav(scratch_ / "yard.wav", {test::noise(static_cast<std::size_t>(12 * kRate), 5)}, kRate);
    }
    void init() {
        show_split(window_, scratch_ / "work", scratch_ / "yard.wav");
        click("page_teach");
    }
    void cleanup() {
        window_->jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        window_.reset();
    }

    void aMarkIsTheLoopRange() {
        key(Qt::Key_4, Qt::AltModifier);
        QVERIFY(marks().empty());  // no range yet
        QVERIFY(message().contains("range"));
        set_loop(1, 1.5);
        key(Qt::Key_4, Qt::AltModifier);
        QVERIFY2(marks().empty() && message().contains("0.5 s"), qPrintable(message()));
        set_loop(6, 10);
        key(Qt::Key_4, Qt::AltModifier);
        set_loop(1, 3);
        click("mark_music");
        QCOMPARE(marks().size(), std::size_t{2});
        QCOMPARE(marks()[0], (TeachingMark{Stem::Music, kRate, 3 * kRate}));
        auto* list = window_->findChild<QListWidget*>("teaching_marks");
        QCOMPARE(list->count(), 2);
        QVERIFY2(list->item(0)->text().contains("2.0 s"), qPrintable(list->item(0)->text()));
        key(Qt::Key_1, Qt::AltModifier);  // the same range is something else now
        QCOMPARE(marks().size(), std::size_t{2});
        QVERIFY(marks()[0].stem == Stem::Dialogue);
        list->setCurrentRow(1);
        emit list->itemActivated(list->item(1));
        QCOMPARE(document().current_item()->loop->first, std::int64_t{6} * kRate);
        click("remove_mark");
        QCOMPARE(marks().size(), std::size_t{1});
        key(Qt::Key_Z, Qt::ControlModifier);
        QCOMPARE(marks().size(), std::size_t{2});
    }

    // A range, a mark and its place, with no hand on the mouse.
    void marksAreMadeAndMovedByKeysAlone() {
        key(Qt::Key_Home);
        key(Qt::Key_Comma, Qt::ControlModifier);
        for (int i = 0; i < 3; ++i) key(Qt::Key_Period, Qt::ShiftModifier);  // a second each
        QTRY_COMPARE(document().playhead(), RecordingFrame{std::int64_t{3} * kRate});
        key(Qt::Key_Period, Qt::ControlModifier);
        key(Qt::Key_4, Qt::AltModifier);
        QCOMPARE(marks().size(), std::size_t{1});
        QCOMPARE(marks()[0], (TeachingMark{Stem::Ambience, 0, std::int64_t{3} * kRate}));
        auto* list = window_->findChild<QListWidget*>("teaching_marks");
        list->setFocus();
        const auto in_list = [&](Qt::Key k, Qt::KeyboardModifiers modifiers = {}) {
            QTest::keyClick(list, k, modifiers);
        };
        in_list(Qt::Key_Right, Qt::ShiftModifier);
        in_list(Qt::Key_Right);
        in_list(Qt::Key_Left, Qt::ControlModifier);
        QCOMPARE(marks()[0],
                 (TeachingMark{Stem::Ambience, std::int64_t{11} * kRate / 10, std::int64_t{4} * kRate}));
        QVERIFY2(list->item(0)->text().contains("2.9 s"), qPrintable(list->item(0)->text()));
        document().undo();  // moves in a row are one step, whatever they moved
        QCOMPARE(marks()[0], (TeachingMark{Stem::Ambience, 0, std::int64_t{3} * kRate}));
        list->setFocus();
        in_list(Qt::Key_Delete);
        QVERIFY(marks().empty());
    }

    // Alt+5 beside the marks: the loop is the room tone, or it is found.
    void theLoopIsMarkedAsRoomTone() {
        key(Qt::Key_5, Qt::AltModifier);
        QVERIFY2(message().contains("loop range"), qPrintable(message()));
        set_loop(2, 3);
        key(Qt::Key_5, Qt::AltModifier);
        QCOMPARE(document().current_item()->room_tone,
                 (std::vector<LoopRange>{{std::int64_t{2} * kRate, std::int64_t{3} * kRate}}));
        key(Qt::Key_5, Qt::AltModifier);
        QVERIFY(document().current_item()->room_tone.empty());
        document().undo();
        QVERIFY(!document().current_item()->room_tone.empty());
    }

    void withoutMarksNothingIsTaught() {
        QVERIFY(!window_->findChild<QToolButton*>("teach")->isEnabled());
        key(Qt::Key_T, Qt::ControlModifier);
        QVERIFY2(message().contains("Mark some seconds first"), qPrintable(message()));
        set_loop(1, 3);
        click("mark_ambience");  // two seconds are too few
        key(Qt::Key_T, Qt::ControlModifier);
        settle();
        const QString outcome = window_->findChild<QLabel*>("teaching_outcome")->text();
        QVERIFY2(outcome.contains("2.0 s together"), qPrintable(outcome));
        QVERIFY(document().current_item()->taught == std::nullopt);
    }

    // The engine for tests gives everything to what was taught.
    void aTaughtSplitIsOneKeyAway() {
        const float before = share_of(Stem::Music);
        QVERIFY(before < 0.9F);
        teach_music();
        QVERIFY(share_of(Stem::Music) > 0.99F);
        const QString outcome = window_->findChild<QLabel*>("teaching_outcome")->text();
        QVERIFY2(outcome.contains("music +3.0 dB"), qPrintable(outcome));
        QVERIFY(window_->findChild<QToolButton*>("use_taught")->isChecked());
        key(Qt::Key_J);
        QCOMPARE(share_of(Stem::Music), before);
        QVERIFY(window_->findChild<QToolButton*>("use_untaught")->isChecked());
        key(Qt::Key_J);
        QVERIFY(share_of(Stem::Music) > 0.99F);
        click("use_untaught");
        QCOMPARE(share_of(Stem::Music), before);
        document().undo();
        document().undo();
        document().undo();
        QVERIFY(share_of(Stem::Music) > 0.99F);
        document().undo();  // the teaching itself
        QVERIFY(document().current_item()->taught == std::nullopt);
        QCOMPARE(share_of(Stem::Music), before);
        document().redo();
        QVERIFY(share_of(Stem::Music) > 0.99F);
        document().split();  // with the model as it comes
        QTRY_VERIFY_WITH_TIMEOUT(!document().splitting(), 60000);
        QCOMPARE(share_of(Stem::Music), before);
        QVERIFY(!document().current_item()->taught->in_use);
    }

    // Parts of the music have buttons once it is opened, marks and a model of their own. The engine for tests
    // gives all of the music to the part that was taught.
    void aPartOfTheMusicIsTaught() {
        auto* bass = window_->findChild<QToolButton*>("mark_bass");
        QVERIFY(!bass->isVisible());
        key(Qt::Key_U, Qt::ShiftModifier);
        QTRY_VERIFY_WITH_TIMEOUT(document().map()->opens_music(), 60000);
        QVERIFY(bass->isVisible());
        const auto bass_of_music = [&] {
            std::vector<float> row(document().map()->row_size());
            document().map()->read(100, row);
            const auto sum = [&](std::size_t sound) {
                return std::accumulate(row.begin() + static_cast<std::ptrdiff_t>(sound * kBands),
                                       row.begin() + static_cast<std::ptrdiff_t>((sound + 1) * kBands), 0.0F);
            };
            return row.size() == kOpenedRow ? sum(sound_of(MusicPart::Bass)) / sum(kMusicSound) : -1.0F;
        };
        const float before = bass_of_music();
        QVERIFY(before < 0.5F);
        set_loop(2, 8);
        click("mark_bass");
        QCOMPARE(
            marks(),
            (std::vector<TeachingMark>{TeachingMark::of(sound_of(MusicPart::Bass), 2 * kRate, 8 * kRate)}));
        click("teach");
        QTRY_VERIFY_WITH_TIMEOUT(document().current_item()->taught_parts != std::nullopt, 60000);
        QVERIFY(document().current_item()->taught == std::nullopt);
        QTRY_VERIFY_WITH_TIMEOUT(document().map() && bass_of_music() > 0.99F, 60000);
        const QString outcome = window_->findChild<QLabel*>("teaching_outcome")->text();
        QVERIFY2(outcome.contains("bass +3.0 dB"), qPrintable(outcome));
        key(Qt::Key_J);
        QTRY_COMPARE_WITH_TIMEOUT(bass_of_music(), before, 60000);
        key(Qt::Key_J);
        QTRY_VERIFY_WITH_TIMEOUT(bass_of_music() > 0.99F, 60000);
        // Marks of both kinds teach both models; the music of the new split opens by what was taught.
        set_loop(3, 9);
        click("mark_music");
        click("teach");
        QTRY_VERIFY_WITH_TIMEOUT(document().current_item()->taught != std::nullopt, 60000);
        QTRY_VERIFY_WITH_TIMEOUT(!document().splitting() && share_of(Stem::Music) > 0.99F, 60000);
        QTRY_VERIFY_WITH_TIMEOUT(bass_of_music() > 0.99F, 60000);
        QVERIFY(document().save(scratch_ / "bass.rivlen"));
        QVERIFY(document().current_item()->taught_parts->weights.parent_path() == scratch_ / "bass taught");
        document().new_session();
        QVERIFY(document().open(scratch_ / "bass.rivlen"));
        QTRY_VERIFY_WITH_TIMEOUT(document().map() != nullptr, 30000);
        QVERIFY(document().current_item()->taught_parts->in_use);
        click("forget_taught");
        QVERIFY(document().current_item()->taught_parts == std::nullopt);
    }

    void whatWasTaughtGoesWithTheSession() {
        teach_music();
        QVERIFY(document().save(scratch_ / "kept.rivlen"));
        const auto beside = scratch_ / "kept taught";
        QVERIFY(document().current_item()->taught->weights.parent_path() == beside);
        document().new_session();
        QVERIFY(document().open(scratch_ / "kept.rivlen"));
        QTRY_VERIFY_WITH_TIMEOUT(document().map() != nullptr, 30000);
        QVERIFY(document().current_item()->taught->in_use);
        // Its map goes by the weights' name; it is made again where it is not there.
        if (share_of(Stem::Music) < 0.99F) {
            key(Qt::Key_J);
            key(Qt::Key_J);
            QTRY_VERIFY_WITH_TIMEOUT(!document().splitting() && share_of(Stem::Music) > 0.99F, 60000);
        }
        std::filesystem::remove_all(beside);
        document().new_session();
        QVERIFY(document().open(scratch_ / "kept.rivlen"));
        QTRY_VERIFY_WITH_TIMEOUT(document().map() != nullptr, 30000);
        QVERIFY(share_of(Stem::Music) < 0.9F);  // as the model comes
        click("forget_taught");
        QVERIFY(document().current_item()->taught == std::nullopt);
    }

    void proposalsAreTakenAndHeard() {
        teach_music();  // then all of it is music, which is a proposal
        settle();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->separate_view().teaching().proposals().empty(), 30000);
        auto* list = window_->findChild<QListWidget*>("mark_proposals");
        QTRY_VERIFY(list->count() > 0);
        QVERIFY2(list->item(0)->text().contains("music"), qPrintable(list->item(0)->text()));
        list->setCurrentRow(0);
        emit list->itemActivated(list->item(0));
        const TeachingMark proposed = window_->separate_view().teaching().proposals()[0].mark;
        QCOMPARE(document().current_item()->loop->first, proposed.first);
        const auto before = marks().size();
        click("take_mark");
        QCOMPARE(marks().size(), before + 1);
        click("take_mark");  // not twice
        QCOMPARE(marks().size(), before + 1);
    }

  private:
    Document& document() { return window_->document(); }
    const std::vector<TeachingMark>& marks() { return document().current_item()->marks; }
    QString message() { return window_->findChild<QLabel*>("message")->text(); }
    void key(Qt::Key key, Qt::KeyboardModifiers modifiers = {}) {
        QTest::keyClick(window_.get(), key, modifiers);
    }
    void click(const char* name) {
        QTest::mouseClick(window_->findChild<QToolButton*>(name), Qt::LeftButton);
    }
    void settle() { QTRY_VERIFY_WITH_TIMEOUT(window_->settled(), 60000); }
    void set_loop(double first_s, double last_s) {
        document().edit("Loop", {}, [&](Session& s) {
            s.items[static_cast<std::size_t>(s.current)].loop =
                LoopRange{std::llround(first_s * kRate), std::llround(last_s * kRate)};
        });
    }
    void teach_music() {
        document().edit("Marks", {},
                        [](Session& s) { s.items[static_cast<std::size_t>(s.current)].marks.clear(); });
        set_loop(2, 8);
        key(Qt::Key_3, Qt::AltModifier);
        window_->findChild<QComboBox*>("teaching_length")->setCurrentIndex(1);
        click("teach");
        QTRY_VERIFY_WITH_TIMEOUT(document().current_item()->taught != std::nullopt, 60000);
        QTRY_VERIFY_WITH_TIMEOUT(!document().splitting(), 60000);
    }
    float share_of(Stem stem) {
        std::vector<float> row(document().map()->row_size());
        document().map()->read(100, row);
        float sum = 0;
        for (std::size_t b = 0; b < kBands; ++b) sum += row[static_cast<std::size_t>(stem) * kBands + b];
        return sum / kBands;
    }

    static constexpr int kRate = 48000;
    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::TeachingWindowTest)
#include "teaching_window_test.moc"
