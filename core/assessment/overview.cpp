// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/overview.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/stft.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

std::uint8_t level_code(float power) {
    const float db = 10.0F * std::log10(power + 1e-14F);
    return static_cast<std::uint8_t>(std::clamp((db + 110.0F) * 2.55F, 0.0F, 255.0F));
}

// First bin of every row's range; rows narrower than a bin take the nearest bin.
std::vector<std::pair<int, int>> row_bins(const OverviewRows& rows, int sample_rate, int fft_size) {
    std::vector<std::pair<int, int>> ranges;
    const int top = fft_size / 2;
    for (int r = 0; r < rows.count; ++r) {
        const auto bin = [&](double row) {
            const double at = std::max(0.0, rows.hz(row)) * fft_size / sample_rate;
            return std::min(top, static_cast<int>(std::lround(at)));
        };
        const int low = bin(r - 0.5);
        ranges.emplace_back(low, std::max(bin(r + 0.5), low + 1));
    }
    return ranges;
}

std::vector<std::size_t> row_bands(const OverviewRows& rows) {
    std::vector<std::size_t> bands;
    for (int r = 0; r < rows.count; ++r) {
        const double bin = rows.hz(r) * kModelFft / kModelRate;
        bands.push_back(static_cast<std::size_t>(band_of_bin()[static_cast<std::size_t>(
            std::clamp(static_cast<int>(std::lround(bin)), 0, kModelBins - 1))]));
    }
    return bands;
}

}  // namespace

Overview make_overview(const Source& source, const MaskMap* map, std::int64_t first_frame,
                       std::int64_t frames_per_column, std::size_t columns, const OverviewRows& rows) {
    Overview view;
    view.columns = columns;
    view.rows = static_cast<std::size_t>(rows.count);
    view.level.assign(columns * view.rows, 0);
    view.lowest.assign(columns, 0.0F);
    view.highest.assign(columns, 0.0F);
    if (map != nullptr) {
        view.sounds = map->row_size() / kBands;
        for (std::size_t s = 0; s < view.sounds; ++s) {
            view.share[s].assign(columns * view.rows, 0);
            view.outline[s].assign(columns, 0.0F);
        }
    }
    Stft stft(shape_fft_size(source.sample_rate()));
    const auto bands = row_bands(rows);
    const auto ranges = row_bins(rows, source.sample_rate(), stft.fft_size());
    const auto size = static_cast<std::size_t>(stft.fft_size());
    const auto channels = static_cast<std::size_t>(source.channels());
    std::vector<float> time(size);
    std::vector<Complex> spectrum(static_cast<std::size_t>(stft.bins()));
    const auto groups = groups_of_count(source.channels(), map != nullptr ? map->facts().groups : 1);
    std::vector<std::vector<float>> power(groups.size(), std::vector<float>(spectrum.size()));
    auto filled_power = power;
    const auto add_power = [&](std::span<const float> sound, std::vector<float>& to) {
        stft.forward(sound, spectrum);
        for (std::size_t k = 0; k < spectrum.size(); ++k)
            to[k] += std::norm(spectrum[k]) / static_cast<float>(channels);
    };
    std::vector<std::vector<float>> masks(groups.size(), std::vector<float>(view.sounds * kBands));
    std::vector<float> sums(groups.size());
    const auto total = static_cast<std::int64_t>(source.frames());
    // |X|^2 of a full-scale sine under a root-Hann window is (sum of the window / 2)^2.
    const float full_scale = 1.0F / std::pow(static_cast<float>(stft.fft_size()) * 0.6366F * 0.5F, 2.0F);
    const auto samples = source.samples();

    for (std::size_t c = 0; c < columns; ++c) {
        const std::int64_t from = first_frame + static_cast<std::int64_t>(c) * frames_per_column;
        const std::int64_t to = std::min(total, from + frames_per_column);
        if (from >= total || to <= 0) continue;
        // Outline: every sample of narrow columns; wide ones are read in strides that still meet some
        // thousand samples.
        const std::int64_t stride = std::max<std::int64_t>(1, (to - from) / 4096);
        float low = 0.0F;
        float high = 0.0F;
        for (std::int64_t i = std::max<std::int64_t>(from, 0); i < to; i += stride) {
            for (std::size_t ch = 0; ch < channels; ++ch) {
                const float x = samples[static_cast<std::size_t>(i) * channels + ch];
                low = std::min(low, x);
                high = std::max(high, x);
            }
        }
        view.lowest[c] = low;
        view.highest[c] = high;
        const int looks = static_cast<int>(std::clamp<std::int64_t>(frames_per_column / stft.hop(), 1, 3));
        for (int look = 0; look < looks; ++look) {
            const std::int64_t centre = from + (to - from) * (2 * look + 1) / (2 * looks);
            const double map_frame =
                static_cast<double>(centre) * kModelRate / source.sample_rate() / kModelHop;
            // Stems are drawn as shares of the source; where it is filled, of less than all of it.
            const bool filled = map != nullptr && map->cuts_around(map_frame);
            for (std::size_t g = 0; g < groups.size(); ++g) {
                std::ranges::fill(power[g], 0.0F);
                std::ranges::fill(filled_power[g], 0.0F);
                for (int ch = groups[g].first; ch < groups[g].last; ++ch) {
                    source.read(ch, centre - stft.fft_size() / 2, time);
                    add_power(time, power[g]);
                    if (!filled) continue;
                    map->add_fills(ch, centre - stft.fft_size() / 2, time);
                    add_power(time, filled_power[g]);
                }
            }
            const bool split =
                map != nullptr && map->has(std::min(static_cast<std::uint64_t>(std::max(0.0, map_frame)),
                                                    map->facts().frames - 1));
            for (std::size_t g = 0; split && g < groups.size(); ++g)
                map->read(map_frame, masks[g], static_cast<int>(g));
            std::array<float, kSounds> stem_power{};
            for (std::size_t r = 0; r < view.rows; ++r) {
                float sum = 0.0F;
                float filled_sum = 0.0F;
                for (std::size_t g = 0; g < groups.size(); ++g) {
                    sums[g] = 0.0F;
                    for (int k = ranges[r].first; k < ranges[r].second; ++k) {
                        sums[g] += power[g][static_cast<std::size_t>(k)];
                        filled_sum += filled_power[g][static_cast<std::size_t>(k)];
                    }
                    sum += sums[g];
                }
                const float left = filled && sum > 0.0F ? std::sqrt(std::min(1.0F, filled_sum / sum)) : 1.0F;
                auto& level = view.level[c * view.rows + r];
                level = std::max(level, level_code(sum * full_scale));
                if (!split) continue;
                const std::size_t band = bands[r];
                for (std::size_t s = 0; s < view.sounds; ++s) {
                    // Where channels have masks of their own, they count by their power.
                    float mean = sum > 0.0F ? 0.0F : masks[0][s * kBands + band];
                    for (std::size_t g = 0; g < groups.size(); ++g) {
                        const float mask = left * masks[g][s * kBands + band];
                        if (sum > 0.0F) mean += mask * sums[g] / sum;
                        stem_power[s] += mask * mask * sums[g];
                    }
                    auto& share = view.share[s][c * view.rows + r];
                    share = std::max(share,
                                     static_cast<std::uint8_t>(std::lround(std::min(mean, 1.0F) * 255.0F)));
                }
            }
            if (!split) continue;
            for (std::size_t s = 0; s < view.sounds; ++s) {
                view.outline[s][c] = std::max(view.outline[s][c], std::sqrt(stem_power[s] * full_scale));
            }
        }
    }
    return view;
}

}  // namespace rivlen
