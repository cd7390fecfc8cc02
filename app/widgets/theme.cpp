// SPDX-License-Identifier: GPL-3.0-or-later
#include "app/widgets/theme.h"

#include <QFontDatabase>
#include <QPainter>
#include <QPalette>
#include <QProxyStyle>
#include <array>
#include <utility>

namespace rivlen::app {

QColor stem_colour(std::size_t sound) {
    static const std::array<QColor, kSounds> colours = {QColor(0xF6, 0xDF, 0xA4), QColor(0xE3, 0x9B, 0xB4),
                                                        QColor(0x4F, 0xA8, 0xA0), QColor(0x5B, 0x6F, 0xC0),
                                                        QColor(0xCF, 0xE8, 0xBE), QColor(0x9F, 0xD3, 0xA2),
                                                        QColor(0x6C, 0xBA, 0x97), QColor(0x56, 0x9A, 0xA8)};
    return colours[sound];
}

QString stem_label(std::size_t sound) {
    static const std::array<const char*, kSounds> labels = {
        QT_TRANSLATE_NOOP("stems", "Dialogue"), QT_TRANSLATE_NOOP("stems", "Reverb"),
        QT_TRANSLATE_NOOP("stems", "Music"),    QT_TRANSLATE_NOOP("stems", "Ambience"),
        QT_TRANSLATE_NOOP("stems", "Voices"),   QT_TRANSLATE_NOOP("stems", "Drums"),
        QT_TRANSLATE_NOOP("stems", "Bass"),     QT_TRANSLATE_NOOP("stems", "Rest")};
    return QApplication::translate("stems", labels[sound]);
}

QIcon stem_icon(std::size_t sound) {
    return QIcon(QString(":/icons/%1.svg").arg(kSoundNames[sound]));
}

QIcon listed_stem_icon(std::size_t sound) {
    constexpr int kSide = 40;  // twice that of a row
    const QPixmap plain = stem_icon(sound).pixmap(kSide, kSide);
    QPixmap chosen = plain;
    QPainter painter(&chosen);
    painter.setCompositionMode(QPainter::CompositionMode_SourceIn);
    painter.fillRect(chosen.rect(), QApplication::palette().color(QPalette::HighlightedText));
    painter.end();
    QIcon icon(plain);
    icon.addPixmap(chosen, QIcon::Selected);
    return icon;
}

QFont number_font() {
    QFont font(kFontFamily);  // its digits are of equal width
    font.setPointSizeF(9.5);
    return font;
}

namespace {

// The style's own icons (of file dialogs, say) are dark: here they get the colour of text.
class LegibleIcons : public QProxyStyle {
  public:
    LegibleIcons() : QProxyStyle("Fusion") {}
    QIcon standardIcon(StandardPixmap which, const QStyleOption* option,
                       const QWidget* widget) const override {
        constexpr int kIconSize = 32;
        const bool coloured = which == SP_MessageBoxInformation || which == SP_MessageBoxWarning ||
                              which == SP_MessageBoxCritical || which == SP_MessageBoxQuestion;
        const QIcon own = QProxyStyle::standardIcon(which, option, widget);
        if (coloured || own.isNull()) return own;
        QIcon out;
        for (const auto& [mode, colour] :
             {std::pair{QIcon::Normal, colour::kText}, std::pair{QIcon::Disabled, colour::kDim}}) {
            QPixmap pixmap = own.pixmap(kIconSize);
            QPainter painter(&pixmap);
            painter.setCompositionMode(QPainter::CompositionMode_SourceIn);
            painter.fillRect(pixmap.rect(), colour);
            out.addPixmap(pixmap, mode);
        }
        return out;
    }
};

}  // namespace

void apply_theme(QApplication& application) {
    for (const char* file : {":/fonts/Text-Regular.otf", ":/fonts/Text-Bold.otf"}) {
        QFontDatabase::addApplicationFont(file);
    }
    QFont font(kFontFamily);
    font.setPointSizeF(9.0);
    application.setFont(font);
    QApplication::setStyle(new LegibleIcons);  // the application owns it
    QPalette palette;
    palette.setColor(QPalette::Window, colour::kPanel);
    palette.setColor(QPalette::WindowText, colour::kText);
    palette.setColor(QPalette::Base, colour::kGround);
    palette.setColor(QPalette::AlternateBase, colour::kPanel);
    palette.setColor(QPalette::Text, colour::kText);
    palette.setColor(QPalette::PlaceholderText, colour::kDim);
    palette.setColor(QPalette::Button, colour::kRaised);
    palette.setColor(QPalette::ButtonText, colour::kText);
    palette.setColor(QPalette::Highlight, colour::kAct);
    palette.setColor(QPalette::HighlightedText, colour::kGround);
    palette.setColor(QPalette::ToolTipBase, colour::kRaised);
    palette.setColor(QPalette::ToolTipText, colour::kText);
    palette.setColor(QPalette::Disabled, QPalette::ButtonText, QColor(0x77, 0x7B, 0x7C));
    palette.setColor(QPalette::Disabled, QPalette::WindowText, QColor(0x77, 0x7B, 0x7C));
    palette.setColor(QPalette::Disabled, QPalette::Text, QColor(0x77, 0x7B, 0x7C));
    application.setPalette(palette);
    application.setStyleSheet(QString(R"(
        QToolButton, QPushButton { background: %1; border: 1px solid %2; border-radius: 2px; padding: 4px 9px; color: %3; }
        QToolButton:hover, QPushButton:hover { border-color: %4; }
        QToolButton:focus, QPushButton:focus, QComboBox:focus, QDoubleSpinBox:focus { border: 1px solid %5; }
        QToolButton:checked { background: %5; color: %6; border-color: %5; }
        QToolButton[compact="true"], QFileDialog QToolButton { padding: 1px; }
        QToolButton[drawn="true"]:checked { background: %1; color: %5; }
        QToolButton[popupMode="2"] { padding-right: 16px; }
        QFrame[tile="true"] { background: %6; border: 1px solid %2; border-radius: 2px; }
        QFrame[tile="true"]:focus { border-color: %4; } QFrame[tile="true"][open="true"] { border-color: %5; }
        QToolButton:disabled, QPushButton:disabled { color: #777b7c; border-color: #2b3035; }
        QComboBox, QDoubleSpinBox { background: %6; border: 1px solid %2; border-radius: 2px; padding: 3px 6px; color: %3; }
        QMenuBar, QMenu { background: %7; color: %3; } QMenu { border: 1px solid %2; }
        QMenuBar::item:selected, QMenu::item:selected { background: %1; color: %5; }
        QComboBox:disabled { color: #777b7c; }
        QMenu::item:disabled { color: #777b7c; }
        QProgressBar { background: %6; border: 1px solid %2; border-radius: 2px; text-align: center; color: %3; min-height: 14px; }
        QProgressBar::chunk { background: #55605a; }
        QToolTip { background: %1; color: %3; border: 1px solid %2; padding: 4px; }
        QCheckBox { spacing: 6px; } QCheckBox::indicator { width: 12px; height: 12px; border: 1px solid %4; background: %6; }
        QCheckBox::indicator:checked { background: %5; border-color: %5; } QCheckBox:focus { color: %5; }
    )")
                                  .arg(colour::kRaised.name(), colour::kLine.name(), colour::kText.name(),
                                       colour::kDim.name(), colour::kAct.name(), colour::kGround.name(),
                                       colour::kPanel.name()));
}

}  // namespace rivlen::app
