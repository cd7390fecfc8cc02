// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/correction_settings.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

namespace {

constexpr std::array<ParameterInfo, kCorrectionSettings> kCorrectionInfos = {
    {{"correction_strength", "Strength", "%", 0, 100, 100, 1, false, false,
      "How far the correction is taken.", "All of it may be more than is needed: a part sounds smoother."},
     {"take_down_db", "Take down by", "dB", 0, kMostTakeDownDb, 24, 0.5, false, false,
      "What is in the region becomes softer by this much; at its end nothing is left.",
      "A hole that is heard as one."},
     {"edge_ms", "Soft edge, time", "ms", 0, 500, 20, 1, false, false,
      "Over this time the correction comes in and goes.", "It begins to act before the sound does."},
     {"edge_semitones", "Soft edge, pitch", "st", 0, 24, 0.5, 0.1, false, false,
      "Over this many semitones the correction comes in and goes.", "Neighbours are touched, too."},
     {"brush_ms", "Brush, time", "ms", 1, 1000, 40, 1, false, false,
      "From the middle of the brush to its rim in time.", "It covers more than is meant."},
     {"brush_semitones", "Brush, pitch", "st", 0.1, 24, 2, 0.1, false, false,
      "From the middle of the brush to its rim in pitch.", "It covers more than is meant."},
     {"partial", "Drawn on partial", "", 1, kMostPartials, 1, 1, false, false,
      "Which partial of a sound the region lies on; 1 is its fundamental.",
      "A wrong number puts the others between the partials."}}};

}  // namespace

const ParameterInfo& info(CorrectionSetting setting) {
    return kCorrectionInfos[static_cast<std::size_t>(setting)];
}

double value_of(const Correction& c, CorrectionSetting setting) {
    switch (setting) {
        case CorrectionSetting::Strength:
            return c.strength_percent;
        case CorrectionSetting::TakeDown:
            return c.take_down_db;
        case CorrectionSetting::EdgeTime:
            return c.region.edge_ms;
        case CorrectionSetting::EdgePitch:
            return c.region.edge_semitones;
        case CorrectionSetting::BrushTime:
            return c.region.brush_ms;
        case CorrectionSetting::BrushPitch:
            return c.region.brush_semitones;
        case CorrectionSetting::Partial:
            return c.region.partial;
    }
    return 0;
}

void set_value(Correction& c, CorrectionSetting setting, double value) {
    value = std::clamp(value, info(setting).lowest, info(setting).highest);
    switch (setting) {
        case CorrectionSetting::Strength:
            c.strength_percent = value;
            break;
        case CorrectionSetting::TakeDown:
            c.take_down_db = value;
            break;
        case CorrectionSetting::EdgeTime:
            c.region.edge_ms = value;
            break;
        case CorrectionSetting::EdgePitch:
            c.region.edge_semitones = value;
            break;
        case CorrectionSetting::BrushTime:
            c.region.brush_ms = value;
            break;
        case CorrectionSetting::BrushPitch:
            c.region.brush_semitones = value;
            break;
        case CorrectionSetting::Partial:
            c.region.partial = static_cast<int>(std::lround(value));
            break;
    }
}

bool acts_on(const Correction& c, CorrectionSetting setting) {
    switch (setting) {
        case CorrectionSetting::TakeDown:
            return c.act == CorrectionAct::TakeDown;
        case CorrectionSetting::BrushTime:
        case CorrectionSetting::BrushPitch:
            return c.region.shape == RegionShape::Brush;
        case CorrectionSetting::Partial:
            return c.region.harmonics;
        default:
            return true;
    }
}

}  // namespace rivlen
