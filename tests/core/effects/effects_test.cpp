// SPDX-License-Identifier: GPL-3.0-or-later
// The parts of the voice chain against theory: static curves, responses, times, decays.
#include <gtest/gtest.h>

#include <array>
#include <cmath>
#include <cstdlib>
#include <numbers>

#include "core/delivery/process_file.h"
#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/effects/compressor.h"
#include "core/effects/curves.h"
#include "core/effects/de_esser.h"
#include "core/effects/equaliser.h"
#include "core/effects/gate.h"
#include "core/effects/processor.h"
#include "core/effects/reverb.h"
#include "core/metering/loudness.h"
#include "core/mix/levelling.h"
#include "core/project/chain_preset.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;
using test::kRate;

Channels tone(double hz, double level_dbfs, std::size_t frames, int rate = kRate) {
    Channels out(2, std::vector<float>(frames));
    for (std::size_t i = 0; i < frames; ++i) {
        const double x =
            amplitude_of_db(level_dbfs) * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / rate);
        out[0][i] = out[1][i] = static_cast<float>(x);
    }
    return out;
}
// Of the last half, as the level of a sine's peak.
double peak_dbfs(const Channels& x) {
    const auto half = std::span(x[0]).subspan(x[0].size() / 2);
    return db_of_power(2 * energy_of(half) / static_cast<double>(half.size()));
}
// In step with what goes in. key: what the part goes by instead.
Channels through(EffectType kind, std::span<const double> values, Channels x, int rate = kRate,
                 bool key = false) {
    const auto processor = make_processor(kind, rate);
    processor->set(values);
    EXPECT_TRUE(!key || processor->give_key(true));
    const auto late = static_cast<std::ptrdiff_t>(processor->latency());
    for (auto& channel : x) channel.resize(channel.size() + static_cast<std::size_t>(late));
    processor->process({x[0], x[1]});
    for (auto& channel : x) channel.erase(channel.begin(), channel.begin() + late);
    return x;
}
std::vector<double> standard(EffectType kind) {
    return make_part(kind, 1).values;
}

// Giannoulis, Massberg, Reiss (2012), eq. 4, worked by hand for -24 dB, 3:1, a knee of 6 dB: under -27 dB
// nothing; at -24 dB it is down by (3^2 / 12) * 2/3 = 0.5 dB; above -21 dB 3 dB more in give 1 dB more out.
TEST(VoiceChain, CompressorFollowsItsStaticCurve) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    EXPECT_EQ(Compressor::static_db(v, -30), -30);
    EXPECT_NEAR(Compressor::static_db(v, -24), -24.5, 1e-9);
    EXPECT_NEAR(Compressor::static_db(v, -12), -20, 1e-9);
    EXPECT_NEAR(Compressor::static_db(v, -9) - Compressor::static_db(v, -12), 1, 1e-9);
    v[parameter::kKneeDb] = 0;
    EXPECT_NEAR(Compressor::static_db(v, -24 + 1e-9), -24, 1e-6);
    // A level that stands still: square waves have the same peak at every sample.
    v = ParameterBlock<EffectType::Compressor>(standard(EffectType::Compressor));
    for (const double in_db : {-40.0, -26.0, -24.0, -18.0, -6.0}) {
        Channels x(2, std::vector<float>(24000));
        for (std::size_t i = 0; i < x[0].size(); ++i)
            x[0][i] = x[1][i] = static_cast<float>((i / 60 % 2 == 0 ? 1 : -1) * amplitude_of_db(in_db));
        const Channels y = through(EffectType::Compressor, v, x);
        EXPECT_NEAR(20 * std::log10(std::abs(static_cast<double>(y[0].back()))),
                    Compressor::static_db(v, in_db), 0.01)
            << in_db;
    }
}

// A step from -60 to -6 dBFS: after one attack time 1 - 1/e of the reduction is there, after the release time
// 1/e of it is left.
TEST(VoiceChain, CompressorKeepsItsTimes) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    v[parameter::kAttackMs] = 20;
    v[parameter::kReleaseMs] = 100;
    Channels x(2, std::vector<float>(48000));
    for (std::size_t i = 0; i < x[0].size(); ++i)
        x[0][i] = x[1][i] = i < 4800 || i >= 28800 ? 0.001F : static_cast<float>(amplitude_of_db(-6));
    const Channels y = through(EffectType::Compressor, v, x);
    const auto reduction = [&](std::size_t i) {
        return -20 * std::log10(static_cast<double>(y[0][i] / x[0][i]));
    };
    const double full = -6 - Compressor::static_db(v, -6);
    EXPECT_NEAR(reduction(4800 + 960), full * (1 - std::exp(-1)), 0.05);
    EXPECT_NEAR(reduction(28700), full, 0.01);
    constexpr std::size_t kHold = 480;  // the level is that of the last 10 ms
    EXPECT_NEAR(reduction(28800 + kHold + 4800), full * std::exp(-1), 0.05);
}

// A low voice that stands still keeps its shape: of 80 Hz, 12 dB over the start chain's threshold, the
// harmonics have less than 0.3 % of the fundamental (1.9 % when the level followed every wave).
TEST(VoiceChain, CompressorDoesNotBendLowVoices) {
    const auto chain = voice_start_chain();
    const auto compressor = std::ranges::find(chain, EffectType::Compressor, &Insert::kind);
    ASSERT_NE(compressor, chain.end());
    for (const double hz : {60.0, 80.0, 110.0}) {
        const Channels y = through(EffectType::Compressor, compressor->values, tone(hz, -12, 96000));
        const auto at = [&](double f) {  // amplitude over whole seconds
            double re = 0, im = 0;
            for (std::size_t i = 48000; i < 96000; ++i) {
                const double turn = 2 * std::numbers::pi * f * static_cast<double>(i) / 48000;
                re += static_cast<double>(y[0][i]) * std::cos(turn);
                im += static_cast<double>(y[0][i]) * std::sin(turn);
            }
            return std::hypot(re, im);
        };
        double harmonics = 0;
        for (int k = 2; k <= 20; ++k) harmonics += at(k * hz) * at(k * hz);
        EXPECT_LT(std::sqrt(harmonics) / at(hz), 0.003) << hz;
    }
}

TEST(VoiceChain, CompressorListensAboveItsSideChain) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    const double open = peak_dbfs(through(EffectType::Compressor, v, tone(60, -6, 48000)));
    v[parameter::kSideChainHz] = 300;
    const double deaf = peak_dbfs(through(EffectType::Compressor, v, tone(60, -6, 48000)));
    EXPECT_LT(open, -14);
    EXPECT_GT(deaf, -12);
    EXPECT_NEAR(
        peak_dbfs(through(EffectType::Compressor, v, tone(3000, -6, 48000))),
        peak_dbfs(through(EffectType::Compressor, standard(EffectType::Compressor), tone(3000, -6, 48000))),
        0.1);
}

// By RMS a sine is as loud as by its peak (AES17, from memory), and noise as a sine of its power; by its
// peaks even noise has 4.8 dB over its RMS, 1.8 more than a sine.
TEST(VoiceChain, CompressorGoesByRms) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    v[parameter::kRmsMs] = 50;
    v[parameter::kReleaseMs] = 200;
    EXPECT_NEAR(peak_dbfs(through(EffectType::Compressor, v, tone(1000, -10, 96000))),
                Compressor::static_db(v, -10), 0.05);
    Channels noise(2, test::noise(192000, 3));
    const double level_db = peak_dbfs(noise);
    for (auto& channel : noise) {
        for (float& x : channel) x *= static_cast<float>(amplitude_of_db(-10 - level_db));
    }
    EXPECT_NEAR(peak_dbfs(through(EffectType::Compressor, v, noise)), Compressor::static_db(v, -10), 0.4);
    v[parameter::kRmsMs] = 0;  // peaks of noise lie far over its RMS
    EXPECT_LT(peak_dbfs(through(EffectType::Compressor, v, noise)), Compressor::static_db(v, -10) - 0.8);
}

// A tone that begins at once: 10 ms of looking ahead with an attack of 1 ms and nothing comes through too
// loud; without it the first wave does.
TEST(VoiceChain, CompressorLooksAhead) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    v[parameter::kAttackMs] = 1;
    v[parameter::kReleaseMs] = 100;
    Channels x = tone(1000, -6, 48000);
    for (auto& channel : x) std::fill_n(channel.begin(), 24000, 0.0F);
    const auto loudest = [&] {
        const Channels y = through(EffectType::Compressor, v, x);
        float peak = 0;
        for (std::size_t i = 24000; i < 24480; ++i) peak = std::max(peak, std::abs(y[0][i]));
        return db_of_amplitude(static_cast<double>(peak));
    };
    EXPECT_GT(loudest(), Compressor::static_db(v, -6) + 6);
    v[parameter::kLookAheadMs] = 10;
    EXPECT_NEAR(loudest(), Compressor::static_db(v, -6), 0.1);
}

// Loud on the left at -6, soft on the right at -20 dBFS: linked both are turned down alike, unlinked each by
// itself, half linked the right as one at -13 dBFS would be.
TEST(VoiceChain, CompressorLinksItsSides) {
    ParameterBlock<EffectType::Compressor> v(standard(EffectType::Compressor));
    Channels x = tone(1000, -6, 48000);
    x[1] = tone(1000, -20, 48000)[1];
    const auto reductions = [&](double link) {
        v[parameter::kLinkPercent] = link;
        const Channels y = through(EffectType::Compressor, v, x);
        const auto level = [](const std::vector<float>& c) { return peak_dbfs({c, c}); };
        return std::array{level(x[0]) - level(y[0]), level(x[1]) - level(y[1])};
    };
    const auto down = [&](double level) { return level - Compressor::static_db(v, level); };
    for (const auto& [link, right] :
         {std::pair{100.0, -6.0}, std::pair{50.0, -13.0}, std::pair{0.0, -20.0}}) {
        const auto [left_db, right_db] = reductions(link);
        EXPECT_NEAR(left_db, down(-6), 0.05) << link;
        EXPECT_NEAR(right_db, down(right), 0.05) << link;
    }
}

// What it goes by can be heard: the input behind the key's filters, and neither turned down nor made up.
TEST(VoiceChain, KeysCanBeHeard) {
    for (const auto& [kind, parameter] : {std::pair{EffectType::Compressor, parameter::kSideChainHz.index},
                                          std::pair{EffectType::Gate, parameter::kGateKeyLowHz.index}}) {
        auto values = standard(kind);
        values[parameter] = 1000;
        const double kept = Biquad::high_pass(kRate, 1000, std::numbers::sqrt2 / 2).magnitude(kRate, 250);
        EXPECT_NEAR(peak_dbfs(through(kind, values, tone(250, -10, 48000), kRate, true)),
                    -10 + db_of_amplitude(kept), 0.05);
    }
    for (const auto kind : {EffectType::Gain, EffectType::Limiter})
        EXPECT_FALSE(make_processor(kind, kRate)->give_key(true));
}

// Between where it closes (-53 dBFS) and where it opens (-50) a gate stays as it is; without hysteresis it
// flutters there.
TEST(VoiceChain, GateHasHysteresis) {
    ParameterBlock<EffectType::Gate> v(standard(EffectType::Gate));
    v[parameter::kGateHoldMs] = 0;
    v[parameter::kGateRangeDb] = -40;
    v[parameter::kGateRatio] = 20;
    Channels x = tone(1000, -51.5, 144000);
    const auto level_at = [&](std::size_t from) {
        const Channels y = through(EffectType::Gate, v, x);
        return db_of_power(2 * energy_of(std::span(y[0]).subspan(from, 4800)) / 4800);
    };
    EXPECT_LT(level_at(40000), -70);  // never opened
    for (auto& channel : x) {
        for (std::size_t i = 48000; i < 52800; ++i) channel[i] *= static_cast<float>(amplitude_of_db(6));
    }
    EXPECT_NEAR(level_at(130000), -51.5, 0.01);  // was opened
    v[parameter::kGateHysteresisDb] = 0;
    EXPECT_LT(level_at(130000), -70);
}

// A word begins at -20 dBFS: 10 ms of looking ahead, and its first wave passes whole.
TEST(VoiceChain, GateLooksAhead) {
    ParameterBlock<EffectType::Gate> v(standard(EffectType::Gate));
    v[parameter::kGateRangeDb] = -60;
    v[parameter::kGateRatio] = 20;
    v[parameter::kGateAttackMs] = 1;
    Channels x = tone(1000, -20, 48000);
    for (auto& channel : x) std::fill_n(channel.begin(), 24000, 0.0F);
    const auto first_wave_db = [&](double ahead) {
        v[parameter::kGateLookAheadMs] = ahead;
        const Channels y = through(EffectType::Gate, v, x);
        return db_of_power(energy_of(std::span(y[0]).subspan(24000, 48)) /
                           energy_of(std::span(x[0]).subspan(24000, 48)));
    };
    EXPECT_LT(first_wave_db(0), -10);
    EXPECT_GT(first_wave_db(10), -0.1);
}

// Rumble does not open a gate that listens from 150 Hz on, a hiss not one that listens up to 5 kHz.
TEST(VoiceChain, GateHasAKeyFilter) {
    ParameterBlock<EffectType::Gate> v(standard(EffectType::Gate));
    for (const double hz : {30.0, 15000.0}) {
        v[parameter::kGateKeyLowHz] = 20;
        v[parameter::kGateKeyHighHz] = 20000;
        EXPECT_NEAR(peak_dbfs(through(EffectType::Gate, v, tone(hz, -40, 96000))), -40, 0.01) << hz;
        v[parameter::kGateKeyLowHz] = 150;
        v[parameter::kGateKeyHighHz] = 5000;
        EXPECT_LT(peak_dbfs(through(EffectType::Gate, v, tone(hz, -40, 96000))), -45) << hz;
    }
}

TEST(VoiceChain, GateTurnsDownWhatIsSoft) {
    ParameterBlock<EffectType::Gate> v(standard(EffectType::Gate));  // -50 dBFS, 2:1, -12 dB at most
    EXPECT_EQ(Gate::static_db(v, -40), -40);
    EXPECT_NEAR(Gate::static_db(v, -55), -60, 1e-9);
    EXPECT_NEAR(Gate::static_db(v, -80), -92, 1e-9);
    EXPECT_NEAR(peak_dbfs(through(EffectType::Gate, v, tone(1000, -40, 96000))), -40, 0.01);
    EXPECT_NEAR(peak_dbfs(through(EffectType::Gate, v, tone(1000, -55, 96000))), -60, 0.3);
    EXPECT_NEAR(peak_dbfs(through(EffectType::Gate, v, tone(1000, -75, 96000))), -87, 0.1);
    // It stays open for the hold, then closes.
    Channels x = tone(1000, -20, 48000);
    for (auto& channel : x) {
        for (std::size_t i = 12000; i < channel.size(); ++i) channel[i] *= 0.001F;  // -80 dBFS
    }
    const Channels y = through(EffectType::Gate, v, x);
    const std::size_t hold = 12000 + static_cast<std::size_t>(v[parameter::kGateHoldMs] / 1000 * kRate);
    EXPECT_EQ(y[0][hold - 500], x[0][hold - 500]);
    EXPECT_LT(std::abs(y[0][47990]), 0.3F * std::abs(x[0][47990]) + 1e-9F);
}

// The cookbook's responses evaluated analytically (Biquad::magnitude), band by band multiplied, against the
// sound.
TEST(VoiceChain, EqualiserHasTheResponseThatIsDrawn) {
    auto part = make_part(EffectType::Equaliser, 1);
    part[parameter::eq_gain_db(0)] = 4;
    part[parameter::eq_gain_db(1)] = -6;
    part[parameter::eq_q(1)] = 3;
    part[parameter::eq_gain_db(4)] = 5;
    for (const double hz : {60.0, 120.0, 300.0, 450.0, 2000.0, 9000.0}) {
        const double wanted = Biquad::low_shelf(kRate, 120, 4).magnitude(kRate, hz) *
                              Biquad::peaking(kRate, 300, 3, -6).magnitude(kRate, hz) *
                              Biquad::high_shelf(kRate, 8000, 5).magnitude(kRate, hz);
        EXPECT_NEAR(curve_db(part, kRate, hz), 20 * std::log10(wanted), 1e-9);
        EXPECT_NEAR(peak_dbfs(through(EffectType::Equaliser, part.values, tone(hz, -20, 96000))) + 20,
                    20 * std::log10(wanted), 0.02)
            << hz;
    }
    // A bell of -6 dB is -6 dB in its middle, a shelf has its gain far out (the cookbook's definitions).
    EXPECT_NEAR(Equaliser::magnitude(kRate, ParameterBlock<EffectType::Equaliser>(part.values), 300),
                amplitude_of_db(-6) * Biquad::low_shelf(kRate, 120, 4).magnitude(kRate, 300) *
                    Biquad::high_shelf(kRate, 8000, 5).magnitude(kRate, 300),
                1e-9);
    const Channels x = tone(777, -3, 4800);
    EXPECT_EQ(through(EffectType::Equaliser, standard(EffectType::Equaliser), x), x);  // neutral to the bit
}

TEST(VoiceChain, LowPassIsButterworth) {
    const std::vector<double> v = {2000, 24};
    for (const double hz : {200.0, 1000.0, 2000.0, 4000.0}) {
        const double ratio =
            std::tan(std::numbers::pi * hz / kRate) / std::tan(std::numbers::pi * 2000 / kRate);
        const Insert part{1, EffectType::LowPass, true, v};
        EXPECT_NEAR(curve_db(part, kRate, hz), -10 * std::log10(1 + std::pow(ratio, 8)),
                    1e-3);  // Butterworth 1930
        EXPECT_NEAR(peak_dbfs(through(EffectType::LowPass, v, tone(hz, -10, 48000))) + 10,
                    curve_db(part, kRate, hz), 0.02);
    }
}

// A hiss between 6 and 10 kHz over a vowel: turned down by 2 dB and no more, whatever its level; a vowel
// alone passes to the bit; hardly anything happens outside the band.
// SoX has the same second-order sections: highpass, lowpass (Butterworth, 12 dB per octave), equalizer,
// treble.
TEST(VoiceChain, SoxFiltersAlike) {
    const test::Scratch scratch;
    const auto noise = test::noise(kRate, 21);
    test::write_wav(scratch / "in.wav", {noise, noise}, kRate);
    auto bell = make_part(EffectType::Equaliser, 1);
    bell[parameter::eq_hz(1)] = 1200;
    bell[parameter::eq_gain_db(1)] = 6;
    bell[parameter::eq_q(1)] = 1.5;
    struct Case {
        const char* effect;
        EffectType kind;
        std::vector<double> values;
    };
    const std::vector<Case> cases = {{"highpass -2 150 0.70710678q", EffectType::HighPass, {150, 12}},
                                     {"lowpass -2 5000 0.70710678q", EffectType::LowPass, {5000, 12}},
                                     {"equalizer 1200 1.5q 6", EffectType::Equaliser, bell.values}};
    for (const auto& c : cases) {
        const std::string command = "sox -D '" + (scratch / "in.wav").string() +
                                    "' -e floating-point -b 32 '" + (scratch / "out.wav").string() +
                                    "' gain -12 " + c.effect;
        ASSERT_EQ(std::system(command.c_str()), 0) << command;  // NOLINT
        const Channels sox = test::read_wav(scratch / "out.wav");
        Channels quiet = {noise, noise};
        for (auto& channel : quiet) {
            for (float& x : channel) x *= static_cast<float>(amplitude_of_db(-12));
        }
        const Channels own = through(c.kind, c.values, quiet);
        double difference = 0;
        for (std::size_t i = 0; i < noise.size(); ++i) {
            const double d = static_cast<double>(own[0][i]) - static_cast<double>(sox[0][i]);
            difference += d * d;
        }
        EXPECT_LT(db_of_power(difference / energy_of(own[0])), -80) << c.effect;
    }
}

TEST(VoiceChain, EveryPartHasAGraph) {
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto part = make_part(static_cast<EffectType>(k), 1);
        const auto kind = curve_kind(part.kind);
        if (kind == CurveKind::Removed) {
            EXPECT_TRUE(is_repair(part.kind));
            continue;
        }
        const double x = kind == CurveKind::Frequency ? 1000 : kind == CurveKind::Level ? -30 : 0.5;
        EXPECT_TRUE(std::isfinite(curve_db(part, kRate, x))) << info(part.kind).key;
    }
    // A room falls by 60 dB in its decay time.
    auto room = make_part(EffectType::Reverb, 1);
    room[parameter::kRoomDecayS] = 1;
    room[parameter::kRoomDelayMs] = 0;
    EXPECT_NEAR(curve_db(room, kRate, 0) - curve_db(room, kRate, 1), 60, 1e-9);
    EXPECT_NEAR(curve_db(make_part(EffectType::Gain, 1), kRate, -30), -30, 1e-9);
}

TEST(VoiceChain, DeEsserTouchesOnlySibilance) {
    const ParameterBlock<EffectType::DeEsser> v(standard(EffectType::DeEsser));
    Channels vowel = tone(180, -14, 48000);
    for (const double hz : {360.0, 720.0, 1100.0, 2400.0}) {
        const Channels more = tone(hz, -22, 48000);
        for (std::size_t c = 0; c < 2; ++c) {
            for (std::size_t i = 0; i < 48000; ++i) vowel[c][i] += more[c][i];
        }
    }
    EXPECT_EQ(through(EffectType::DeEsser, v, vowel), vowel);
    for (const double level : {-12.0, -40.0}) {
        const Channels hiss = tone(7700, level, 48000);
        EXPECT_NEAR(peak_dbfs(through(EffectType::DeEsser, v, hiss)) - level, -2, 0.1);
    }
    Insert part = make_part(EffectType::DeEsser, 1);
    EXPECT_NEAR(curve_db(part, kRate, std::sqrt(6000.0 * 10000.0)), -2, 0.01);
    EXPECT_GT(curve_db(part, kRate, 2000), -0.2);
}

// A talker whose s lies at 5 kHz, in a band from 4 to 12 kHz whose middle is 6.9 kHz: following, the bell
// sits on the s, and air at 11 kHz keeps more than it does without.
TEST(VoiceChain, DeEsserFollowsTheTalker) {
    ParameterBlock<EffectType::DeEsser> v(standard(EffectType::DeEsser));
    v[parameter::kEssLowHz] = 4000;
    v[parameter::kEssHighHz] = 12000;
    v[parameter::kEssMaxReductionDb] = 8;
    v[parameter::kEssThresholdDb] = -15;
    Channels s = tone(5000, -20, 144000);
    const Channels air = tone(11000, -50, 144000);
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < s[c].size(); ++i) s[c][i] += air[c][i];
    }
    const auto level_of = [](const Channels& y, double hz) {
        double re = 0, im = 0;
        for (std::size_t i = 96000; i < 144000; ++i) {
            const double turn = 2 * std::numbers::pi * hz * static_cast<double>(i) / kRate;
            re += static_cast<double>(y[0][i]) * std::cos(turn);
            im += static_cast<double>(y[0][i]) * std::sin(turn);
        }
        return db_of_amplitude(std::hypot(re, im) / 24000);
    };
    const Channels fixed = through(EffectType::DeEsser, v, s);
    v[parameter::kEssFollowPercent] = 100;
    const Channels followed = through(EffectType::DeEsser, v, s);
    EXPECT_LT(level_of(followed, 5000), level_of(fixed, 5000) - 2);
    EXPECT_NEAR(level_of(followed, 5000), -28, 0.5);
    EXPECT_GT(level_of(followed, 11000), -51);
    EXPECT_LT(level_of(fixed, 11000), -51);
}

// Decay by Schroeder's backward integration (J. Acoust. Soc. Am. 37, 1965), from -5 to -35 dB (ISO 3382).
TEST(VoiceChain, ReverbDecaysAsSet) {
    for (const double decay_s : {0.3, 0.8}) {
        ParameterBlock<EffectType::Reverb> v(standard(EffectType::Reverb));
        v[parameter::kRoomLevelDb] = 0;
        v[parameter::kRoomDecayS] = decay_s;
        v[parameter::kRoomDelayMs] = 10;
        v[parameter::kRoomDampHz] = 16000;
        Channels x(2, std::vector<float>(static_cast<std::size_t>(2 * decay_s * kRate)));
        x[0][0] = x[1][0] = 1;
        Channels y = through(EffectType::Reverb, v, x);
        EXPECT_EQ(y[0][0], 1.0F);  // the voice itself
        for (std::size_t i = 1; i < 1000; ++i) ASSERT_EQ(y[0][i], 0.0F);
        y[0][0] = 0;
        std::vector<double> left(y[0].size() + 1);
        for (std::size_t i = y[0].size(); i-- > 0;)
            left[i] = left[i + 1] + static_cast<double>(y[0][i]) * static_cast<double>(y[0][i]);
        double at5 = 0;
        double at35 = 0;
        for (std::size_t i = 0; i < y[0].size(); ++i) {
            const double db = db_of_power(left[i] / left[0]);
            if (at5 == 0 && db < -5) at5 = static_cast<double>(i);
            if (at35 == 0 && db < -35) at35 = static_cast<double>(i);
        }
        EXPECT_NEAR((at35 - at5) * 2 / kRate, decay_s, 0.15 * decay_s);
        v[parameter::kRoomLevelDb] = -60;
        EXPECT_EQ(through(EffectType::Reverb, v, x), x);
    }
}

// Whatever the part, its output does not depend on how the sound is cut into blocks, and it stays finite.
TEST(VoiceChain, NoPartDependsOnBlocks) {
    for (std::size_t k = 0; k < kEffectTypes; ++k) {
        const auto kind = static_cast<EffectType>(k);
        const auto noise = test::noise(20000, 7);
        Channels whole = {noise, noise};
        for (float& x : whole[1]) x *= -8.0F;
        Channels pieces = whole;
        const auto a = make_processor(kind, kRate);
        const auto b = make_processor(kind, kRate);
        auto values = standard(kind);
        for (std::size_t p = 0; p < values.size(); ++p) {
            const auto& about = info(kind).parameters[p];
            values[p] = 0.7 * values[p] + 0.3 * about.highest;
        }
        a->set(values);
        b->set(values);
        a->process({whole[0], whole[1]});
        for (std::size_t at = 0, n = 1; at < 20000; at += n, n = n * 2 % 999 + 1) {
            n = std::min<std::size_t>(n, 20000 - at);
            b->process({std::span(pieces[0]).subspan(at, n), std::span(pieces[1]).subspan(at, n)});
        }
        EXPECT_EQ(whole, pieces) << info(kind).key;
        for (const float x : whole[0]) ASSERT_TRUE(std::isfinite(x)) << info(kind).key;
        a->reset();  // and it forgets
        b->reset();
        Channels again = {noise, noise};
        Channels fresh = again;
        a->process({again[0], again[1]});
        const auto c = make_processor(kind, kRate);
        c->set(values);
        c->process({fresh[0], fresh[1]});
        EXPECT_EQ(again, fresh) << info(kind).key;
    }
}

// "A voice through the start chain peaks between -10 and -3 dB, and the ceiling of -0.5 dB is never passed,
// also between samples": common practice, no source. The voice is the demo's own, near -23 LUFS as it is
// recorded.
TEST(VoiceChain, TheStartChainDoesWhatIsUsual) {
    const test::Scratch scratch;
    auto voice =
        Source::bring_in(std::filesystem::path(RIVLEN_ROOT) / "demo/parts/dialogue.flac", scratch.folder());
    ASSERT_TRUE(voice.ok());
    const auto report = process_file(*voice, voice_start_chain(), scratch / "out.wav", SoundFormat::WavFloat);
    ASSERT_TRUE(report.ok());
    EXPECT_LE(report->after.true_peak_dbtp, -0.5);
    EXPECT_GE(report->after.sample_peak_dbfs, -10);
    EXPECT_LE(report->after.sample_peak_dbfs, -3);
    const Channels out = test::read_wav(scratch / "out.wav");
    EXPECT_EQ(out[0].size(), voice->frames());  // as long, and in step
    // A hot signal in front of it: the ceiling holds.
    auto loud = voice_start_chain();
    loud[2][parameter::kMakeUpDb] = 24;
    const auto hot = process_file(*voice, loud, scratch / "hot.wav", SoundFormat::WavFloat);
    ASSERT_TRUE(hot.ok());
    EXPECT_LE(hot->after.true_peak_dbtp, -0.5);
    EXPECT_FALSE(process_file(*voice, loud, std::filesystem::path(RIVLEN_ROOT) / "demo/parts/dialogue.flac",
                              SoundFormat::Flac24)
                     .ok());
}

TEST(VoiceChain, TheOriginalIsHeardAsLoud) {
    std::vector<Insert> parts = {make_part(EffectType::Gain, 1)};
    parts[0].values[0] = -12;
    Chain chain(parts, kRate);
    Channels x = tone(500, -10, 96000);
    chain.hear(0, Chain::Audition::Original);
    chain.process({x[0], x[1]});
    EXPECT_NEAR(peak_dbfs(x), -22, 0.1);  // the original, at the level of what the part makes
}

TEST(VoiceChain, ChainsAreKeptAsFiles) {
    const test::Scratch scratch;
    ChainPreset preset{"Voice", "for the interview", voice_start_chain()};
    preset.parts[1].on = false;
    ASSERT_TRUE(save_chain_preset(preset, scratch / "v.rivlen-chain").ok());
    const auto read = load_chain_preset(scratch / "v.rivlen-chain");
    ASSERT_TRUE(read.ok());
    EXPECT_EQ(*read, preset);
    EXPECT_FALSE(load_chain_preset(scratch / "no.rivlen-chain").ok());
}

// Two talkers 14 dB apart: after levelling they are within 2 dB; the gain is held where nobody speaks.
TEST(VoiceChain, LevellingBringsTalkersTogether) {
    constexpr std::int64_t kStep = 256;
    std::vector<float> levels(6000, -90.0F);
    for (std::size_t k = 500; k < 2000; ++k) levels[k] = k % 40 < 30 ? -18.0F : -60.0F;
    for (std::size_t k = 3500; k < 5500; ++k) levels[k] = k % 40 < 30 ? -32.0F : -60.0F;
    LevelSettings s;
    const auto points = levelling_line(levels, kStep, kRate, s);
    ASSERT_FALSE(points.empty());
    EXPECT_LT(points.size(), 60U);
    const auto at = [&](std::int64_t k) { return lane_value(points, k * kStep); };
    EXPECT_NEAR(-18 + at(1200), s.target_dbfs, 0.5);
    EXPECT_NEAR(-32 + at(4700), s.target_dbfs, 0.5);
    EXPECT_NEAR(at(100), at(600), 0.5);
    for (std::int64_t k = 0; k < 6000; ++k) ASSERT_LE(std::abs(at(k)), s.range_db + 0.3);
    EXPECT_TRUE(levelling_line(std::vector<float>(100, -200.0F), kStep, kRate, s).empty());
}

}  // namespace
}  // namespace rivlen
