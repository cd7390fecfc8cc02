// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/findings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "core/dsp/decibels.h"
#include "core/effects/clicks.h"
#include "core/effects/plosives.h"
#include "core/effects/processor.h"
#include "core/effects/wind.h"

namespace rivlen {

namespace {

// From which figure on a fault is one. Set on generated cases with voices that are not among those of the
// table in docs/repair.md.
constexpr double kSoftDbfs = -35, kWantedDbfs = -20, kPeakDbfs = -3;
constexpr double kClicksAMinute = 5;
constexpr double kPlosivesAMinute = 4;
constexpr int kHumTones = 2;
constexpr double kHumClearDb = 15;
constexpr double kHumOffHz = 1.5;  // generators and tapes are off by so much
constexpr double kWindShare = 0.12;
constexpr double kHissUnderVoiceDb = 60, kHissOverDb = 18, kHissLeastDbfs = -85, kHissRoughDb = 4,
                 kHissUnsteadyDb = 3;
constexpr double kHighEdgeDb = 24, kLowEdgeDb = 8;
constexpr int kTelephoneRate = 9000;
constexpr double kSibilanceDb = -4;
constexpr double kDecaySeconds = 0.45, kDirectDb = 4;

struct FaultInfo {
    const char* key;
    const char* label;
};
constexpr std::array<FaultInfo, kFaults> kFaultInfo = {{{"level", "Level"},
                                                        {"clipping", "Clipping"},
                                                        {"clicks", "Clicks"},
                                                        {"plosives", "Plosives"},
                                                        {"hum", "Hum"},
                                                        {"wind", "Wind"},
                                                        {"hiss", "Hiss"},
                                                        {"telephone", "Telephone band"},
                                                        {"sibilance", "Sibilance"},
                                                        {"echo", "Echo"}}};

// Runs a processor over a copy of the sound, a second at a time.
template <typename P>
void run(P& processor, const Insert& part, std::span<const float> mono, int rate,
         const std::function<void(std::size_t second)>& after_each = {}) {
    const auto size = static_cast<std::size_t>(rate);
    std::array<std::vector<float>, kStereoChannels> block{std::vector<float>(size), std::vector<float>(size)};
    processor.set(part.values);
    const std::size_t end = mono.size() + static_cast<std::size_t>(processor.latency());
    for (std::size_t at = 0; at < end; at += size) {
        for (auto& channel : block) std::ranges::fill(channel, 0.0F);
        if (at < mono.size()) {
            const auto piece = mono.subspan(at, std::min(size, mono.size() - at));
            for (auto& channel : block) std::ranges::copy(piece, channel.begin());
        }
        processor.process({block[0], block[1]});
        if (after_each) after_each(at / size);
    }
}

double rounded(double value, double step) {
    return std::round(value / step) * step;
}

}  // namespace

const char* key_of(Fault fault) {
    return kFaultInfo[static_cast<std::size_t>(fault)].key;
}

bool repairs(Fault fault, EffectType kind) {
    switch (fault) {
        case Fault::Level:
            return kind == EffectType::Gain;
        case Fault::Clipping:
            return kind == EffectType::Clipping;
        case Fault::Clicks:
            return kind == EffectType::Clicks;
        case Fault::Plosives:
            return kind == EffectType::Plosives;
        case Fault::Hum:
            return kind == EffectType::Hum;
        case Fault::Wind:
            return kind == EffectType::Wind;
        case Fault::Hiss:
            return kind == EffectType::Hiss;
        case Fault::Telephone:
            return kind == EffectType::Equaliser;
        case Fault::Sibilance:
            return kind == EffectType::DeEsser;
        case Fault::Reverberation:
            break;
    }
    return false;
}

const char* label_of(Fault fault) {
    return kFaultInfo[static_cast<std::size_t>(fault)].label;
}

Finding look_for_level(const Evidence& look) {
    Finding finding{Fault::Level, false, {}, {}};
    const auto& speech = look.speech;
    const double gain =
        rounded(std::min(kWantedDbfs - speech.active_dbfs, kPeakDbfs - speech.peak_dbfs), 0.5);
    finding.found = speech.active_dbfs < kSoftDbfs && gain >= 1;
    if (!finding.found) {
        finding.sentence = fmt::format("The voice lies at {:.0f} dBFS, its peak at {:.1f} dBFS: fine.",
                                       speech.active_dbfs, speech.peak_dbfs);
        return finding;
    }
    auto part = make_part(EffectType::Gain, 0);
    part[parameter::kGainDb] = gain;
    normalise(part);
    finding.sentence =
        fmt::format("The voice lies at {:.0f} dBFS, its peak at {:.1f} dBFS: {:.1f} dB of gain proposed.",
                    speech.active_dbfs, speech.peak_dbfs, part.values[0]);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_clipping(std::span<const std::vector<float>> channels) {
    Finding finding{Fault::Clipping, false, {}, {}};
    ClipEvidence worst;
    for (const auto& channel : channels) {
        const auto evidence = find_clipping(channel);
        if (evidence.clipped && (!worst.clipped || evidence.runs > worst.runs)) worst = evidence;
    }
    finding.found = worst.clipped;
    if (!finding.found) {
        finding.sentence = "No flat tops.";
        return finding;
    }
    auto part = make_part(EffectType::Clipping, 0);
    part[parameter::kClipLevelDb] = worst.level_dbfs;
    normalise(part);
    finding.sentence = fmt::format("{} peaks are cut off at {:.1f} dBFS: rebuilding them proposed.",
                                   worst.runs, worst.level_dbfs);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_clicks(const Evidence& look) {
    Finding finding{Fault::Clicks, false, {}, {}};
    const auto part = make_part(EffectType::Clicks, 0);
    ClickRemover remover(look.sample_rate);
    run(remover, part, look.mono, look.sample_rate);
    const double a_minute = static_cast<double>(remover.repaired()) / kStereoChannels / look.minutes;
    finding.found = a_minute >= kClicksAMinute && remover.repaired() / kStereoChannels >= 2;
    if (finding.found) finding.proposal = part;
    finding.sentence = fmt::format("{:.0f} clicks a minute stand out by {:.0f} dB and more: {}.", a_minute,
                                   part[parameter::kClickOverDb],
                                   finding.found ? "taking them out proposed" : "too few to matter");
    return finding;
}

// Which seconds are windy: thumps last less.
std::vector<bool> windy_seconds(const Evidence& look) {
    WindRemover remover(look.sample_rate);
    std::vector<bool> out;
    std::size_t frames = 0;
    std::size_t windy = 0;
    run(remover, make_part(EffectType::Wind, 0), look.mono, look.sample_rate, [&](std::size_t) {
        constexpr double kMost = 0.6;
        out.push_back(static_cast<double>(remover.windy() - windy) >
                      kMost * static_cast<double>(std::max<std::size_t>(1, remover.frames() - frames)));
        frames = remover.frames();
        windy = remover.windy();
    });
    return out;
}

Finding look_for_plosives(const Evidence& look, const std::vector<bool>& windy) {
    Finding finding{Fault::Plosives, false, {}, {}};
    const auto part = make_part(EffectType::Plosives, 0);
    PlosiveRemover remover(look.sample_rate);
    std::size_t before = 0;
    std::size_t thumps = 0;
    std::size_t calm = 0;
    const auto is_windy = [&](std::size_t second) { return second < windy.size() && windy[second]; };
    run(remover, part, look.mono, look.sample_rate, [&](std::size_t second) {
        // A thump may begin at the end of the second before.
        if (!is_windy(second) && !is_windy(second + 1) && (second == 0 || !is_windy(second - 1))) {
            thumps += remover.found() - before;
            ++calm;
        }
        before = remover.found();
    });
    constexpr std::size_t kLeastCalm = 5;
    if (calm < std::min(kLeastCalm, windy.size())) {
        finding.sentence = "Wind covers the lows: thumps cannot be told from it.";
        return finding;
    }
    const double a_minute = 60 * static_cast<double>(thumps) / static_cast<double>(calm);
    finding.found = a_minute >= kPlosivesAMinute && thumps >= 2;
    if (finding.found) finding.proposal = part;
    finding.sentence = fmt::format("{:.0f} thumps a minute under 45 Hz: {}.", a_minute,
                                   finding.found ? "softening them proposed" : "too few to matter");
    return finding;
}

Finding look_for_hum(const Evidence& look) {
    Finding finding{Fault::Hum, false, {}, {}};
    const auto hum = find_hum(look.mono, look.sample_rate);
    const double under = look.speech.active_dbfs - hum.level_dbfs;
    const double off = std::min(std::abs(hum.frequency_hz - 50), std::abs(hum.frequency_hz - 60));
    finding.found = hum.tones >= kHumTones && hum.clearest_db >= kHumClearDb && off < kHumOffHz;
    if (!finding.found) {
        finding.sentence = "No steady tone with overtones near 50 or 60 Hz.";
        return finding;
    }
    auto part = make_part(EffectType::Hum, 0);
    part[parameter::kHumHz] = rounded(hum.frequency_hz, 0.01);
    constexpr int kLeastTones =
        8;  // higher ones may hide under the voice; what is not steady is left alone anyway
    part[parameter::kHumHarmonics] = std::max(kLeastTones, hum.highest);
    normalise(part);
    finding.sentence = fmt::format("{:.2f} Hz hum with {} tones, {:.0f} dB under the voice: filter proposed.",
                                   hum.frequency_hz, hum.tones, under);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_wind(const std::vector<bool>& windy) {
    Finding finding{Fault::Wind, false, {}, {}};
    const double share = static_cast<double>(std::ranges::count(windy, true)) /
                         static_cast<double>(std::max<std::size_t>(1, windy.size()));
    finding.found = share >= kWindShare;
    if (finding.found) finding.proposal = make_part(EffectType::Wind, 0);
    finding.sentence =
        fmt::format("In {:.0f} % of the time rumble under 50 Hz outweighs the voice: {}.", 100 * share,
                    finding.found ? "turning it down proposed" : "no wind to speak of");
    return finding;
}

Finding look_for_hiss(const Evidence& look) {
    Finding finding{Fault::Hiss, false, {}, {}};
    const auto hiss = find_hiss(look.mono, look.sample_rate);
    const double under = look.speech.active_dbfs - hiss.level_dbfs;
    finding.found = under < kHissUnderVoiceDb && under > kHissOverDb && hiss.level_dbfs > kHissLeastDbfs &&
                    hiss.rough_db < kHissRoughDb && hiss.unsteady_db < kHissUnsteadyDb;
    if (!finding.found) {
        finding.sentence =
            hiss.level_dbfs > kHissLeastDbfs && under < kHissUnderVoiceDb
                ? std::string("What sounds in the pauses is too loud or not steady enough to be hiss.")
                : fmt::format("The pauses lie {:.0f} dB under the voice from 1 kHz up: quiet enough.", under);
        return finding;
    }
    constexpr double kMargin = 1.5;  // a little more, so that nothing is left to tinkle
    auto part = make_part(EffectType::Hiss, 0);
    part[parameter::kHissLevelDb] = rounded(hiss.third_octave_dbfs + kMargin, 0.5);
    part[parameter::kHissTiltDb] = rounded(hiss.tilt_db, 0.1);
    normalise(part);
    finding.sentence =
        fmt::format("Steady hiss from 1 kHz up, {:.0f} dB under the voice: turning it down proposed.", under);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_telephone(const Evidence& look, const SpectrumEvidence& spectrum) {
    Finding finding{Fault::Telephone, false, {}, {}};
    finding.found = (spectrum.high_edge_db > kHighEdgeDb || look.sample_rate <= kTelephoneRate) &&
                    spectrum.low_edge_db > kLowEdgeDb;
    if (!finding.found) {
        finding.sentence = "The voice has more than the band of a telephone.";
        return finding;
    }
    // Within the band, towards the long-term spectrum of speech: half way, 5 dB at most.
    constexpr double kPart = -0.5, kMost = 5;
    auto part = make_part(EffectType::Equaliser, 0);
    constexpr std::array<double, 3> kMiddle = {450, 1200, 2700};
    for (std::size_t bell = 0; bell < 3; ++bell) {
        const std::size_t band = bell + 1;
        part[parameter::eq_hz(band)] = kMiddle[bell];
        part[parameter::eq_gain_db(band)] =
            std::clamp(rounded(kPart * spectrum.colour_db[bell], 0.1), -kMost, kMost);
        part[parameter::eq_q(band)] = 0.8;
    }
    normalise(part);
    finding.sentence = fmt::format(
        "Above 4 kHz the voice falls by {:.0f} dB, below 200 Hz by {:.0f} dB, as over a telephone: an "
        "equaliser within its "
        "band proposed; nothing is invented above.",
        spectrum.high_edge_db, spectrum.low_edge_db);
    finding.proposal = std::move(part);
    return finding;
}

Finding look_for_sibilance(const SpectrumEvidence& spectrum) {
    Finding finding{Fault::Sibilance, false, {}, {}};
    finding.found = spectrum.sibilance_db > kSibilanceDb;
    if (finding.found) finding.proposal = make_part(EffectType::DeEsser, 0);
    finding.sentence =
        fmt::format("The sharpest s sounds lie {:.1f} dB {} the voice between 6 and 10 kHz: {}.",
                    std::abs(spectrum.sibilance_db), spectrum.sibilance_db >= 0 ? "over" : "under",
                    finding.found ? "de-esser proposed" : "fine");
    return finding;
}

Finding look_for_echo(const Evidence& look, const std::optional<StemLevels>& stems, Reverberation& echo) {
    Finding finding{Fault::Reverberation, false, {}, {}};
    echo = {measure_decay(look.mono, look.sample_rate).seconds, {}};
    if (stems)
        echo.drr_db = (*stems)[static_cast<std::size_t>(Stem::Dialogue)] -
                      (*stems)[static_cast<std::size_t>(Stem::Reverb)];
    finding.found = echo.rt60_s > kDecaySeconds || (echo.drr_db && *echo.drr_db < kDirectDb);
    const auto decay = echo.rt60_s > 0 ? fmt::format("Words decay by 60 dB in {:.1f} s", echo.rt60_s)
                                       : std::string("No decay to be measured between words");
    const auto direct = echo.drr_db
                            ? fmt::format(", the direct voice lies {:.0f} dB {} its reverberation",
                                          std::abs(*echo.drr_db), *echo.drr_db >= 0 ? "over" : "under")
                            : std::string();
    finding.sentence =
        decay + direct +
        (finding.found ? ": turn the reverb stem down in the first view." : ": no echo to speak of.");
    return finding;
}

}  // namespace rivlen
