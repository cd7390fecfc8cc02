// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/curves.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/effects/compressor.h"
#include "core/effects/cut_filter.h"
#include "core/effects/de_esser.h"
#include "core/effects/equaliser.h"
#include "core/effects/gate.h"
#include "core/effects/hiss.h"
#include "core/effects/noise_shape.h"
#include "core/effects/tap.h"

namespace rivlen {

CurveKind curve_kind(EffectType kind) {
    switch (kind) {
        case EffectType::HighPass:
        case EffectType::LowPass:
        case EffectType::Equaliser:
        case EffectType::DeEsser:
            return CurveKind::Frequency;
        case EffectType::Gate:
        case EffectType::Compressor:
        case EffectType::Limiter:
        case EffectType::Gain:
            return CurveKind::Level;
        case EffectType::Reverb:
            return CurveKind::Time;
        case EffectType::Clipping:
        case EffectType::Clicks:
        case EffectType::Plosives:
        case EffectType::Hum:
        case EffectType::Wind:
        case EffectType::Hiss:
            break;
    }
    return CurveKind::Removed;
}

double curve_db(const Insert& part, int sample_rate, double x) {
    const std::span<const double> v = part.values;
    switch (part.kind) {
        case EffectType::HighPass:
        case EffectType::LowPass:
            return db_of_amplitude(
                CutFilter::magnitude(part.kind, sample_rate, ParameterBlock<EffectType::HighPass>(v), x));
        case EffectType::Equaliser:
            return db_of_amplitude(
                Equaliser::magnitude(sample_rate, ParameterBlock<EffectType::Equaliser>(v), x));
        case EffectType::DeEsser:
            return db_of_amplitude(DeEsser::magnitude(sample_rate, ParameterBlock<EffectType::DeEsser>(v),
                                                      -part[parameter::kEssMaxReductionDb], x));
        case EffectType::Gate:
            return Gate::static_db(ParameterBlock<EffectType::Gate>(v), x);
        case EffectType::Compressor:
            return Compressor::static_db(ParameterBlock<EffectType::Compressor>(v), x) +
                   part[parameter::kMakeUpDb];
        case EffectType::Limiter:
            return std::min(x + part[parameter::kLimiterDriveDb], part[parameter::kLimiterCeilingDb]);
        case EffectType::Gain:
            return x + part[parameter::kGainDb];
        case EffectType::Reverb: {
            constexpr double kFallDb = 60;
            const double behind = x - part[parameter::kRoomDelayMs] / 1000;
            return behind < 0
                       ? -200.0
                       : part[parameter::kRoomLevelDb] - kFallDb * behind / part[parameter::kRoomDecayS];
        }
        default:
            break;
    }
    return x;
}

double expected_noise_db(const Insert& hiss, int sample_rate, double x) {
    const double density_db = hiss[parameter::kHissLevelDb] - HissRemover::third_octave_db(1.0) +
                              hiss[parameter::kHissTiltDb] * std::log2(x / kNoiseMiddleHz) +
                              noise_shape_db(hiss.noise_shape_db, x);
    // White noise of density 1 / Hz in a bin under a Hann window, whose squares add up to 3/8 n, on the scale
    // of a sine's amplitude: (4 / n)^2 * rate / 2 * 3/8 n.
    return density_db + db_of_power(3.0 * sample_rate / static_cast<double>(Tap::kFrames));
}

}  // namespace rivlen
