// SPDX-License-Identifier: GPL-3.0-or-later
// Doubt over a lane, where it lies in time and pitch.
#pragma once

#include <QPainter>
#include <QRect>

#include "app/widgets/time_view.h"
#include "core/dsp/frequency_scale.h"
#include "core/separation/doubt.h"

namespace rivlen::app {

void draw_doubt(QPainter& painter, const DoubtPicture& picture, const TimeView& view, const QRect& lane,
                const FrequencyRange& range);

}  // namespace rivlen::app
