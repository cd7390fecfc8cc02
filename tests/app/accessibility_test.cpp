// SPDX-License-Identifier: GPL-3.0-or-later
// What a screen reader and a keyboard find in every view, and whether its words can be read.
#include <QAbstractButton>
#include <QAbstractItemView>
#include <QAbstractSlider>
#include <QAbstractSpinBox>
#include <QAccessible>
#include <QButtonGroup>
#include <QComboBox>
#include <QLineEdit>
#include <QToolButton>
#include <QtTest>
#include <cmath>

#include "app/shell/main_window.h"
#include "app/widgets/parameter_slider.h"
#include "app/widgets/theme.h"
#include "core/project/editing.h"
#include "tests/app/window_setup.h"
#include "tests/support/fixtures.h"

namespace rivlen::app {

class AccessibilityTest : public QObject {
    Q_OBJECT
  private slots:
    void initTestCase() {
        use_engine_for_tests(scratch_);
        test::write_wav(scratch_ / "yard.wav", {test::noise(std::size_t{6} * 48000, 5)}, 48000);
        show_split(window_, scratch_ / "work", scratch_ / "yard.wav");
        QVERIFY(window_->document().place_stems(SessionFrame{}));
        window_->document().edit_timeline("Chain", {}, [](Timeline& r) {
            add_send(r, r.tracks[0].id, add_bus(r, "Room"));
            r.tracks[0].strip.pan_law = PanLaw::Sides;
            for (std::size_t k = 0; k < kEffectTypes; ++k)
                r.tracks[0].strip.chain.push_back(make_part(static_cast<EffectType>(k), r.new_id()));
        });
        auto& selection = window_->rebuild_view().selection();
        selection.choose_strip(window_->document().timeline().tracks[0].id);
        selection.choose_clips({window_->document().timeline().tracks[0].clips[0].id});
    }
    void cleanupTestCase() {
        window_->jobs().cancel_all();
        QTRY_VERIFY_WITH_TIMEOUT(!window_->jobs().busy(), 60000);
        window_.reset();
    }

    void everyControlHasAName_data() { screens(); }
    void everyControlHasAName() {
        show_screen();
        QStringList nameless;
        for (QWidget* control : controls()) {
            const auto* read = QAccessible::queryAccessibleInterface(control);
            if (read == nullptr || read->text(QAccessible::Name).trimmed().isEmpty())
                nameless << QString("%1 \"%2\" in \"%3\"")
                                .arg(control->metaObject()->className(), control->objectName(),
                                     control->parentWidget()->objectName());
        }
        QVERIFY2(nameless.isEmpty(), qPrintable(nameless.join(", ")));
        QVERIFY(controls().size() > 20);
    }

    void everyControlIsReachedByTab_data() { screens(); }
    void everyControlIsReachedByTab() {
        show_screen();
        QSet<QWidget*> reached;
        for (QWidget* at = window_->nextInFocusChain(); at != window_.get() && !reached.contains(at);
             at = at->nextInFocusChain()) {
            if (at->focusPolicy() & Qt::TabFocus) reached.insert(at);
        }
        QStringList missed;
        for (QWidget* control : controls()) {
            QWidget* focus = control->focusProxy() != nullptr ? control->focusProxy() : control;
            if (control->isEnabled() && !reached.contains(focus) && !reached_by_arrows(control, reached))
                missed << QString("%1 \"%2\"").arg(control->metaObject()->className(), control->objectName());
        }
        QVERIFY2(missed.isEmpty(), qPrintable(missed.join(", ")));
    }

    // WCAG 2.1, 1.4.3: 4.5 to 1 for text, by relative luminance.
    void wordsStandOutFromTheirGround() {
        const auto luminance = [](const QColor& c) {
            const auto linear = [](double v) {
                return v <= 0.04045 ? v / 12.92 : std::pow((v + 0.055) / 1.055, 2.4);
            };
            return 0.2126 * linear(c.redF()) + 0.7152 * linear(c.greenF()) + 0.0722 * linear(c.blueF());
        };
        const auto contrast = [&](const QColor& a, const QColor& b) {
            const double x = luminance(a), y = luminance(b);
            return (std::max(x, y) + 0.05) / (std::min(x, y) + 0.05);
        };
        QVERIFY(std::abs(contrast(Qt::black, Qt::white) - 21) < 1e-6);  // the standard's own extreme
        for (const QColor& ground : {colour::kGround, colour::kPanel, colour::kRaised}) {
            for (const QColor& words : {colour::kText, colour::kDim, colour::kAct, colour::kWarn})
                QVERIFY2(contrast(words, ground) >= 4.5, qPrintable(QString("%1 on %2: %3")
                                                                        .arg(words.name(), ground.name())
                                                                        .arg(contrast(words, ground))));
        }
        QVERIFY(contrast(colour::kGround, colour::kAct) >= 4.5);  // what is chosen
        for (std::size_t s = 0; s < kStems; ++s)
            QVERIFY(contrast(stem_colour(s), colour::kGround) >= 3);  // 1.4.11
    }

  private:
    // Of buttons of which one is pressed at a time Tab reaches one, arrow keys the others.
    static bool reached_by_arrows(QWidget* control, const QSet<QWidget*>& reached) {
        const auto* button = qobject_cast<QAbstractButton*>(control);
        if (button == nullptr || button->group() == nullptr || !button->group()->exclusive()) return false;
        const auto all = button->group()->buttons();
        return std::ranges::any_of(all, [&](QAbstractButton* b) { return reached.contains(b); });
    }
    void screens() {
        QTest::addColumn<int>("view");
        QTest::addColumn<QString>("page");
        QTest::newRow("Separate, tune") << static_cast<int>(View::Separate) << "page_tune";
        QTest::newRow("Separate, correct") << static_cast<int>(View::Separate) << "page_correct";
        QTest::newRow("Separate, teach") << static_cast<int>(View::Separate) << "page_teach";
        QTest::newRow("Rebuild, clip") << static_cast<int>(View::Rebuild) << "page_clip";
        QTest::newRow("Rebuild, track") << static_cast<int>(View::Rebuild) << "page_strip";
        QTest::newRow("Rebuild, levels") << static_cast<int>(View::Rebuild) << "page_levels";
        QTest::newRow("Hand over") << static_cast<int>(View::Handover) << "";
    }
    void show_screen() {
        QFETCH(int, view);
        QFETCH(QString, page);
        window_->show_view(static_cast<View>(view));
        if (!page.isEmpty()) {
            auto* button = window_->findChild<QToolButton*>(page);
            QVERIFY2(button != nullptr, qPrintable(page));
            QTest::mouseClick(button, Qt::LeftButton);
        }
        QCoreApplication::sendPostedEvents(nullptr, QEvent::DeferredDelete);
    }
    // What can be set or pressed, but for what is part of another control.
    QList<QWidget*> controls() {
        QList<QWidget*> out;
        for (QWidget* w : window_->findChildren<QWidget*>()) {
            const bool control =
                qobject_cast<QAbstractButton*>(w) != nullptr || qobject_cast<QComboBox*>(w) != nullptr ||
                qobject_cast<QAbstractSpinBox*>(w) != nullptr || qobject_cast<QLineEdit*>(w) != nullptr ||
                qobject_cast<QAbstractItemView*>(w) != nullptr ||
                qobject_cast<ParameterSlider*>(w) != nullptr;
            const QWidget* above = w->parentWidget();
            const bool inner = qobject_cast<const QAbstractSpinBox*>(above) != nullptr ||
                               qobject_cast<const QComboBox*>(above) != nullptr ||
                               qobject_cast<const QAbstractItemView*>(above) != nullptr ||
                               w->objectName().startsWith("qt_");
            if (control && !inner && w->isVisible()) out << w;
        }
        return out;
    }

    test::Scratch scratch_;
    std::unique_ptr<MainWindow> window_;
};

}  // namespace rivlen::app

QTEST_MAIN(rivlen::app::AccessibilityTest)
#include "accessibility_test.moc"
