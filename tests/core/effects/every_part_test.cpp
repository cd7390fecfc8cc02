// SPDX-License-Identifier: GPL-3.0-or-later
// What holds for every part of a chain, whatever it does.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <numbers>
#include <random>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/effects/processor.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

using test::Channels;

class EveryPart : public testing::TestWithParam<std::size_t> {
  protected:
    [[nodiscard]] EffectType kind() const { return static_cast<EffectType>(GetParam()); }
    [[nodiscard]] std::span<const ParameterInfo> parameters() const { return info(kind()).parameters; }
};

void process_in_blocks(Processor& processor, Channels& x, std::size_t from, std::size_t to,
                       std::size_t block) {
    for (std::size_t at = from; at < to; at += block) {
        const std::size_t count = std::min(block, to - at);
        processor.process({std::span(x[0]).subspan(at, count), std::span(x[1]).subspan(at, count)});
    }
}

// Sounds that break arithmetic: nothing, steps, full scale, numbers too small or too large, and none at all.
std::vector<Channels> hostile_sounds() {
    constexpr std::size_t kFrames = 6000;
    const auto filled = [](float value) { return Channels(2, std::vector<float>(kFrames, value)); };
    std::vector<Channels> sounds = {filled(0.0F), filled(1.0F), filled(1e-39F), filled(1e10F), filled(3e38F)};
    std::mt19937 random(7);
    std::uniform_real_distribution<float> uniform(-1.0F, 1.0F);
    Channels noise = filled(0.0F);
    for (auto& channel : noise) std::ranges::generate(channel, [&] { return uniform(random); });
    sounds.push_back(noise);
    Channels impulses = filled(0.0F);
    for (std::size_t i = 0; i < kFrames; i += 997)
        impulses[0][i] = impulses[1][i] = i % 2 == 0 ? 1.0F : -1e20F;
    sounds.push_back(impulses);
    Channels broken = noise;
    broken[0][100] = std::numeric_limits<float>::quiet_NaN();
    broken[1][200] = std::numeric_limits<float>::infinity();
    sounds.push_back(broken);
    return sounds;
}

TEST_P(EveryPart, FiniteComesOutWhateverGoesIn) {
    for (const int rate : {8000, 44100, 192000}) {
        std::vector<std::vector<double>> settings(4);
        for (const auto& p : parameters()) {
            settings[0].push_back(p.lowest);
            settings[1].push_back(p.highest);
            settings[2].push_back(p.lowest - 1000);
            settings[3].push_back(p.highest * 1000 + 1e6);
        }
        settings.emplace_back(parameters().size(), std::numeric_limits<double>::quiet_NaN());
        settings.emplace_back();  // none at all
        for (const auto& values : settings) {
            const auto processor = make_processor(kind(), rate);
            processor->set(values);
            for (Channels x : hostile_sounds()) {
                process_in_blocks(*processor, x, 0, x[0].size(), 512);
                for (const auto& channel : x)
                    ASSERT_TRUE(std::ranges::all_of(channel, [](float v) { return std::isfinite(v); }))
                        << info(kind()).key << " at " << rate << " Hz";
                ASSERT_TRUE(std::isfinite(processor->reduction_db()));
            }
        }
    }
}

// After sounds that break arithmetic a part works as if new, once it has forgotten them.
TEST_P(EveryPart, RecoversFromWhatIsNoSound) {
    constexpr int kRate = 48000;
    const auto hurt = make_processor(kind(), kRate);
    const auto fresh = make_processor(kind(), kRate);
    std::vector<double> standard;
    for (const auto& p : parameters()) standard.push_back(p.standard);
    hurt->set(standard);
    fresh->set(standard);
    for (Channels x : hostile_sounds()) process_in_blocks(*hurt, x, 0, x[0].size(), 512);
    hurt->reset();
    Channels a = {test::noise(9600, 1), test::noise(9600, 2)};
    Channels b = a;
    process_in_blocks(*hurt, a, 0, a[0].size(), 512);
    process_in_blocks(*fresh, b, 0, b[0].size(), 512);
    EXPECT_EQ(a, b) << info(kind()).key;
}

// The loudest 5 ms beyond `edge_hz` (above it, or below it) around a move, against the sound's level in dB. A
// jump of a tenth of a 220 Hz tone's level gives about -35 dB above 6 kHz.
double splash_db(const std::vector<float>& x, std::size_t at, int rate, double edge_hz, bool above) {
    const auto tenth = static_cast<std::size_t>(rate) / 10;
    std::vector<float> beyond(x.begin() + static_cast<std::ptrdiff_t>(at - tenth),
                              x.begin() + static_cast<std::ptrdiff_t>(at + 3 * tenth));
    for (int i = 0; i < 2; ++i) {
        BiquadFilter(above ? Biquad::high_pass(rate, edge_hz, 0.7071)
                           : Biquad::low_pass(rate, edge_hz, 0.7071))
            .process(beyond);
    }
    const double level = std::max(energy_of(std::span(x).subspan(at - tenth, tenth)),
                                  energy_of(std::span(x).subspan(at + 2 * tenth, tenth))) /
                         static_cast<double>(tenth);
    double loudest = 0.0;
    const auto window = static_cast<std::size_t>(rate) / 200;
    // Not the first part, where the filter itself settles.
    for (std::size_t i = tenth / 2; i + window < beyond.size(); i += window)
        loudest =
            std::max(loudest, energy_of(std::span(beyond).subspan(i, window)) / static_cast<double>(window));
    return db_of_power(loudest / std::max(level, 1e-8));
}

// Every value is moved through its whole range under a steady tone, upwards and downwards, as a ready value
// or a quick hand does it.
TEST_P(EveryPart, NoMoveOfAValueClicks) {
    constexpr int kRate = 48000;
    constexpr std::size_t kMove = kRate;
    struct Tone {
        double hz, edge_hz;
        bool above;
    };
    for (std::size_t p = 0; p < parameters().size(); ++p) {
        for (const auto& [from, to] : {std::pair{0.0, 1.0}, std::pair{1.0, 0.0}, std::pair{0.45, 0.55}}) {
            for (const Tone& tone : {Tone{220, 6000, true}, Tone{5000, 500, false}}) {
                const auto processor = make_processor(kind(), kRate);
                std::vector<double> values;
                for (const auto& q : parameters()) values.push_back(q.standard);
                const double span = parameters()[p].highest - parameters()[p].lowest;
                // A level of clipping under that of the tone is no setting for it: the whole tone counts as
                // clipped.
                if (kind() == EffectType::Clipping && p == parameter::kClipLevelDb.index) continue;
                values[p] = parameters()[p].lowest + from * span;
                processor->set(values);
                Channels x(2, std::vector<float>(4 * kRate));
                for (std::size_t i = 0; i < x[0].size(); ++i)
                    x[0][i] = x[1][i] = static_cast<float>(
                        0.1 * std::sin(2 * std::numbers::pi * tone.hz * static_cast<double>(i) / kRate));
                process_in_blocks(*processor, x, 0, kMove, 256);
                values[p] = parameters()[p].lowest + to * span;
                processor->set(values);
                process_in_blocks(*processor, x, kMove, x[0].size(), 256);
                const auto late = static_cast<std::size_t>(processor->latency());
                EXPECT_LT(splash_db(x[0], kMove + late, kRate, tone.edge_hz, tone.above), -50.0)
                    << info(kind()).key << " " << parameters()[p].key << " from " << from << " to " << to
                    << " at " << tone.hz;
            }
        }
    }
}

INSTANTIATE_TEST_SUITE_P(Parts, EveryPart, testing::Range(std::size_t{0}, kEffectTypes),
                         [](const testing::TestParamInfo<std::size_t>& test) {
                             std::string name = rivlen::info(static_cast<EffectType>(test.param)).key;
                             std::erase_if(name, [](char c) {
                                 return std::isalnum(static_cast<unsigned char>(c)) == 0;
                             });
                             return name;
                         });

}  // namespace
}  // namespace rivlen
