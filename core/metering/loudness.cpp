// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/metering/loudness.h"

#include <ebur128.h>

#include <algorithm>
#include <cmath>
#include <new>
#include <string_view>

#include "core/dsp/interleave.h"
#include "core/dsp/true_peak.h"
#include "core/space/conversion.h"

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
    std::optional<ChannelMatrix> rendering;  // of ambisonics
    std::vector<std::vector<float>> taken, rendered;
};

namespace {

// Where libebur128 takes a loudspeaker to stand.
int ebur_channel(const Loudspeaker& speaker) {
    if (speaker.lfe) return EBUR128_UNUSED;
    struct Place {
        const char* label;
        int channel;
    };
    static constexpr Place kPlaces[] = {
        {"M+030", EBUR128_LEFT},  {"M-030", EBUR128_RIGHT}, {"M+000", EBUR128_CENTER},
        {"M+110", EBUR128_Mp110}, {"M-110", EBUR128_Mm110}, {"M+090", EBUR128_Mp090},
        {"M-090", EBUR128_Mm090}, {"M+135", EBUR128_Mp135}, {"M-135", EBUR128_Mm135},
        {"U+030", EBUR128_Up030}, {"U-030", EBUR128_Um030}, {"U+045", EBUR128_Up045},
        {"U-045", EBUR128_Um045}, {"U+110", EBUR128_Up110}, {"U-110", EBUR128_Um110},
        {"U+135", EBUR128_Up135}, {"U-135", EBUR128_Um135}};
    for (const auto& place : kPlaces) {
        if (std::string_view(place.label) == speaker.label) return place.channel;
    }
    return EBUR128_CENTER;
}

// Of so many channels, where they are loudspeakers.
std::optional<Layout> loudspeakers_of(int channels) {
    const auto layout = likely_layout(static_cast<std::size_t>(channels));
    return layout && ambisonic_order(*layout) == 0 ? layout : std::nullopt;
}

}  // namespace

LoudnessMeter::LoudnessMeter(int sample_rate, Layout layout, Kind kind)
    : LoudnessMeter(sample_rate, layout, static_cast<int>(channels_of(layout)), kind) {}
LoudnessMeter::LoudnessMeter(int sample_rate, int channels, Kind kind)
    : LoudnessMeter(sample_rate, loudspeakers_of(channels), channels, kind) {}

LoudnessMeter::LoudnessMeter(int sample_rate, std::optional<Layout> layout, int channels, Kind kind)
    : state_(std::make_unique<State>()) {
    state_->channels = static_cast<unsigned>(channels);
    const unsigned own = state_->channels;
    if (layout && ambisonic_order(*layout) > 0) {
        state_->rendering = conversion(*layout, Layout::Surround714);
        layout = Layout::Surround714;
        state_->channels = static_cast<unsigned>(channels_of(*layout));
        state_->rendered.resize(state_->channels);
    }
    state_->ebur.reset(ebur128_init(state_->channels, static_cast<unsigned long>(sample_rate),
                                    EBUR128_MODE_I | EBUR128_MODE_LRA | EBUR128_MODE_SAMPLE_PEAK |
                                        (kind == Kind::Running ? EBUR128_MODE_TRUE_PEAK : 0) |
                                        (kind == Kind::Running ? EBUR128_MODE_HISTOGRAM : 0)));
    if (!state_->ebur) throw std::bad_alloc();
    // libebur128 looks between all samples, which takes longer than all the rest together.
    if (kind == Kind::Exact || (kind == Kind::Running && state_->rendering)) state_->true_peaks.resize(own);
    if (layout && channels > 2) {
        const auto all = loudspeakers(*layout);
        for (unsigned c = 0; c < state_->channels; ++c)
            ebur128_set_channel(state_->ebur.get(), c, ebur_channel(all[c]));
    }
    // One channel heard from two loudspeakers counts twice, as the common practice for mono files has it.
    if (channels == 1) ebur128_set_channel(state_->ebur.get(), 0, EBUR128_DUAL_MONO);
}
LoudnessMeter::LoudnessMeter(LoudnessMeter&&) noexcept = default;
LoudnessMeter& LoudnessMeter::operator=(LoudnessMeter&&) noexcept = default;
LoudnessMeter::~LoudnessMeter() = default;

void LoudnessMeter::add(std::span<const std::vector<float>> channels) {
    const std::size_t frames = channels.empty() ? 0 : channels[0].size();
    auto& buffer = state_->interleaved;
    for (std::size_t c = 0; c < state_->true_peaks.size(); ++c) state_->true_peaks[c].add(channels[c]);
    if (state_->rendering) {
        state_->taken.assign(channels.begin(), channels.end());
        for (auto& channel : state_->rendered) channel.resize(frames);
        state_->rendering->apply(ChannelBlock(state_->taken, frames), ChannelBlock(state_->rendered, frames));
        interleave(state_->rendered, buffer);
    } else {
        interleave(channels, buffer);
    }
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

Level LoudnessMeter::true_peak_dbtp(std::size_t channel) const {
    double peak = 0.0;
    if (channel < state_->true_peaks.size()) {
        TruePeakMeter meter = state_->true_peaks[channel];  // a copy: more may come
        peak = static_cast<double>(meter.finish());
    } else if (!state_->rendering && channel < state_->channels) {
        double value = 0.0;
        if (ebur128_true_peak(state_->ebur.get(), static_cast<unsigned>(channel), &value) == EBUR128_SUCCESS)
            peak = value;
    }
    return peak > 0.0 ? Level(20.0 * std::log10(peak)) : Level();
}

Loudness LoudnessMeter::result() const {
    Loudness loudness;
    double value = 0.0;
    if (ebur128_loudness_global(state_->ebur.get(), &value) == EBUR128_SUCCESS)
        loudness.integrated_lufs = audible(value);
    if (ebur128_loudness_range(state_->ebur.get(), &value) == EBUR128_SUCCESS) loudness.range_lu = value;
    double peak = 0.0;
    // What libebur128 found in the rendering of ambisonics is none of their peaks.
    for (unsigned c = 0; c < (state_->rendering ? 0 : state_->channels); ++c) {
        if (ebur128_sample_peak(state_->ebur.get(), c, &value) == EBUR128_SUCCESS)
            peak = std::max(peak, value);
    }
    const std::size_t own = std::max<std::size_t>(state_->channels, state_->true_peaks.size());
    for (std::size_t c = 0; c < own; ++c)
        loudness.true_peak_dbtp = higher(loudness.true_peak_dbtp, true_peak_dbtp(c));
    if (peak > 0.0) loudness.sample_peak_dbfs = 20.0 * std::log10(peak);
    return loudness;
}

}  // namespace rivlen
