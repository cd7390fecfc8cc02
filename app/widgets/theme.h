// SPDX-License-Identifier: GPL-3.0-or-later
// Palette, type and the drawn marks of the stems. All colours of the program stand here.
#pragma once

#include <QApplication>
#include <QColor>
#include <QFont>
#include <QIcon>

#include "core/separation/music_parts.h"

namespace rivlen::app {

namespace colour {
inline const QColor kGround{0x17, 0x1A, 0x1D};  // behind everything
inline const QColor kPanel{0x20, 0x24, 0x28};
inline const QColor kRaised{0x2B, 0x30, 0x35};
inline const QColor kLine{0x3B, 0x42, 0x48};
inline const QColor kText{0xE6, 0xE3, 0xDA};
inline const QColor kDim{0xA6, 0xA9, 0xA5};  // 7:1 on kPanel
inline const QColor kAct{0xD8, 0xE6, 0x8C};  // what is chosen or running
inline const QColor kWarn{0xF0, 0x9A, 0x6A};
}  // namespace colour

// Of stems and of parts of the music (core/separation/music_parts.h). From light to dark in their order, so
// that they keep it without hue; the parts are greens.
[[nodiscard]] QColor stem_colour(std::size_t sound);
[[nodiscard]] QString stem_label(std::size_t sound);
[[nodiscard]] QIcon stem_icon(std::size_t sound);
// For rows of lists: on the light ground of a chosen row it has the colour of the words there.
[[nodiscard]] QIcon listed_stem_icon(std::size_t sound);
// B612 by a name of our own (app/fonts/rename.py): Debian's B612 Mono goes by the name "B612", too.
inline constexpr const char* kFontFamily = "Rivlen Text";
[[nodiscard]] QFont number_font();  // digits of equal width
// So far the mouse moves with a button held before it is a drag and no click.
inline constexpr int kDragPixels = 4;
void apply_theme(QApplication& application);

}  // namespace rivlen::app
