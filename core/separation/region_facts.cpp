// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/region_facts.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/decibels.h"
#include "core/separation/band_powers.h"
#include "core/separation/channel_groups.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

constexpr double kLongestLookSeconds = 60, kLongestPatternSeconds = 10;
constexpr float kLeastStrength = 0.5F;  // of what counts as part of a pattern
constexpr float kFloorDb = 50;          // below a pattern's loudest band nothing is told apart
constexpr std::int64_t kChunkFrames = 4096;

std::int64_t map_frame(double seconds) {
    return static_cast<std::int64_t>(std::floor(seconds * kMapFramesPerSecond));
}
std::int64_t map_frames_of(const Source& source) {
    return map_frame(source.seconds()) + 1;
}

// The bands and frames of a region that hold, as places in a picture that begins with its first frame.
struct Pattern {
    struct Cell {
        std::int32_t frame;
        std::int32_t band;
        float value;  // in dB, mean taken out
    };
    std::vector<Cell> cells;
    std::int64_t first = 0, frames = 0;
    double norm = 0;
};

float db_of(float power, float floor_power) {
    return 10 * std::log10(std::max(power, floor_power));
}

Pattern pattern_of(const Region& region, const Source& source, float& floor_power) {
    const RegionReader reader(region);
    Pattern out;
    const RegionBounds bounds = bounds_of(region);
    out.first = std::max<std::int64_t>(0, map_frame(bounds.first_seconds));
    out.frames = std::min(map_frames_of(source), map_frame(bounds.last_seconds) + 1) - out.first;
    if (out.frames <= 0) return out;
    const auto powers = band_powers(source, out.first, out.first + out.frames);
    std::array<float, kBands> strength;
    float loudest = 0;
    for (std::int64_t t = 0; t < out.frames; ++t) {
        if (!reader.read(static_cast<double>(out.first + t) / kMapFramesPerSecond, strength)) continue;
        for (std::size_t b = 0; b < kBands; ++b) {
            if (strength[b] < kLeastStrength) continue;
            const float power = powers[static_cast<std::size_t>(t) * kBands + b];
            loudest = std::max(loudest, power);
            out.cells.push_back({static_cast<std::int32_t>(t), static_cast<std::int32_t>(b), power});
        }
    }
    floor_power = std::max(1e-20F, loudest * static_cast<float>(power_of_db(-kFloorDb)));
    double mean = 0;
    for (auto& cell : out.cells) {
        cell.value = db_of(cell.value, floor_power);
        mean += static_cast<double>(cell.value) / static_cast<double>(out.cells.size());
    }
    for (auto& cell : out.cells) {
        cell.value -= static_cast<float>(mean);
        out.norm += static_cast<double>(cell.value) * static_cast<double>(cell.value);
    }
    return out;
}

// Pearson's coefficient of the pattern and the picture from a frame on: [frame][band] in dB.
double likeness_at(const Pattern& pattern, const float* picture) {
    double sum = 0, squares = 0, cross = 0;
    for (const auto& cell : pattern.cells) {
        const auto x = static_cast<double>(picture[cell.frame * kBands + cell.band]);
        sum += x;
        squares += x * x;
        cross += x * static_cast<double>(cell.value);
    }
    const auto count = static_cast<double>(pattern.cells.size());
    const double spread = squares - sum * sum / count;
    return spread > 1e-9 && pattern.norm > 1e-9 ? cross / std::sqrt(spread * pattern.norm) : 0.0;
}

// The best of overlapping places; `own` and what overlaps it is left out.
std::vector<SimilarPlace> apart(std::vector<std::pair<std::int64_t, double>> found, const Pattern& pattern) {
    std::ranges::sort(found, {}, [](const auto& f) { return -f.second; });
    std::vector<std::int64_t> taken = {pattern.first};
    std::vector<SimilarPlace> out;
    for (const auto& [frame, likeness] : found) {
        const bool free = std::ranges::none_of(
            taken, [&, at = frame](std::int64_t t) { return std::abs(t - at) < pattern.frames; });
        if (!free) continue;
        taken.push_back(frame);
        out.push_back({static_cast<double>(frame - pattern.first) / kMapFramesPerSecond, likeness});
    }
    std::ranges::sort(out, {}, &SimilarPlace::by_seconds);
    return out;
}

}  // namespace

RegionFacts facts_of(const Region& region, const Source& source, const MaskMap* map) {
    RegionFacts out;
    out.bounds = bounds_of(region);
    const RegionReader reader(region);
    const std::int64_t first = std::max<std::int64_t>(0, map_frame(reader.first_seconds()));
    const std::int64_t last = std::min({map_frames_of(source), map_frame(reader.last_seconds()) + 2,
                                        first + map_frame(kLongestLookSeconds)});
    if (last <= first) return out;
    const auto powers = band_powers(source, first, last);
    // What stems share is what fills leave of it; the rest is cut.
    const auto left = map != nullptr && map->cuts() ? band_powers(source, first, last, map) : powers;
    std::array<float, kBands> strength;
    std::vector<float> masks(map != nullptr ? map->row_size() : kMaskRow);
    const std::size_t sounds = masks.size() / kBands;
    std::array<double, kSounds> shares{};
    double all = 0, frames = 0;
    for (std::int64_t t = first; t < last; ++t) {
        if (!reader.read(static_cast<double>(t) / kMapFramesPerSecond, strength)) continue;
        // Channel groups count alike here: shares are for a person to read.
        if (map != nullptr) map->read(static_cast<double>(t), masks);
        double held = 0;
        for (std::size_t b = 0; b < kBands; ++b) {
            const std::size_t cell = static_cast<std::size_t>(t - first) * kBands + b;
            const auto strong = static_cast<double>(strength[b]);
            const double shared = strong * static_cast<double>(std::min(powers[cell], left[cell]));
            all += strong * static_cast<double>(powers[cell]);
            held = std::max(held, static_cast<double>(strength[b]));
            for (std::size_t s = 0; s < sounds; ++s)
                shares[s] += shared * static_cast<double>(masks[s * kBands + b]);
        }
        frames += held;
    }
    if (all <= 0 || frames <= 0) return out;
    out.level_dbfs = db_of_power(all / frames / power_of_full_scale(source));
    double sum = 0;
    for (std::size_t s = 0; s < sounds; ++s) {
        out.share_percent[s] = 100 * shares[s] / all;
        if (!is_music_part(s)) sum += out.share_percent[s];
    }
    if (map != nullptr) out.cut_percent = std::max(0.0, 100 - sum);
    return out;
}

Result<std::vector<SimilarPlace>> similar_places(const Region& region, const Source& source, double least,
                                                 const JobControl& job) {
    const RegionBounds bounds = bounds_of(region);
    if (bounds.last_seconds - bounds.first_seconds > kLongestPatternSeconds)
        return make_error(ErrorKind::BadInput,
                          "The region is longer than {:.0f} s. Draw a shorter one around a single sound.",
                          kLongestPatternSeconds);
    float floor_power = 0;
    const Pattern pattern = pattern_of(region, source, floor_power);
    if (pattern.cells.empty() || pattern.norm <= 1e-9) return std::vector<SimilarPlace>();
    const std::int64_t total = map_frames_of(source);
    std::vector<std::pair<std::int64_t, double>> found;
    for (std::int64_t from = 0; from + pattern.frames <= total; from += kChunkFrames) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t count = std::min(kChunkFrames, total - pattern.frames + 1 - from);
        auto picture = band_powers(source, from, from + count + pattern.frames - 1);
        for (float& x : picture) x = db_of(x, floor_power);
        for (std::int64_t t = 0; t < count; ++t) {
            const double likeness = likeness_at(pattern, picture.data() + t * kBands);
            if (likeness >= least) found.emplace_back(from + t, likeness);
        }
        source.drop_pages();
        job.report(static_cast<double>(from + count) / static_cast<double>(total));
    }
    return apart(std::move(found), pattern);
}

}  // namespace rivlen
