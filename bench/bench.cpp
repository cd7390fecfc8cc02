// SPDX-License-Identifier: GPL-3.0-or-later
// Speed as multiples of real time ("x_real_time"). RIVLEN_ENGINE and RIVLEN_MODEL choose engine and model;
// run from the build tree both are found.
#include <benchmark/benchmark.h>
#include <numbers>

#include <chrono>
#include <cmath>
#include <random>

#include "core/assessment/overview.h"
#include "core/assessment/risk_line.h"
#include "core/assessment/tradeoff.h"
#include "core/delivery/deliver.h"
#include "core/dsp/resample.h"
#include "core/effects/processor.h"
#include "core/metering/loudness.h"
#include "core/project/editing.h"
#include "core/separation/corrections.h"
#include "core/separation/shaper.h"
#include "core/separation/split.h"
#include "tests/support/fixtures.h"
#include "tests/support/tones.h"

namespace {

using namespace rivlen;

void real_time(benchmark::State& state, double seconds) {
    state.counters["x_real_time"] =
        benchmark::Counter(seconds * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
}

// The whole split of a stereo recording, with one worker and with two.
void split_stereo(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 174.0);
    const auto separator = load_separator();
    if (!separator) return state.SkipWithError(separator.error().message.c_str());
    for (auto _ : state) {
        SplitOptions options;
        options.workers = static_cast<int>(state.range(0));
        auto report = split(source, **separator, scratch / "x.map", options, {});
        if (!report) return state.SkipWithError(report.error().message.c_str());
    }
    real_time(state, source.seconds());
}
BENCHMARK(split_stereo)
    ->ArgNames({"workers"})
    ->Arg(1)
    ->Arg(2)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond)
    ->Iterations(2);

// Opening the engine library and the model.
void load_engine(benchmark::State& state) {
    for (auto _ : state) {
        const auto separator = load_separator();
        if (!separator) return state.SkipWithError(separator.error().message.c_str());
    }
}
BENCHMARK(load_engine)->Unit(benchmark::kMillisecond)->Iterations(3);

// Everything that costs time, switched on.
StemSettings elaborate_settings() {
    StemSettings s;
    for (std::size_t i = 0; i < kSettings; ++i) s.on[i] = true;
    s.set(Setting::Isolation, 80);
    s.weighting = {{100, -50, true}, {1000, 0, true}, {8000, 50, true}};
    return s;
}

// All four stems of a stereo recording together, on one core; neutral settings, then elaborate ones.
void shape_four_stems(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 20.0);
    const auto map = test::random_map(scratch, source);
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s)
        weight_sets[s] = stem_weights(state.range(0) == 0 ? StemSettings{} : elaborate_settings(), s);
    for (auto _ : state) {
        benchmark::DoNotOptimize(render(source, map, weight_sets, 0,
                                        static_cast<std::int64_t>(source.frames()), {},
                                        [](std::int64_t, auto) { return Status{}; })
                                     .ok());
    }
    real_time(state, source.seconds());
}
BENCHMARK(shape_four_stems)->ArgName("elaborate")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);

// Boxes, outlines and strokes spread over so many seconds, some with all their partials.
std::vector<Correction> many_corrections(std::int64_t count, double seconds) {
    std::mt19937 random(3);
    const auto up_to = [&](double most) { return static_cast<double>(random() % 10000) / 10000 * most; };
    std::vector<Correction> corrections;
    for (std::int64_t i = 0; i < count; ++i) {
        Correction c;
        c.act = static_cast<CorrectionAct>(random() % 3);
        c.to = static_cast<Stem>(random() % kStems);
        c.region.shape = static_cast<RegionShape>(random() % 3);
        const double at = up_to(seconds - 1), hz = 100 * std::exp2(up_to(6));
        for (int p = 0; p < 12; ++p) c.region.points.push_back({at + up_to(0.4), hz * std::exp2(up_to(1))});
        c.region.harmonics = random() % 8 == 0;
        corrections.push_back(std::move(c));
    }
    return corrections;
}

// The same with corrections spread over five minutes (of an hour with as many there are twelve times fewer at
// a time).
void shape_with_corrections(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 300.0);
    const auto plain = test::random_map(scratch, source);
    const auto map = corrected(plain, many_corrections(state.range(0), source.seconds()), source);
    if (!map) return state.SkipWithError("cannot prepare the corrections");
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets[s] = stem_weights(StemSettings{}, s);
    for (auto _ : state) {
        benchmark::DoNotOptimize(render(source, *map, weight_sets, 0,
                                        static_cast<std::int64_t>(source.frames()), {},
                                        [](std::int64_t, auto) { return Status{}; })
                                     .ok());
    }
    real_time(state, source.seconds());
}
BENCHMARK(shape_with_corrections)
    ->ArgName("corrections")
    ->Arg(0)
    ->Arg(10)
    ->Arg(1000)
    ->Unit(benchmark::kMillisecond);

// One more stroke beside so many corrections of five minutes, until the first block with it is shaped where
// the playhead is. What the player had ready is dropped then, so this is how late a stroke is heard, but for
// the device's own buffer.
void a_stroke_is_heard(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 300.0);
    const auto plain = test::random_map(scratch, source);
    auto corrections = many_corrections(state.range(0), source.seconds());
    normalise(corrections);
    const auto before = PreparedCorrections::prepare(corrections, source, plain);
    if (!before) return state.SkipWithError("cannot prepare the corrections");
    Correction stroke;
    stroke.act = state.range(1) != 0 ? CorrectionAct::Fill : CorrectionAct::Give;
    stroke.region.points = {{150.0, 100}, {150.2, 8000}};
    corrections.push_back(stroke);
    normalise(corrections);
    const std::array<MaskWeights, 1> weight_sets = {kept_weights(ShapeSettings{})};
    const auto weights_at = [&](std::int64_t) { return std::span<const MaskWeights>(weight_sets); };
    for (auto _ : state) {
        auto prepared = PreparedCorrections::prepare(corrections, source, plain, {}, before->get());
        if (!prepared) return state.SkipWithError("cannot prepare the stroke");
        const MaskMap map = plain.corrected(std::move(*prepared));
        Shaper shaper(source, map, 1);
        AudioBlock block(48000, 2, static_cast<std::size_t>(shaper.hop()));
        const std::array<std::span<float>, 2> channels = {block[0], block[1]};
        const std::array<std::span<const std::span<float>>, 1> outputs = {channels};
        shaper.seek(std::int64_t{150} * 48000);
        shaper.next(std::cref(weights_at), outputs);
        benchmark::DoNotOptimize(block[0][0]);
    }
}
BENCHMARK(a_stroke_is_heard)
    ->ArgNames({"corrections", "fill"})
    ->Args({0, 0})
    ->Args({1000, 0})
    ->Args({1000, 1})
    ->Unit(benchmark::kMillisecond);

// An hour with corrections in the window: making them ready (one in fifty is a fill), drawing all of it, and
// drawing the ten seconds that scrolling brings.
void hour_with_corrections(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 16000, 1, 3600.0);
    const auto plain = test::even_map(scratch, source, {0.4F, 0.1F, 0.2F, 0.3F});
    auto corrections = many_corrections(state.range(0), source.seconds());
    for (std::size_t i = 0; i < corrections.size(); i += 50) corrections[i].act = CorrectionAct::Fill;
    using Clock = std::chrono::steady_clock;
    const auto milliseconds = [](Clock::time_point since) {
        return std::chrono::duration<double, std::milli>(Clock::now() - since).count();
    };
    constexpr std::size_t kColumns = 1200;
    double prepare = 0, whole = 0, scroll = 0;
    const auto frames = static_cast<std::int64_t>(source.frames());
    for (auto _ : state) {
        auto start = Clock::now();
        const auto map = corrected(plain, corrections, source);
        if (!map) return state.SkipWithError("cannot prepare the corrections");
        prepare += milliseconds(start);
        start = Clock::now();
        benchmark::DoNotOptimize(make_overview(source, &*map, 0, frames / kColumns, kColumns));
        whole += milliseconds(start);
        start = Clock::now();
        benchmark::DoNotOptimize(make_overview(source, &*map, frames / 2, 160000 / kColumns, kColumns));
        scroll += milliseconds(start);
    }
    const auto runs = static_cast<double>(state.iterations());
    state.counters["prepare_ms"] = prepare / runs;
    state.counters["whole_ms"] = whole / runs;
    state.counters["scroll_ms"] = scroll / runs;
}
BENCHMARK(hour_with_corrections)
    ->ArgName("corrections")
    ->Arg(0)
    ->Arg(1000)
    ->Unit(benchmark::kMillisecond)
    ->Iterations(3);

// What is measured again when a setting moves: curve, figures and risk of a loop of 10 s.
void curve_of_ten_seconds(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 10.0);
    const auto map = test::random_map(scratch, source);
    const auto assessment = Assessment::prepare(source, map, 0, static_cast<std::int64_t>(source.frames()));
    if (!assessment) return state.SkipWithError(assessment.error().message.c_str());
    const StemSettings settings = state.range(0) == 0 ? StemSettings{} : elaborate_settings();
    for (auto _ : state) {
        benchmark::DoNotOptimize(assessment->curve(settings, 0, 41));
        benchmark::DoNotOptimize(assessment->risk(stem_weights(settings, 0), 0));
    }
}
BENCHMARK(curve_of_ten_seconds)->ArgName("elaborate")->Arg(0)->Arg(1)->Unit(benchmark::kMillisecond);

// The risk line over a whole recording, two workers: an hour in 10 s is 360 x real time.
void risk_line(benchmark::State& state) {
    const test::Scratch scratch;
    const auto source = test::noise_source(scratch, 48000, 2, 300.0);
    const auto map = test::random_map(scratch, source);
    ShapeSettings settings;
    if (state.range(0) != 0) settings.stems[0] = elaborate_settings();
    for (auto _ : state) benchmark::DoNotOptimize(measure_risk(source, map, settings, 0, 2).ok());
    real_time(state, source.seconds());
}
BENCHMARK(risk_line)->ArgName("elaborate")->Arg(0)->Arg(1)->UseRealTime()->Unit(benchmark::kMillisecond);

// One part of a chain over 20 s of stereo noise, that is both channels at work: its share of a core while it
// plays.
void one_part(benchmark::State& state) {
    const auto kind = static_cast<EffectType>(state.range(0));
    constexpr double kSeconds = 20;
    constexpr std::size_t kBlock = 512;
    const auto part = make_part(kind, 1);
    const auto left = test::noise(static_cast<std::size_t>(kSeconds * 48000), 1);
    const auto right = test::noise(static_cast<std::size_t>(kSeconds * 48000), 2);
    for (auto _ : state) {
        state.PauseTiming();
        auto a = left;
        auto b = right;
        Chain chain(std::span(&part, 1), 48000);
        state.ResumeTiming();
        for (std::size_t at = 0; at + kBlock <= a.size(); at += kBlock)
            chain.process({std::span(a).subspan(at, kBlock), std::span(b).subspan(at, kBlock)});
    }
    state.SetLabel(info(kind).label);
    state.counters["percent_of_a_core"] =
        benchmark::Counter(kSeconds * static_cast<double>(state.iterations()) / 100,
                           benchmark::Counter::kIsRate | benchmark::Counter::kInvert);
}
BENCHMARK(one_part)->DenseRange(0, static_cast<int>(kEffectTypes) - 1)->Unit(benchmark::kMillisecond);

// What a conversion does: how far tones from 20 Hz to 20 kHz (or 0.45 of the lower rate) are from their
// level, what is beside them, and what is left of tones beyond the lower rate's half; in dB. Speed against
// real time, one channel.
void resampling(benchmark::State& state) {
    const auto in = static_cast<double>(state.range(0)), out = static_cast<double>(state.range(1));
    const auto quality = state.range(2) != 0 ? ResampleQuality::VeryHigh : ResampleQuality::High;
    const auto sound = test::noise(static_cast<std::size_t>(20 * in), 1);
    for (auto _ : state) benchmark::DoNotOptimize(resample(sound, in, out, quality));
    state.counters["x_real_time"] =
        benchmark::Counter(20 * static_cast<double>(state.iterations()), benchmark::Counter::kIsRate);
    double ripple = 0, beside = -300, folded = -300;
    for (const double hz : {20.0, 100.0, 1000.0, 5000.0, 10000.0, 15000.0, 18000.0, 20000.0}) {
        if (hz > 0.455 * std::min(in, out)) continue;
        const auto y = resample(test::tone_at(hz, in), in, out, quality);
        ripple = std::max(ripple, std::abs(test::tone_db(y, hz, out)));
        beside = std::max(beside, test::rest_db(y, hz, out));
    }
    for (const double part : {1.01, 1.1, 1.4, 1.9}) {
        const double hz = part * out / 2;
        if (hz < 0.49 * in)
            folded =
                std::max(folded, test::rest_db(resample(test::tone_at(hz, in), in, out, quality), 0, out));
    }
    state.counters["off_db"] = ripple;
    state.counters["beside_db"] = beside;
    if (folded > -300) state.counters["folded_db"] = folded;
    state.SetLabel(state.range(2) != 0 ? "very high" : "high");
}
BENCHMARK(resampling)
    ->ArgsProduct({{44100}, {48000}, {0, 1}})
    ->ArgsProduct({{48000}, {44100, 96000}, {0, 1}})
    ->ArgsProduct({{96000, 192000}, {48000}, {0, 1}})
    ->ArgNames({"from", "to", "very_high"})
    ->Unit(benchmark::kMillisecond);

// By how much sound that is driven 12 dB into the limiter passes its ceiling of -1 dBTP, in dB: as libebur128
// measures true peaks, and between samples at 16 times the rate. Bursts of tones up to 0.45 of the rate at
// every phase, noise and clicks.
void limiter_ceiling(benchmark::State& state) {
    const auto rate = static_cast<int>(state.range(0));
    std::vector<std::vector<float>> sounds = {test::noise(static_cast<std::size_t>(rate), 3)};
    std::vector<float> clicks(static_cast<std::size_t>(rate), 0.0F);
    for (std::size_t i = 0; i < clicks.size(); i += 997) clicks[i] = i % 2 == 0 ? 1.0F : -1.0F;
    sounds.push_back(clicks);
    for (const double part : {0.05, 0.125, 0.25, 0.35, 0.45}) {
        std::vector<float> bursts(static_cast<std::size_t>(rate), 0.0F);
        const std::size_t length = 60;
        for (std::size_t from = 0, k = 0; from + length < bursts.size(); from += 8 * length, ++k) {
            for (std::size_t n = 0; n < length; ++n)
                bursts[from + n] = static_cast<float>(
                    std::sin(2 * std::numbers::pi *
                             (part * static_cast<double>(n) + static_cast<double>(k % 16) / 16)));
        }
        sounds.push_back(bursts);
    }
    double by_ebur128 = -100, between = -100;
    for (auto _ : state) {
        for (const auto& sound : sounds) {
            auto part = make_part(EffectType::Limiter, 1);
            part[parameter::kLimiterDriveDb] = 12;
            part[parameter::kLimiterCeilingDb] = -1;
            const std::vector<std::vector<float>> out(2, through_chain(std::span(&part, 1), sound, rate));
            LoudnessMeter meter(rate, 2, LoudnessMeter::Kind::Running);
            meter.add(out);
            by_ebur128 = std::max(by_ebur128, meter.result().true_peak_dbtp.value_or(-100) + 1);
            float peak = 0;
            for (const float x : resample(out[0], rate, 16.0 * rate, ResampleQuality::VeryHigh))
                peak = std::max(peak, std::abs(x));
            between = std::max(between, 20 * std::log10(static_cast<double>(peak)) + 1);
        }
    }
    state.counters["by_ebur128_db"] = by_ebur128;
    state.counters["between_db"] = between;
}
BENCHMARK(limiter_ceiling)
    ->Arg(44100)
    ->Arg(48000)
    ->Arg(88200)
    ->Arg(96000)
    ->Arg(176400)
    ->Arg(192000)
    ->Iterations(1)
    ->Unit(benchmark::kMillisecond);

// A stereo mix with the start chain for a voice, delivered: rendered, measured, brought to EBU R 128, written
// as 24-bit Broadcast WAV, read back and reported.
void deliver_mix(benchmark::State& state) {
    constexpr double kSeconds = 240;
    const test::Scratch scratch;
    auto source = std::make_shared<const Source>(test::noise_source(scratch, 48000, 2, kSeconds));
    DeliveryPlan plan;
    plan.session.timeline.sample_rate = 48000;
    Placement placement;
    placement.path = source->original();
    placement.length = static_cast<std::int64_t>(source->frames());
    place_clip(plan.session.timeline, placement, ClipSource::Whole, 0);
    plan.session.timeline.tracks[0].strip.chain = voice_start_chain();
    plan.media[placement.path] = {source, nullptr, 48000};
    plan.table.rows.resize(1);
    plan.table.rows[0].target = "r128";
    plan.name = "bench";
    plan.folder = scratch / "out";
    plan.work = scratch / "work";
    for (auto _ : state) {
        plan.replace = true;
        plan.session.timeline.tracks[0].strip.gain_db -= 0.1;  // so that nothing is skipped
        const auto report = deliver(plan);
        if (!report || !report->all_done()) return state.SkipWithError("not delivered");
    }
    real_time(state, kSeconds);
}
BENCHMARK(deliver_mix)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
