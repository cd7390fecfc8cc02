// SPDX-License-Identifier: GPL-3.0-or-later
// Sound as it is drawn everywhere: its spectrogram, and the outline of its waveform over it.
#pragma once

#include <QColor>
#include <QPainter>
#include <QRectF>
#include <cstddef>
#include <functional>
#include <optional>

#include "app/widgets/tiles.h"
#include "app/widgets/time_view.h"

namespace rivlen::app {

struct SoundLook {
    QRectF body;              // from the highest frequency to the lowest
    int sample_rate = 48000;  // of the frames
    double from_frame = 0;    // of the recording
    double to_frame = 0;
    double shift_frames = 0;            // from the recording's line to the one that the view shows
    std::optional<std::size_t> stem{};  // none: the recording itself
    QColor outline{};
    bool antialiased = false;
    std::function<double(double frame)> shape{};  // what the outline is multiplied by; empty: 1
};

// False when some of it is still being made.
bool draw_sound(QPainter& painter, TileStore& tiles, const TimeView& view, int width, const SoundLook& look);

// Level in dBFS of what draw_sound() draws at a time and a height (0: the lowest frequency, 1: the highest),
// as the picture is coded; none while that is still being made.
[[nodiscard]] std::optional<double> level_of_sound(TileStore& tiles, const TimeView& view, int width,
                                                   int sample_rate, double seconds, double height,
                                                   std::optional<std::size_t> stem);

}  // namespace rivlen::app
