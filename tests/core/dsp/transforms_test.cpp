// SPDX-License-Identifier: GPL-3.0-or-later
// Transforms, resampling, true peak and linear prediction against definitions and known signals.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/linear_prediction.h"
#include "core/dsp/real_fft.h"
#include "core/dsp/resample.h"
#include "core/dsp/stft.h"
#include "core/dsp/true_peak.h"
#include "tests/support/fixtures.h"

namespace rivlen {
namespace {

std::vector<float> sine_at(double hz, double rate, std::size_t count, double amplitude = 0.5,
                           double phase = 0) {
    std::vector<float> x(count);
    for (std::size_t i = 0; i < count; ++i)
        x[i] = static_cast<float>(
            amplitude * std::sin(2 * std::numbers::pi * hz * static_cast<double>(i) / rate + phase));
    return x;
}

// X[k] = sum of x[n] exp(-2 pi i k n / N), by the definition.
TEST(RealFft, IsTheDefinition) {
    constexpr std::size_t kSize = 48;  // no power of two
    RealFft fft(kSize);
    const auto x = test::noise(kSize - 5, 9);  // the rest is zeros
    fft.forward(x);
    ASSERT_EQ(fft.bins().size(), kSize / 2 + 1);
    for (std::size_t k = 0; k < fft.bins().size(); ++k) {
        std::complex<double> sum;
        for (std::size_t n = 0; n < x.size(); ++n)
            sum += static_cast<double>(x[n]) *
                   std::polar(1.0, -2 * std::numbers::pi * static_cast<double>(k * n) / kSize);
        EXPECT_NEAR(std::abs(std::complex<double>(fft.bins()[k]) - sum), 0, 1e-5) << k;
    }
    fft.inverse();
    for (std::size_t n = 0; n < x.size(); ++n) EXPECT_NEAR(fft.time()[n] / kSize, x[n], 1e-6);
}

// What is taken apart and put together again is what it was, at any length and to the ends.
TEST(Stft, ReconstructsAnySignal) {
    Stft stft(256);
    for (const std::size_t count : {1U, 63U, 256U, 1000U, 4097U}) {
        const auto x = test::noise(count, static_cast<unsigned>(count));
        const auto spectra = analyse(stft, x);
        EXPECT_EQ(spectra.size(),
                  Stft::frame_count(count, stft.hop()) * static_cast<std::size_t>(stft.bins()));
        const auto back = synthesise(stft, spectra, count);
        ASSERT_EQ(back.size(), count);
        for (std::size_t i = 0; i < count; ++i) ASSERT_NEAR(back[i], x[i], 2e-6) << count << ' ' << i;
    }
}

TEST(Stft, PutsAToneInItsBin) {
    Stft stft(1024);
    const auto x = sine_at(48000.0 * 37 / 1024, 48000, 8192);
    const auto spectra = analyse(stft, x);
    const auto bins = static_cast<std::size_t>(stft.bins());
    const Complex* frame = spectra.data() + 16 * bins;
    const auto loudest = std::max_element(
        frame, frame + bins, [](const Complex& a, const Complex& b) { return std::norm(a) < std::norm(b); });
    EXPECT_EQ(loudest - frame, 37);
    // A root Hann window's side lobes fall slowly, but ten bins away nothing is left to speak of.
    EXPECT_LT(std::abs(frame[57]), 2e-3F * std::abs(frame[37]));
}

TEST(Stft, PaddingIsSilence) {
    const std::vector<float> x = {1, 2, 3};
    std::vector<float> out(7);
    copy_padded(x, -2, out);
    EXPECT_EQ(out, (std::vector<float>{0, 0, 1, 2, 3, 0, 0}));
    copy_padded(x, 2, std::span(out).first(3));
    EXPECT_EQ(out[0], 3);
    EXPECT_EQ(out[1], 0);
    copy_padded(x, 100, out);
    EXPECT_EQ(out, std::vector<float>(7));
}

// What lies below 0.9 of the lower half rate passes within 0.1 dB and in time; what lies above it is gone.
TEST(Resampling, KeepsWhatFitsAndRemovesTheRest) {
    struct Pair {
        double from, to;
    };
    for (const auto& [from, to] : {Pair{44100, 48000}, Pair{48000, 44100}, Pair{96000, 48000},
                                   Pair{48000, 192000}, Pair{32000, 48000}, Pair{48000, 48048}}) {
        const double top = 0.45 * std::min(from, to);
        for (const double hz : {50.0, 997.0, top}) {
            const auto x = sine_at(hz, from, static_cast<std::size_t>(2 * from));
            const auto y = resample(x, from, to);
            ASSERT_EQ(y.size(), static_cast<std::size_t>(std::llround(2 * to)));
            const auto wanted = sine_at(hz, to, y.size());
            double apart = 0, power = 0;
            for (auto i = static_cast<std::size_t>(0.2 * to); i < static_cast<std::size_t>(1.8 * to); ++i) {
                apart += std::pow(static_cast<double>(y[i] - wanted[i]), 2);
                power += std::pow(static_cast<double>(wanted[i]), 2);
            }
            const double most_db = hz < top ? -80 : -38;  // 0.1 dB
            EXPECT_LT(db_of_power(apart / power), most_db) << from << " to " << to << ": " << hz << " Hz";
        }
    }
    // 20 kHz does not fit at 32 kHz: aliased it would sound at 12.
    const auto gone = resample(sine_at(20000, 48000, 96000), 48000, 32000);
    EXPECT_LT(db_of_power(energy_of(std::span(gone).subspan(6400, 51200)) / 51200), -100);
}

TEST(Resampling, PiecesAreTheWhole) {
    const auto x = test::noise(30000, 12);
    const auto whole = resample(x, 44100, 48000);
    auto resampler = Resampler::create(44100, 48000);
    ASSERT_TRUE(resampler);
    std::vector<float> out;
    for (std::size_t at = 0; at < x.size(); at += 777)
        resampler->process(std::span(x).subspan(at, std::min<std::size_t>(777, x.size() - at)), false, out);
    resampler->process({}, true, out);
    ASSERT_NEAR(static_cast<double>(out.size()), static_cast<double>(whole.size()), 2);
    for (std::size_t i = 0; i < std::min(out.size(), whole.size()); ++i) ASSERT_NEAR(out[i], whole[i], 1e-5);
}

// A tone of a quarter of the rate at 45 degrees: its samples reach 0.707 of its peak (ITU-R BS.1770-4, Annex
// 2, has this as the worst case).
TEST(TruePeak, LiesBetweenTheSamples) {
    const auto x = sine_at(12000, 48000, 4800, 0.5, std::numbers::pi / 4);
    float sample_peak = 0;
    for (const float v : x) sample_peak = std::max(sample_peak, std::abs(v));
    EXPECT_NEAR(sample_peak, 0.5 / std::numbers::sqrt2, 1e-4);
    TruePeakMeter meter;
    // The tone begins and ends with a step, so that its middle alone is looked at: faded in and out.
    std::vector<float> faded = x;
    for (std::size_t i = 0; i < 480; ++i) {
        const auto part = static_cast<float>(i) / 480.0F;
        faded[i] *= part;
        faded[faded.size() - 1 - i] *= part;
    }
    meter.add(faded);
    EXPECT_NEAR(db_of_amplitude(static_cast<double>(meter.finish())), -6.02, 0.1);
}

TEST(TruePeak, DoesNotDependOnThePieces) {
    const auto x = test::noise(9001, 21);
    TruePeakMeter at_once;
    at_once.add(x);
    const float whole = at_once.finish();
    for (const std::size_t piece : {1U, 7U, 33U, 4096U}) {
        TruePeakMeter meter;
        for (std::size_t at = 0; at < x.size(); at += piece)
            meter.add(std::span(x).subspan(at, std::min(piece, x.size() - at)));
        EXPECT_EQ(meter.finish(), whole) << piece;
    }
    float sample_peak = 0;
    for (const float v : x) sample_peak = std::max(sample_peak, std::abs(v));
    EXPECT_GE(whole, sample_peak);
    EXPECT_LE(whole, sample_peak * PeakInterpolator().rise());
}

// An autoregressive process of known coefficients (the autocorrelation method is within a few per cent of
// them on a long stretch).
TEST(LinearPrediction, FindsAProcessAndWhitensIt) {
    auto x = test::noise(16384, 30);
    for (std::size_t n = 2; n < x.size(); ++n) x[n] += 1.2F * x[n - 1] - 0.8F * x[n - 2];
    LinearPredictor predictor(2, x.size());
    ASSERT_TRUE(predictor.fit(x));
    EXPECT_NEAR(predictor.coefficients()[1], -1.2, 0.03);
    EXPECT_NEAR(predictor.coefficients()[2], 0.8, 0.03);
    std::vector<float> error(x.size());
    predictor.residual(x, error);
    double neighbours = 0;
    for (std::size_t n = 3; n < error.size(); ++n)
        neighbours += static_cast<double>(error[n]) * static_cast<double>(error[n - 1]);
    EXPECT_NEAR(neighbours / energy_of(error), 0, 0.03);
    LinearPredictor none(8, 512);
    EXPECT_FALSE(none.fit(std::vector<float>(512)));
}

// Janssen, Veldhuis and Vries 1986: a tone over soft noise, 20 samples of which are lost, comes back.
TEST(LinearPrediction, BringsLostSamplesBack) {
    auto x = sine_at(1000, 48000, 2048, 0.3);
    const auto soft = test::noise(x.size(), 5);
    for (std::size_t i = 0; i < x.size(); ++i) x[i] += 2e-2F * soft[i];
    auto damaged = x;
    std::vector<std::size_t> missing;
    for (std::size_t i = 1000; i < 1020; ++i) {
        missing.push_back(i);
        damaged[i] = 0;
    }
    LinearPredictor predictor(32, x.size());
    ASSERT_TRUE(predictor.fit(x));
    ArInterpolator interpolator(32, 64);
    ASSERT_TRUE(interpolator.fill(predictor.coefficients(), missing, damaged));
    for (const std::size_t i : missing) EXPECT_NEAR(damaged[i], x[i], 0.1) << i;
    for (std::size_t i = 0; i < x.size(); ++i) {
        if (i >= 1000 && i < 1020) continue;
        ASSERT_EQ(damaged[i], x[i]);
    }
    std::vector<std::size_t> too_many(65);
    for (std::size_t i = 0; i < too_many.size(); ++i) too_many[i] = 200 + i;
    EXPECT_FALSE(interpolator.fill(predictor.coefficients(), too_many, damaged));
}

}  // namespace
}  // namespace rivlen
