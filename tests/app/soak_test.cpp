// SPDX-License-Identifier: GPL-3.0-or-later
// Random work in the real window: keys, actions, mouse and undo, as many steps as RIVLEN_SOAK_STEPS says
// (600). What is worked on stays sound, and handles and memory stay where they are. How much memory a window
// needs depends on what it shows (rows, strips, clips) and on what can be undone, so it is compared with
// everything closed, after half of the acts and after the other half. RIVLEN_SOAK_HOURS spreads the acts over
// so many hours of the simulated output's time, in which there is playing (none).
#include <malloc.h>

#include <QAction>
#include <QApplication>
#include <QDir>
#include <QMenu>
#include <QWheelEvent>
#include <QtTest>
#include <chrono>
#include <fstream>
#include <random>
#include <sstream>

#include "app/shell/main_window.h"
#include "core/base/hash.h"
#include "core/base/heap.h"
#include "tests/app/window_setup.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

namespace fs = std::filesystem;

namespace {

int open_handles() {
    int count = 0;
    for (const auto& entry : fs::directory_iterator("/proc/self/fd")) count += entry.exists() ? 1 : 0;
    return count;
}

double resident_mb() {
    long pages = 0, resident = 0;
    std::ifstream("/proc/self/statm") >> pages >> resident;
    return static_cast<double>(resident) * static_cast<double>(::sysconf(_SC_PAGESIZE)) / 1e6;
}

int steps_wanted() {
    const int asked = qEnvironmentVariableIntValue("RIVLEN_SOAK_STEPS");
    return asked > 0 ? asked : 600;
}

double hours_wanted() {
    return qEnvironmentVariable("RIVLEN_SOAK_HOURS").toDouble();
}

}  // namespace

class SoakTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        keep_heap_small();
        use_engine_for_tests(scratch_);
        test::write_wav(scratch_ / "one.wav", {test::noise(48000 * 6, 1), test::noise(48000 * 6, 2)}, 48000);
        test::write_wav(scratch_ / "two.wav", {test::noise(44100 * 3, 3)}, 44100);
        if (qEnvironmentVariableIsSet("RIVLEN_SOAK_JOURNAL"))
            journal_.open(qEnvironmentVariable("RIVLEN_SOAK_JOURNAL").toStdString());
        const QByteArray work = qgetenv("RIVLEN_SOAK_WORK");
        random_.seed(static_cast<unsigned>(qEnvironmentVariableIntValue("RIVLEN_SOAK_SEED")));
        window_ =
            std::make_unique<MainWindow>(work.isEmpty() ? scratch_ / "work" : fs::path(work.toStdString()));
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
        for (const char* file : {"one.wav", "two.wav"}) {
            window_->open_path(scratch_ / file);
            QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy() && window_->document().source() != nullptr,
                                     60000);
            window_->document().split();
            QTRY_VERIFY_WITH_TIMEOUT(window_->document().map() != nullptr, 60000);
            QVERIFY(window_->document().place_stems(SessionFrame{}));
        }
        QVERIFY(window_->document().save(scratch_ / "first.rivlen"));
        // A dialog that an act opens is left again.
        connect(&closer_, &QTimer::timeout, this, [this] {
            for (QWidget* open : QApplication::topLevelWidgets()) {
                if (open != window_.get() && open->isVisible()) open->close();
            }
        });
        closer_.start(20);
    }
    void cleanupTestCase() { window_.reset(); }

    void workGoesOnAndNothingGrows() {
        const int steps = steps_wanted();
        int handles = 0;
        double memory_mb = 0;
        for (int step = 0; step < steps; ++step) {
            act();
            QApplication::processEvents();
            // A running event loop deletes what was to be deleted later; outside of one that has to be asked
            // for.
            QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
            let_time_pass(hours_wanted() * 3600 / steps);
            note();
            if (step % 50 == 49) QVERIFY(is_sound());
            if (step % std::max(1, steps / 8) == 0) tell(step);
            if (step == steps / 2) {
                handles = settled_handles();
                memory_mb = memory_with_all_closed_mb();
                tell(step);
                QVERIFY(window_->document().open(scratch_ / "first.rivlen"));
            }
        }
        const double memory_now_mb = memory_with_all_closed_mb();
        if (hours_wanted() > 0)
            qInfo("%.2f hours passed, %.2f of them playing", hours_wanted(), played_s_ / 3600);
        tell(steps);
        qInfo("%d steps, handles %d to %d, memory %.0f to %.0f MB", steps, handles, settled_handles(),
              memory_mb, memory_now_mb);
        QVERIFY(settled_handles() <= handles + 8);  // pools of threads and of the painter's may still fill
        // Pictures that are kept are bounded, but may still fill.
        QVERIFY(memory_now_mb < memory_mb + kGrowthMb);
    }

  private:
    std::size_t below(std::size_t count) { return random_() % std::max<std::size_t>(count, 1); }

    void act() {
        switch (below(8)) {
            case 0:
                window_->show_view(static_cast<View>(below(kViews)));
                break;
            case 1:
                QTest::keyClick(window_.get(), Qt::Key_Z,
                                below(3) == 0 ? Qt::ControlModifier | Qt::ShiftModifier
                                              : Qt::KeyboardModifiers(Qt::ControlModifier));
                break;
            case 2:
            case 3:
                some_mouse();
                break;
            default:
                some_action();
        }
    }
    // Plays, if it can, while the window goes on: its pictures and meters follow. Where there is nothing to
    // play, the time passes in silence, which costs nothing.
    void let_time_pass(double seconds) {
        constexpr double kSliceSeconds = 0.5;
        if (seconds <= 0) return;
        SimulatedOutput* output = window_->output().simulated();
        for (double passed = 0; passed < seconds; passed += kSliceSeconds) {
            if (!playing()) {  // from the start, again and again
                for (const char* name : {"start", "mix_start", "play", "mix_play"}) {
                    auto* action = window_->findChild<QAction*>(name);
                    if (action != nullptr && action->isEnabled()) action->trigger();
                }
            }
            if (!playing()) return;
            const auto frames = static_cast<std::size_t>(std::min(kSliceSeconds, seconds - passed) * 48000);
            played_s_ += static_cast<double>(output->advance(frames)) / 48000;
            QApplication::processEvents();
        }
    }
    bool playing() { return window_->player().playing() || window_->mix_player().playing(); }

    // Any that is allowed, but for those that ask for files, end the program or need another program.
    void some_action() {
        std::vector<QAction*> allowed;
        for (auto* action : window_->findChildren<QAction*>()) {
            if (action->isEnabled() && !action->objectName().isEmpty() && action->menu() == nullptr &&
                !action->text().contains(QChar(0x2026)) && !kLeftOut.contains(action->objectName()))
                allowed.push_back(action);
        }
        if (!allowed.empty()) allowed[below(allowed.size())]->trigger();
    }
    void some_mouse() {
        std::vector<QWidget*> seen;
        for (auto* widget : window_->findChildren<QWidget*>()) {
            const QByteArray kind = widget->metaObject()->className();
            if (widget->isVisible() &&
                (kind.endsWith("Canvas") || kind.endsWith("Slider") || kind.endsWith("Ruler") ||
                 kind.endsWith("Graph") || kind.endsWith("Editor")))
                seen.push_back(widget);
        }
        if (seen.empty()) return;
        QWidget* widget = seen[below(seen.size())];
        const auto somewhere = [&] {
            return QPoint(static_cast<int>(below(static_cast<std::size_t>(widget->width()))),
                          static_cast<int>(below(static_cast<std::size_t>(widget->height()))));
        };
        const auto modifiers = below(4) == 0 ? Qt::ShiftModifier : Qt::NoModifier;
        if (below(4) == 0) {
            const QPointF at = somewhere();
            QWheelEvent wheel(at, widget->mapToGlobal(at), {}, {0, below(2) == 0 ? 120 : -120}, Qt::NoButton,
                              modifiers, Qt::NoScrollPhase, false);
            QApplication::sendEvent(widget, &wheel);
            return;
        }
        QTest::mousePress(widget, Qt::LeftButton, modifiers, somewhere());
        for (std::size_t i = below(6); i > 0; --i) QTest::mouseMove(widget, somewhere());
        QTest::mouseRelease(widget, Qt::LeftButton, modifiers, somewhere());
    }
    void tell(int step) {
        const Timeline& line = window_->document().timeline();
        std::size_t clips = 0, points = 0;
        for (const auto& track : line.tracks) {
            clips += track.clips.size();
            for (const auto& lane : track.strip.lines) points += lane.points.size();
        }
        const struct mallinfo2 heap = ::mallinfo2();
        qInfo(
            "step %d: %.0f MB (%.0f in use of the heap, %.0f free in it), %lld widgets, %d handles, %d steps "
            "back, %zu tracks, %zu clips, %zu points, %zu kB",
            step, resident_mb(), static_cast<double>(heap.uordblks + heap.hblkhd) / 1e6,
            static_cast<double>(heap.fordblks) / 1e6,
            static_cast<long long>(QApplication::allWidgets().size()), open_handles(),
            window_->document().history().count(), line.tracks.size(), clips, points,
            session_to_json(window_->document().session()).size() / 1000);
    }
    // What the session is, and since when, in milliseconds of the machine's clock.
    void note() {
        if (!journal_.is_open()) return;
        const std::string text = session_to_json(window_->document().session());
        const auto now = std::chrono::steady_clock::now().time_since_epoch();
        journal_ << hash_hex(std::as_bytes(std::span(text))) << ' '
                 << std::chrono::duration_cast<std::chrono::milliseconds>(now).count() << std::endl;
    }
    // The session can be written and read again as it is.
    bool is_sound() {
        const Session& session = window_->document().session();
        const auto again = session_from_json(session_to_json(session), "/");
        if (!again.ok() || !(*again == session)) {
            tell_difference(session_to_json(session), again.ok() ? session_to_json(*again) : std::string());
            return false;
        }
        return window_->document().history().count() <= kMostSteps;
    }
    static void tell_difference(const std::string& written, const std::string& again) {
        std::istringstream a(written), b(again);
        std::string x, y;
        for (int line = 1; std::getline(a, x); ++line) {
            std::getline(b, y);
            if (x != y) return qWarning("line %d: \"%s\" came back as \"%s\"", line, x.c_str(), y.c_str());
        }
        qWarning("What differs is not written.");
    }
    int settled_handles() {
        if (!settle()) return 1 << 20;
        return open_handles();
    }
    bool settle() {
        window_->jobs().cancel_all();
        return QTest::qWaitFor([this] { return !window_->jobs().busy(); }, 60000);
    }
    double memory_with_all_closed_mb() {
        window_->document().new_session();
        if (!settle()) return 1e9;
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
        QApplication::processEvents();
        ::malloc_trim(0);
        return resident_mb();
    }

    static constexpr int kMostSteps = 500;
    static constexpr double kGrowthMb = 60;
    const QStringList kLeftOut{"new", "save", "write_stems", "put_back", "deliver"};
    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
    std::mt19937_64 random_;
    double played_s_ = 0;
    QTimer closer_;
    std::ofstream journal_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::SoakTest)
#include "soak_test.moc"
