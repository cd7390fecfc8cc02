// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/metering/loudness.h"

#include <ebur128.h>

#include <algorithm>
#include <cmath>
#include <new>

#include "core/dsp/interleave.h"
#include "core/dsp/true_peak.h"

namespace rivlen {

namespace {

constexpr double kOffsetLu = -0.691;  // ITU-R BS.1770-4, equation 2

// libebur128 says minus infinity for silence; what is left of a reverberation's tail is none either.
Level audible(double lufs) {
    constexpr double kSilentLufs = -120;
    return lufs > kSilentLufs ? Level(lufs) : std::nullopt;
}

}  // namespace

struct LoudnessMeter::State {
    struct Closer {
        void operator()(ebur128_state* state) const { ebur128_destroy(&state); }
    };
    std::unique_ptr<ebur128_state, Closer> ebur;
    unsigned channels = 0;
    std::vector<TruePeakMeter> true_peaks;
    std::vector<float> interleaved;
};

LoudnessMeter::LoudnessMeter(int sample_rate, int channels, Kind kind) : state_(std::make_unique<State>()) {
    state_->channels = static_cast<unsigned>(channels);
    state_->ebur.reset(ebur128_init(state_->channels, static_cast<unsigned long>(sample_rate),
                                    EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_SAMPLE_PEAK |
                                        (kind == Kind::Running ? EBUR128_MODE_TRUE_PEAK : 0) |
                                        (kind == Kind::Running ? EBUR128_MODE_HISTOGRAM : 0)));
    if (!state_->ebur) throw std::bad_alloc();
    // libebur128 looks between all samples, which takes longer than all the rest together.
    if (kind == Kind::Exact) state_->true_peaks.resize(state_->channels);
    // One channel heard from two loudspeakers counts twice, as the common practice for mono files has it.
    if (channels == 1) ebur128_set_channel(state_->ebur.get(), 0, EBUR128_DUAL_MONO);
}
LoudnessMeter::LoudnessMeter(LoudnessMeter&&) noexcept = default;
LoudnessMeter& LoudnessMeter::operator=(LoudnessMeter&&) noexcept = default;
LoudnessMeter::~LoudnessMeter() = default;

void LoudnessMeter::add(std::span<const std::vector<float>> channels) {
    const std::size_t frames = channels.empty() ? 0 : channels[0].size();
    auto& buffer = state_->interleaved;
    interleave(channels, buffer);
    for (std::size_t c = 0; c < state_->true_peaks.size(); ++c) state_->true_peaks[c].add(channels[c]);
    ebur128_add_frames_float(state_->ebur.get(), buffer.data(), frames);
}

Level LoudnessMeter::momentary_lufs() const {
    double value = 0.0;
    ebur128_loudness_momentary(state_->ebur.get(), &value);
    return audible(value);
}

Level LoudnessMeter::short_term_lufs() const {
    double value = 0.0;
    ebur128_loudness_shortterm(state_->ebur.get(), &value);
    return audible(value);
}

double LoudnessMeter::weighted_power() const {
    double lufs = 0.0;
    constexpr unsigned long kWindowMs = 100;
    if (ebur128_loudness_window(state_->ebur.get(), kWindowMs, &lufs) != EBUR128_SUCCESS ||
        !std::isfinite(lufs))
        return 0.0;
    return std::pow(10.0, (lufs - kOffsetLu) / 10.0);
}

Level LoudnessMeter::lufs_of(double power) {
    return audible(power > 0.0 ? kOffsetLu + 10.0 * std::log10(power) : -HUGE_VAL);
}

Loudness LoudnessMeter::result() const {
    Loudness loudness;
    double value = 0.0;
    if (ebur128_loudness_global(state_->ebur.get(), &value) == EBUR128_SUCCESS)
        loudness.integrated_lufs = audible(value);
    if (ebur128_loudness_range(state_->ebur.get(), &value) == EBUR128_SUCCESS) loudness.range_lu = value;
    double peak = 0.0;
    double true_peak = 0.0;
    for (unsigned c = 0; c < state_->channels; ++c) {
        if (ebur128_sample_peak(state_->ebur.get(), c, &value) == EBUR128_SUCCESS)
            peak = std::max(peak, value);
        if (ebur128_true_peak(state_->ebur.get(), c, &value) == EBUR128_SUCCESS)
            true_peak = std::max(true_peak, value);
    }
    for (TruePeakMeter meter : state_->true_peaks)  // a copy: more may come
        true_peak = std::max(true_peak, static_cast<double>(meter.finish()));
    if (peak > 0.0) loudness.sample_peak_dbfs = 20.0 * std::log10(peak);
    if (true_peak > 0.0) loudness.true_peak_dbtp = 20.0 * std::log10(true_peak);
    return loudness;
}

}  // namespace rivlen
