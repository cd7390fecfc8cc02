#include "core/chain/curves.h"

#include <algorithm>

#include "core/base/levels.h"
#include "core/chain/compressor.h"
#include "core/chain/cut_filter.h"
#include "core/chain/de_esser.h"
#include "core/chain/equaliser.h"
#include "core/chain/gate.h"

namespace rivlen {

CurveKind curve_kind(PartKind kind) {
    switch (kind) {
        case PartKind::HighPass:
        case PartKind::LowPass:
        case PartKind::Equaliser:
        case PartKind::DeEsser:
            return CurveKind::Frequency;
        case PartKind::Gate:
        case PartKind::Compressor:
        case PartKind::Limiter:
        case PartKind::Gain:
            return CurveKind::Level;
        case PartKind::Room:
            return CurveKind::Time;
        case PartKind::Clipping:
        case PartKind::Clicks:
        case PartKind::Plosives:
        case PartKind::Hum:
        case PartKind::Wind:
        case PartKind::Hiss:
            break;
    }
    return CurveKind::Removed;
}

double curve_db(const ChainPart& part, int sample_rate, double x) {
    const auto& v = part.values;
    switch (part.kind) {
        case PartKind::HighPass:
        case PartKind::LowPass:
            return db_of_amplitude(CutFilter::magnitude(part.kind, sample_rate, v, x));
        case PartKind::Equaliser:
            return db_of_amplitude(Equaliser::magnitude(sample_rate, v, x));
        case PartKind::DeEsser:
            return db_of_amplitude(DeEsser::magnitude(sample_rate, v, -v[parameter::kEssMostDb], x));
        case PartKind::Gate:
            return Gate::static_db(v, x);
        case PartKind::Compressor:
            return Compressor::static_db(v, x) + v[parameter::kMakeUpDb];
        case PartKind::Limiter:
            return std::min(x + v[parameter::kLimiterDriveDb], v[parameter::kLimiterCeilingDb]);
        case PartKind::Gain:
            return x + v[parameter::kGainDb];
        case PartKind::Room: {
            constexpr double kFallDb = 60;
            const double behind = x - v[parameter::kRoomDelayMs] / 1000;
            return behind < 0 ? -200.0
                              : v[parameter::kRoomLevelDb] - kFallDb * behind / v[parameter::kRoomDecayS];
        }
        default:
            break;
    }
    return x;
}

}  // namespace rivlen
