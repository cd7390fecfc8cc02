// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/tradeoff.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numeric>

#include "core/base/vector_code.h"
#include "core/dsp/decibels.h"
#include "core/separation/consonants.h"
#include "core/separation/frame_masks.h"
#include "core/separation/shaper.h"

namespace rivlen {

namespace {

constexpr float kTiny = 1e-12F;
constexpr float kHoleGain = 0.25F;
constexpr std::size_t kOctaves = 8;  // from 62.5 Hz to 16 kHz

struct BandTable {
    std::array<std::uint8_t, kBands> octave{};
    std::array<bool, kBands> consonant{};
};

const BandTable& bands() {
    static const BandTable table = [] {
        BandTable t;
        for (int b = 0; b < kBands; ++b) {
            const double hz = std::max(band_centre_hz(b), 1.0);
            const double octave = std::floor(std::log2(hz / 62.5));
            t.octave[static_cast<std::size_t>(b)] =
                static_cast<std::uint8_t>(std::clamp(octave, 0.0, static_cast<double>(kOctaves - 1)));
            t.consonant[static_cast<std::size_t>(b)] = hz >= 2000.0 && hz <= 10000.0;
        }
        return t;
    }();
    return table;
}

// Sums over the frames of a stretch, band by band; g is the gain of a band. Kept per band so that the loop
// over bands is vector code.
struct BandSums {
    using Row = std::array<double, kBands>;
    Row own{}, own_g{}, own_gg{};     // of the stem's own power
    Row rest{}, rest_g{}, rest_gg{};  // of the rest's
    Row rest_gg_square{};             // of (g^2 rest)^2, for the kurtosis
    Row bent{}, holes{};
    Row onset{}, onset_gg{};  // own power where consonants begin
};

RIVLEN_VECTOR_CODE void add_frame(const float* __restrict gains, const float scale, const float open,
                                  const float* __restrict own_of, const float* __restrict rest_of,
                                  BandSums& __restrict sums) {
    for (std::size_t b = 0; b < kBands; ++b) {
        const float g = gains[b] * scale;
        const auto gg = static_cast<double>(g * g);
        const auto gain = static_cast<double>(g);
        const auto own = static_cast<double>(own_of[b]);
        const auto rest = static_cast<double>(rest_of[b]);
        const auto away = static_cast<double>(1.0F - (g < 1.0F ? g : 1.0F));
        const double rest_left = gg * rest;
        sums.own[b] += own;
        sums.own_g[b] += gain * own;
        sums.own_gg[b] += gg * own;
        sums.rest[b] += rest;
        sums.rest_g[b] += gain * rest;
        sums.rest_gg[b] += rest_left;
        sums.rest_gg_square[b] += rest_left * rest_left;
        sums.bent[b] += away * away * own;
        sums.holes[b] += g < kHoleGain ? own : 0.0;
        sums.onset[b] += static_cast<double>(open) * own;
        sums.onset_gg[b] += static_cast<double>(open) * gg * own;
    }
}

// Kurtosis as the ratio of moments of power, E[x^2] / E[x]^2: the mean of its logarithm over bands, in which
// loud bands count more, but not alone.
double log_kurtosis(const BandSums::Row& first, const BandSums::Row& second, std::size_t frames) {
    double sum = 0.0;
    double weight = 0.0;
    for (std::size_t b = 0; b < kBands; ++b) {
        if (first[b] <= 1e-10) continue;
        const double w = std::sqrt(first[b]);
        sum += w * std::log(second[b] * static_cast<double>(frames) / (first[b] * first[b]));
        weight += w;
    }
    return weight > 0.0 ? sum / weight : 0.0;
}

double total_of(const BandSums::Row& row) {
    return std::accumulate(row.begin(), row.end(), 0.0);
}

double total_of_consonants(const BandSums::Row& row) {
    double sum = 0.0;
    for (std::size_t b = 0; b < kBands; ++b) sum += bands().consonant[b] ? row[b] : 0.0;
    return sum;
}

}  // namespace

float own_share(float mask) {
    const float own = mask * mask;
    const float rest = (1.0F - mask) * (1.0F - mask);
    return own / (own + rest);
}

double damage_of(const DamageParts& p) {
    const double x = 1.6 * std::sqrt(p.gain_modulation) + 0.16 * std::sqrt(p.loss) + 0.004 * p.consonants_db +
                     0.016 * p.musical_noise + 0.08 * p.holes + 0.004 * p.thinness_db;
    return 100.0 * (1.0 - std::exp(-x));
}

Result<Assessment> Assessment::prepare(const Source& source, const MaskMap& map, std::int64_t first,
                                       std::int64_t last, const JobControl& job) {
    first = std::max<std::int64_t>(first, 0);
    last = std::min(last, static_cast<std::int64_t>(source.frames()));
    if (last <= first)
        return make_error(ErrorKind::BadInput, "The stretch to be measured is empty. Choose a longer one.");
    Assessment out;
    const int fft_size = shape_fft_size(source.sample_rate());
    Stft stft(fft_size);
    out.hop_ = stft.hop();
    const std::int64_t first_frame = first / out.hop_;
    out.first_ = first_frame * out.hop_;
    out.frames_ = static_cast<std::size_t>((last - out.first_ + out.hop_ - 1) / out.hop_);
    out.power_.assign(out.frames_ * kBands, 0.0F);
    out.row_ = map.row_size();
    out.masks_.resize(out.frames_ * out.row_);
    out.open_.resize(out.frames_);
    struct Group {
        ChannelGroup channels;
        std::unique_ptr<FrameMasks> masks;
        std::unique_ptr<Consonants> consonants;
    };
    std::vector<Group> groups;
    for (const auto& channels : groups_of_count(source.channels(), map.facts().groups)) {
        auto masks = std::make_unique<FrameMasks>(map, map_frames_per_frame(source.sample_rate()),
                                                  static_cast<int>(groups.size()));
        auto consonants = std::make_unique<Consonants>(source, channels, *masks, fft_size);
        groups.push_back({channels, std::move(masks), std::move(consonants)});
    }
    std::array<float, kBands> group_power{};
    const auto reads = band_reads(source.sample_rate(), fft_size);
    std::vector<float> time(static_cast<std::size_t>(fft_size));
    std::vector<Complex> spectrum(static_cast<std::size_t>(stft.bins()));
    for (std::size_t t = 0; t < out.frames_; ++t) {
        if (job.cancelled()) return JobControl::cancelled_error();
        const std::int64_t frame = first_frame + static_cast<std::int64_t>(t);
        float* power = out.power_.data() + t * kBands;
        // Where channels have masks of their own, the row is their mean by power.
        float* row = out.masks_.data() + t * out.row_;
        for (const auto& group : groups) {
            group_power.fill(0.0F);
            for (int c = group.channels.first; c < group.channels.last; ++c) {
                source.read(c, (frame - 2) * out.hop_, time);
                map.add_fills(c, (frame - 2) * out.hop_, time);
                stft.forward(time, spectrum);
                for (std::size_t k = 0; k < reads.size(); ++k)
                    group_power[static_cast<std::size_t>(reads[k].low)] += std::norm(spectrum[k]);
            }
            const auto masks = group.masks->plain(frame);
            for (std::size_t b = 0; b < kBands; ++b) {
                power[b] += group_power[b];
                const float weight = power[b] > 0.0F ? group_power[b] / power[b] : 0.0F;
                for (std::size_t s = 0; s < out.row_ / kBands; ++s) {
                    float& mean = row[s * kBands + b];
                    mean = &group == groups.data() ? masks[s * kBands + b]
                                                   : mean + weight * (masks[s * kBands + b] - mean);
                }
            }
            out.open_[t] = std::max(out.open_[t], group.consonants->at(frame));
        }
        if (t % 256 == 0) job.report(static_cast<double>(t) / static_cast<double>(out.frames_));
    }
    return out;
}

Assessment::StemView Assessment::view_of(std::size_t stem) const {
    StemView view;
    view.own.resize(power_.size());
    view.rest.resize(power_.size());
    BandSums::Row first{};
    BandSums::Row second{};
    for (std::size_t t = 0; t < frames_; ++t) {
        const float* power = power_.data() + t * kBands;
        const float* masks = masks_.data() + t * row_ + stem * kBands;
        float* own = view.own.data() + t * kBands;
        float* rest = view.rest.data() + t * kBands;
        for (std::size_t b = 0; b < kBands; ++b) {
            own[b] = power[b] * own_share(masks[b]);
            rest[b] = power[b] - own[b];
            const auto left = static_cast<double>(rest[b]);
            view.own_total += static_cast<double>(own[b]);
            first[b] += left;
            second[b] += left * left;
        }
    }
    view.rest_total = total_of(first);
    view.rest_kurtosis = log_kurtosis(first, second, frames_);
    return view;
}

// The same weighted mean that FrameMasks makes, here over a table.
void Assessment::steady_row(std::size_t frame, float temporal_smoothing, std::span<float> out) const {
    const auto row = [&](std::int64_t k) {
        const auto at = std::clamp<std::int64_t>(static_cast<std::int64_t>(frame) + k, 0,
                                                 static_cast<std::int64_t>(frames_) - 1);
        return std::span(masks_).subspan(static_cast<std::size_t>(at) * row_, row_);
    };
    smooth_masks(std::cref(row), temporal_smoothing, out);
}

std::span<const float> Assessment::masks_for(float temporal_smoothing, std::vector<float>& room) const {
    if (temporal_smoothing <= 0.0F) return masks_;
    room.resize(masks_.size());
    for (std::size_t t = 0; t < frames_; ++t) {
        steady_row(t, temporal_smoothing, std::span(room).subspan(t * row_, row_));
    }
    return room;
}

template <typename Visit>
void Assessment::visit_gains(const WeightsAt& weights_at, const Visit& visit) const {
    std::array<float, kBands> gains{};
    std::vector<float> row(row_);
    const std::span<const float> all(masks_);
    for (std::size_t t = 0; t < frames_; ++t) {
        const MaskWeights& weights = weights_at(t);
        std::span<const float> masks = all.subspan(t * row_, row_);
        if (weights.temporal_smoothing > 0.0F) {
            steady_row(t, weights.temporal_smoothing, row);
            masks = row;
        }
        band_gains(weights, masks, open_[t], gains);
        visit(t, gains);
    }
}

TradeOff Assessment::measure(const MaskWeights& weights, std::size_t stem) const {
    std::vector<float> room;
    return measure(weights, stem, view_of(stem), masks_for(weights.temporal_smoothing, room));
}

TradeOff Assessment::measure(const MaskWeights& weights, std::size_t stem, const StemView& view,
                             std::span<const float> masks) const {
    const float level = std::ranges::max(weights.of(stem));
    const float scale = level > 0.0F ? 1.0F / level : 0.0F;
    BandSums sums;
    std::array<float, kBands> gains{};
    for (std::size_t t = 0; t < frames_; ++t) {
        band_gains(weights, masks.subspan(t * row_, row_), open_[t], gains);
        add_frame(gains.data(), scale, open_[t], view.own.data() + t * kBands, view.rest.data() + t * kBands,
                  sums);
    }
    TradeOff out;
    const double own_total = view.own_total;
    const double total = own_total + view.rest_total;
    if (total <= static_cast<double>(kTiny)) return out;
    const double own_left = total_of(sums.own_gg);
    out.own_db = std::max(-120.0, db_of_power(own_total / total));
    const bool sounds = own_total / total > 1e-9 && own_left > 0.0;
    out.bleed_db = std::max(kNoBleedDb, db_of_power(total_of(sums.rest_gg) / total) -
                                            (sounds ? db_of_power(own_left / own_total) : 0.0));
    if (!sounds) return out;
    DamageParts& p = out.parts;
    p.loss = total_of(sums.bent) / own_total;
    p.holes = total_of(sums.holes) / own_total;
    double explained = 0.0;
    double unexplained = 0.0;
    const auto explain = [&](double energy, double moment, double square) {
        if (energy <= 0.0) return;
        const double fixed = moment * moment / energy;  // energy behind the best fixed gain
        explained += fixed;
        if (square - fixed > 1e-6 * square) unexplained += square - fixed;  // below that it is rounding
    };
    for (std::size_t b = 0; b < kBands; ++b) {
        explain(sums.own[b], sums.own_g[b], sums.own_gg[b]);
        explain(sums.rest[b], sums.rest_g[b], sums.rest_gg[b]);
    }
    if (explained > 0.0) p.gain_modulation = unexplained / explained;
    const double onset_before = total_of_consonants(sums.onset);
    if (onset_before > 0.0) {
        const double after = std::max(total_of_consonants(sums.onset_gg), 1e-30);
        p.consonants_db = std::clamp(db_of_power(onset_before / after), 0.0, 40.0);
    }
    const double audible = std::clamp((out.bleed_db + 60.0) / 40.0, 0.0, 1.0);
    const double kurtosis = log_kurtosis(sums.rest_gg, sums.rest_gg_square, frames_);
    p.musical_noise = audible * std::max(0.0, kurtosis - view.rest_kurtosis);
    std::array<double, kOctaves> octave_before{};
    std::array<double, kOctaves> octave_after{};
    for (std::size_t b = 0; b < kBands; ++b) {
        octave_before[bands().octave[b]] += sums.own[b];
        octave_after[bands().octave[b]] += sums.own_gg[b];
    }
    double mean = 0.0;
    double square = 0.0;
    double weight = 0.0;
    for (std::size_t o = 0; o < kOctaves; ++o) {
        if (octave_before[o] / own_total < 1e-5) continue;
        const double change = db_of_power(octave_after[o] / octave_before[o]);
        const double w = std::sqrt(octave_before[o] / own_total);
        mean += w * change;
        square += w * change * change;
        weight += w;
    }
    if (weight > 0.0)
        p.thinness_db = std::sqrt(std::max(0.0, square / weight - (mean / weight) * (mean / weight)));
    out.damage = damage_of(p);
    return out;
}

std::vector<TradeOff> Assessment::curve(const StemSettings& settings, std::size_t stem,
                                        std::size_t points) const {
    const StemView view = view_of(stem);
    std::vector<float> room;
    const auto masks = masks_for(stem_weights(settings, stem).temporal_smoothing, room);
    std::vector<TradeOff> out;
    StemSettings at = settings;
    for (std::size_t i = 0; i < points; ++i) {
        at.set(Setting::Isolation, 100.0 * static_cast<double>(i) / static_cast<double>(points - 1));
        out.push_back(measure(stem_weights(at, stem), stem, view, masks));
    }
    return out;
}

std::vector<float> Assessment::risk(const MaskWeights& weights, std::size_t stem) const {
    return risk_with([&](std::size_t) -> const MaskWeights& { return weights; }, stem);
}

std::vector<float> Assessment::risk(const TimedMaskWeights& weight_sets, std::size_t stem) const {
    const auto at = [&](std::size_t t) {
        return weight_sets.stem(stem, first_ + static_cast<std::int64_t>(t) * hop_);
    };
    MaskWeights now = at(0);
    if (!weight_sets.settings().changes()) return risk(now, stem);
    return risk_with(
        [&](std::size_t t) -> const MaskWeights& {
            now = at(t);
            return now;
        },
        stem);
}

std::vector<float> Assessment::risk_with(const WeightsAt& weights_at, std::size_t stem) const {
    const auto& table = bands();
    float scale = 1.0F;
    const auto scaled = [&](std::size_t t) -> const MaskWeights& {
        const MaskWeights& weights = weights_at(t);
        const float level = std::ranges::max(weights.of(stem));
        scale = level > 0.0F ? 1.0F / level : 0.0F;
        return weights;
    };
    // What is lost where the stem is silent hurts nobody: frames 40 dB below the loud ones fade out.
    std::vector<double> own_of(frames_);
    std::vector<float> out(frames_);
    visit_gains(scaled, [&](std::size_t t, std::span<const float> gains) {
        const float* power = power_.data() + t * kBands;
        const float* masks = masks_.data() + t * row_ + stem * kBands;
        double own_sum = 0.0;
        double bent = 0.0;
        double before = 0.0;
        double lost = 0.0;
        for (std::size_t b = 0; b < kBands; ++b) {
            const float g = std::min(gains[b] * scale, 1.0F);
            const auto own = static_cast<double>(power[b] * own_share(masks[b]));
            own_sum += own;
            bent += static_cast<double>((1.0F - g) * (1.0F - g)) * own;
            if (table.consonant[b]) {
                before += own;
                lost += static_cast<double>((1.0F - g) * (1.0F - g)) * own;
            }
        }
        own_of[t] = own_sum;
        const double all = own_sum > 0.0 ? bent / own_sum : 0.0;
        const double high = before > 0.0 ? lost / before : 0.0;
        out[t] = static_cast<float>(std::max(all, static_cast<double>(open_[t]) * high));
    });
    std::vector<double> sorted = own_of;
    if (sorted.empty()) return out;
    const auto loud = sorted.begin() + static_cast<std::ptrdiff_t>(sorted.size() * 9 / 10);
    std::ranges::nth_element(sorted, loud);
    const double reference = *loud;
    for (std::size_t t = 0; t < frames_; ++t) {
        const double below = db_of_power((own_of[t] + 1e-30) / (reference + 1e-30));
        out[t] *= static_cast<float>(std::clamp((below + 40.0) / 20.0, 0.0, 1.0));
    }
    return out;
}

Assessment::Spectra Assessment::spectra(std::size_t stem) const {
    std::array<double, kBands> own{};
    std::array<double, kBands> rest{};
    for (std::size_t t = 0; t < frames_; ++t) {
        for (std::size_t b = 0; b < kBands; ++b) {
            const float share = own_share(masks_[t * row_ + stem * kBands + b]);
            own[b] += static_cast<double>(power_[t * kBands + b] * share);
            rest[b] += static_cast<double>(power_[t * kBands + b] * (1.0F - share));
        }
    }
    Spectra out{};
    for (std::size_t b = 0; b < kBands; ++b) {
        // By the band's width, so that wide bands do not seem louder.
        const double width =
            static_cast<double>(band_edges()[b + 1] - band_edges()[b]) * static_cast<double>(frames_);
        out.stem_db[b] = static_cast<float>(db_of_power(own[b] / width));
        out.rest_db[b] = static_cast<float>(db_of_power(rest[b] / width));
    }
    return out;
}

}  // namespace rivlen
