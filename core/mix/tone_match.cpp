// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/tone_match.h"

#include <algorithm>
#include <cmath>

#include "core/diagnosis/spectra.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"
#include "core/effects/equaliser.h"
#include "core/mix/track_reader.h"

namespace rivlen {

namespace {

constexpr double kLeastTalkSeconds = 0.5, kTalkFrameSeconds = 0.05, kMostToneSeconds = 120;
constexpr double kMostMatchGainDb = 12;
constexpr double kLeastTonePower = 1e-10;  // -100 dBFS

using Values = ParameterBlock<EffectType::Equaliser>;

double miss(const Values& values, const Tone& wanted_db, int sample_rate) {
    Tone reached{};
    double mean = 0;  // a level is no tone
    for (std::size_t b = 0; b < kToneBands; ++b) {
        reached[b] = db_of_amplitude(Equaliser::magnitude(sample_rate, values, tone_band_hz(b)));
        mean += (wanted_db[b] - reached[b]) / static_cast<double>(kToneBands);
    }
    double sum = 0;
    for (std::size_t b = 0; b < kToneBands; ++b) {
        const double d = wanted_db[b] - reached[b] - mean;
        sum += d * d;
    }
    return sum;
}

// Moves one value where that helps.
void improve(Values& values, std::size_t index, double step, bool by_ratio, const Tone& wanted_db,
             int sample_rate) {
    const ParameterInfo& about = info(EffectType::Equaliser).parameters[index];
    const bool gain = std::string_view(about.unit) == "dB";
    const double lowest = gain ? -kMostMatchGainDb : about.lowest,
                 highest = gain ? kMostMatchGainDb : about.highest;
    const ParameterOf<EffectType::Equaliser> parameter{index};
    double best = miss(values, wanted_db, sample_rate);
    for (const double way : {-1.0, 1.0}) {
        for (;;) {
            Values tried = values;
            const double to =
                by_ratio ? values[parameter] * std::exp2(way * step) : values[parameter] + way * step;
            tried[parameter] = std::clamp(to, lowest, highest);
            const double now = miss(tried, wanted_db, sample_rate);
            if (now >= best - 1e-9) break;
            best = now;
            values = tried;
        }
    }
}

std::vector<float> heard_of(const PlannedClip& planned) {
    const Source& source = *planned.media.source;
    const auto most = static_cast<std::int64_t>(kMostToneSeconds * source.sample_rate());
    std::vector<float> mono(static_cast<std::size_t>(std::min(planned.clip.length, most)));
    ClipSourceReader reader(planned.media, planned.clip.clip_source);
    reader.read(planned.weight_sets.get(), planned.clip.offset, Layout::Mono, {mono});
    return mono;
}

}  // namespace

double tone_band_hz(std::size_t band) {
    return std::pow(10.0, (19.0 + static_cast<double>(band)) / 10.0);
}

std::optional<Tone> tone_of(std::span<const float> mono, int sample_rate) {
    if (static_cast<double>(mono.size()) < kLeastTalkSeconds * sample_rate) return {};
    constexpr std::size_t kSize = 4096;
    const auto hop = static_cast<std::size_t>(kTalkFrameSeconds * sample_rate);
    std::vector<float> powers;
    for (std::size_t at = 0; at + hop <= mono.size(); at += hop)
        powers.push_back(static_cast<float>(energy_of(mono.subspan(at, hop)) / static_cast<double>(hop)));
    auto sorted = powers;
    const float active = quantile(sorted, 0.5F);
    Spectra spectra(kSize, sample_rate);
    Tone sums{};
    double total = 0;
    for (std::size_t k = 0; k < powers.size(); ++k) {
        if (powers[k] < active || static_cast<double>(powers[k]) < kLeastTonePower) continue;
        const auto power = spectra.of(mono, k * hop, kSize / 2);
        for (std::size_t b = 0; b < kToneBands; ++b) {
            const double half = std::pow(10.0, 1.0 / 20);
            const std::size_t first = spectra.bin(tone_band_hz(b) / half);
            const std::size_t last = std::clamp(spectra.bin(tone_band_hz(b) * half), first + 1, kSize / 2);
            for (std::size_t i = first; i < last; ++i) sums[b] += static_cast<double>(power[i]);
        }
        total += 1;
    }
    if (total == 0) return {};
    Tone out{};
    double mean = 0;
    for (std::size_t b = 0; b < kToneBands; ++b) {
        out[b] = db_of_power(std::max(sums[b] / total, 1e-15));
        mean += out[b] / static_cast<double>(kToneBands);
    }
    for (double& db : out) db -= mean;
    return out;
}

Insert matching_equaliser(const Tone& from, const Tone& to, int sample_rate) {
    Tone wanted{};
    for (std::size_t b = 0; b < kToneBands; ++b) wanted[b] = to[b] - from[b];
    Insert part = make_part(EffectType::Equaliser, 0);
    Values values(part.values);
    for (double step = 3; step > 0.05; step *= 0.6) {
        for (int round = 0; round < 3; ++round) {
            for (std::size_t band = 0; band < parameter::kEqBands; ++band) {
                improve(values, parameter::eq_gain_db(band).index, step, false, wanted, sample_rate);
                improve(values, parameter::eq_hz(band).index, step / 6, true, wanted, sample_rate);
                if (band > 0 && band + 1 < parameter::kEqBands)
                    improve(values, parameter::eq_q(band).index, step / 6, true, wanted, sample_rate);
            }
        }
    }
    for (std::size_t i = 0; i < part.values.size(); ++i) {
        const double step = info(EffectType::Equaliser).parameters[i].step;
        part.values[i] = std::round(values[ParameterOf<EffectType::Equaliser>{i}] / step) * step;
    }
    normalise(part);
    return part;
}

Result<Insert> match_tone(const MixPlan& plan, int reference, int matched, const JobControl& job) {
    std::array<Tone, 2> tones{};
    for (const auto& [clip, place] : {std::pair{matched, 0}, std::pair{reference, 1}}) {
        const PlannedClip* planned = plan.clip(clip);
        if (planned == nullptr || !planned->media.source)
            return make_error(ErrorKind::NotFound,
                              "A clip or its recording is no longer there. Choose two clips and try again.");
        const auto tone = tone_of(heard_of(*planned), plan.timeline().sample_rate);
        if (job.cancelled()) return JobControl::cancelled_error();
        if (!tone)
            return make_error(
                ErrorKind::BadInput,
                "A clip is too short or too soft to have a tone. Choose half a second of talk at least.");
        tones[static_cast<std::size_t>(place)] = *tone;
        job.report(0.4 * (place + 1));
    }
    return matching_equaliser(tones[0], tones[1], plan.timeline().sample_rate);
}

}  // namespace rivlen
