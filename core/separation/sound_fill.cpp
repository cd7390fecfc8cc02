// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/sound_fill.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <future>

#include "core/dsp/continuation.h"
#include "core/dsp/stft.h"
#include "core/separation/bands.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

constexpr double kAroundSeconds = 0.5;
constexpr double kLeastAroundSeconds = 0.05;
constexpr double kBesideSeconds = 0.005;   // left out beside the region: what it lets through at its edge
constexpr double kMostFilledSeconds = 30;  // what is longer is no bang
constexpr std::size_t kOrder = 512;

struct Gap {
    std::int64_t first = 0, last = 0;     // frames to be made
    std::int64_t before = 0, behind = 0;  // frames of sound on either side
};

Gap gap_of(const Source& source, const RegionReader& region) {
    const double rate = source.sample_rate();
    const auto total = static_cast<std::int64_t>(source.frames());
    const auto frame = [&](double seconds) {
        return std::clamp(static_cast<std::int64_t>(std::llround(seconds * rate)), std::int64_t{0}, total);
    };
    Gap gap;
    gap.first = frame(region.first_seconds() - kBesideSeconds);
    gap.last = std::max(gap.first, frame(region.last_seconds() + kBesideSeconds));
    const auto around = [&](std::int64_t there) {
        const auto most = static_cast<std::int64_t>(kAroundSeconds * rate);
        return static_cast<double>(there) < kLeastAroundSeconds * rate ? 0 : std::min(there, most);
    };
    gap.before = around(gap.first);
    gap.behind = around(total - gap.last);
    return gap;
}

std::vector<float> read(const Source& source, int channel, std::int64_t first, std::int64_t count) {
    std::vector<float> x(static_cast<std::size_t>(count));
    source.read(channel, first, x);
    return x;
}

// How much of each band is filled around a time: as much as anywhere within a window, as the change itself
// lies within the region's time.
void strengths_around(double seconds, double window_s, const RegionReader& region,
                      std::span<const NotFilled> without, std::span<float> out) {
    std::array<float, kBands> here;
    std::ranges::fill(out, 0.0F);
    for (int look = -2; look <= 2; ++look) {
        if (!region.read(seconds + look * window_s / 4, here)) continue;
        for (std::size_t b = 0; b < kBands; ++b) out[b] = std::max(out[b], here[b]);
    }
    for (const NotFilled& part : without) {
        if (!part.region->read(seconds, here)) continue;
        for (std::size_t b = 0; b < kBands; ++b) out[b] *= 1 - part.strength * here[b];
    }
}

// The bands of a change that are the region's.
std::vector<float> in_its_bands(const std::vector<float>& change, std::int64_t first, const Source& source,
                                const RegionReader& region, std::span<const NotFilled> without) {
    Stft stft(shape_fft_size(source.sample_rate()));
    const auto reads = band_reads(source.sample_rate(), stft.fft_size());
    auto spectra = analyse(stft, change);
    const auto bins = static_cast<std::size_t>(stft.bins());
    const double window_s = static_cast<double>(stft.fft_size()) / source.sample_rate();
    std::array<float, kBands> bands;
    for (std::size_t t = 0; t * bins < spectra.size(); ++t) {
        const double seconds =
            static_cast<double>(first + static_cast<std::int64_t>(t) * stft.hop()) / source.sample_rate();
        strengths_around(seconds, window_s, region, without, bands);
        for (std::size_t k = 0; k < bins; ++k) {
            const float low = bands[static_cast<std::size_t>(reads[k].low)];
            const float high = bands[static_cast<std::size_t>(reads[k].high)];
            spectra[t * bins + k] *= low + reads[k].part * (high - low);
        }
    }
    return synthesise(stft, spectra, change.size());
}

}  // namespace

void SoundFill::add_to(int channel, std::int64_t start_frame, float strength, std::span<float> sound) const {
    const std::int64_t from = std::max(first, start_frame);
    const std::int64_t to = std::min(last(), start_frame + static_cast<std::int64_t>(sound.size()));
    if (to <= from) return;
    const auto& more = change[static_cast<std::size_t>(channel)];
    for (std::int64_t i = from; i < to; ++i)
        sound[static_cast<std::size_t>(i - start_frame)] +=
            strength * more[static_cast<std::size_t>(i - first)];
}

SoundFill fill_sound(const Source& source, const RegionReader& region, std::span<const NotFilled> without) {
    SoundFill out;
    const Gap gap = gap_of(source, region);
    const std::int64_t count = gap.last - gap.first;
    const bool too_long = static_cast<double>(count) > kMostFilledSeconds * source.sample_rate();
    if (count == 0 || too_long || (gap.before == 0 && gap.behind == 0)) return out;
    // A window of nothing on either side, for what narrow bands ring.
    const std::int64_t margin = shape_fft_size(source.sample_rate());
    out.first = gap.first - margin;
    // Channels are made side by side: a hand waits for it.
    std::vector<std::future<std::vector<float>>> made_of;
    for (int c = 0; c < source.channels(); ++c) {
        made_of.push_back(
            std::async(std::launch::async, [before = read(source, c, gap.first - gap.before, gap.before),
                                            behind = read(source, c, gap.last, gap.behind), count] {
                return bridged(before, behind, static_cast<std::size_t>(count), kOrder);
            }));
    }
    for (int c = 0; c < source.channels(); ++c) {
        const auto here = read(source, c, gap.first, count);
        const auto made = made_of[static_cast<std::size_t>(c)].get();
        std::vector<float> change(static_cast<std::size_t>(count + 2 * margin));
        for (std::size_t i = 0; i < here.size(); ++i)
            change[static_cast<std::size_t>(margin) + i] = made[i] - here[i];
        out.change.push_back(in_its_bands(change, out.first, source, region, without));
    }
    return out;
}

}  // namespace rivlen
