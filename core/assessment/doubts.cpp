// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/doubts.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <optional>

#include "core/base/clock_words.h"
#include "core/dsp/hann.h"
#include "core/dsp/quantile.h"
#include "core/dsp/real_fft.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr std::array<const char*, kDoubtKinds> kKindWords = {"a voice", "music",
                                                             "a sound of the surroundings"};
constexpr std::array<const char*, kDoubtKinds> kPlaceWords = {"dialogue", "music", "ambience"};
constexpr std::array<Stem, kDoubtKinds> kStemOfKind = {Stem::Dialogue, Stem::Music, Stem::Ambience};

// ---- stretches
constexpr float kMostMoved = 0.3F;          // of a step's energy
constexpr std::size_t kShortestSteps = 10;  // half a second
constexpr std::size_t kGapSteps = 6;        // shorter ones do not end a stretch

std::array<bool, kStems> only(std::size_t kind) {
    std::array<bool, kStems> from{};
    from[static_cast<std::size_t>(kStemOfKind[kind])] = true;
    if (kind == 0) from[static_cast<std::size_t>(Stem::Reverb)] = true;
    return from;
}

DoubtedPlace stretch_place(std::size_t shown, std::size_t other, std::size_t first, std::size_t last,
                           double moved) {
    DoubtedPlace place;
    place.first_seconds = static_cast<double>(first) * kDoubtStepSeconds;
    place.last_seconds = static_cast<double>(last) * kDoubtStepSeconds;
    place.weight = moved * kDoubtStepSeconds;
    place.sentence =
        fmt::format("From {} to {} {} may lie in the {}.", clock_words(place.first_seconds),
                    clock_words(std::ceil(place.last_seconds)), kKindWords[other], kPlaceWords[shown]);
    place.proposal.act = CorrectionAct::Give;
    place.proposal.to = kStemOfKind[other];
    place.proposal.from = only(shown);
    place.proposal.name = fmt::format("{} in the {}", kKindWords[other], kPlaceWords[shown]);
    place.proposal.region.points = {{place.first_seconds, 20}, {place.last_seconds, 24000}};
    place.proposal.region.edge_ms = 50;
    return place;
}

// ---- tones
constexpr std::size_t kToneFft = 32768;
constexpr double kLongestLookSeconds = 600, kShortestSeconds = 4;
constexpr double kLowestToneHz = 40, kHighestToneHz = 8000;
constexpr double kOverAroundDb = 12, kMostSpreadDb = 3;
constexpr double kPartialTolerance = 0.006;  // of the frequency
constexpr double kBoxSemitones = 0.8;        // on either side of a tone

struct Tone {
    double hz, level_db;
};

// Levels in dB, [look][bin], of looks that overlap by half, Hann windowed.
std::vector<std::vector<float>> long_spectra(const Source& source, const JobControl& job) {
    const auto total =
        std::min<std::int64_t>(static_cast<std::int64_t>(source.frames()),
                               static_cast<std::int64_t>(kLongestLookSeconds * source.sample_rate()));
    RealFft fft(kToneFft);
    std::vector<float> time(kToneFft), sum(kToneFft), window(kToneFft);
    for (std::size_t i = 0; i < kToneFft; ++i) window[i] = static_cast<float>(periodic_hann(i, kToneFft));
    std::vector<std::vector<float>> out;
    for (std::int64_t at = 0; at + static_cast<std::int64_t>(kToneFft) <= total; at += kToneFft / 2) {
        if (job.cancelled()) break;
        std::ranges::fill(sum, 0.0F);
        for (int c = 0; c < source.channels(); ++c) {
            source.read(c, at, time);
            for (std::size_t i = 0; i < kToneFft; ++i)
                sum[i] += time[i] / static_cast<float>(source.channels());
        }
        for (std::size_t i = 0; i < kToneFft; ++i) sum[i] *= window[i];
        fft.forward(sum);
        const auto spectrum = fft.bins();
        std::vector<float> db(spectrum.size());
        for (std::size_t k = 0; k < db.size(); ++k) db[k] = 10 * std::log10(std::norm(spectrum[k]) + 1e-12F);
        out.push_back(std::move(db));
    }
    return out;
}

std::vector<Tone> steady_tones(const std::vector<std::vector<float>>& spectra, int sample_rate) {
    const std::size_t bins = spectra.front().size();
    const double bin_hz = static_cast<double>(sample_rate) / kToneFft;
    std::vector<float> middle(bins), spread(bins), values(spectra.size());
    for (std::size_t k = 0; k < bins; ++k) {
        for (std::size_t t = 0; t < spectra.size(); ++t) values[t] = spectra[t][k];
        const float low = quantile(values, 0.25), high = quantile(values, 0.75);
        middle[k] = quantile(values, 0.5);
        spread[k] = high - low;
    }
    std::vector<Tone> tones;
    std::vector<float> around;
    const auto first = static_cast<std::size_t>(kLowestToneHz / bin_hz);
    const auto last = std::min(bins - 2, static_cast<std::size_t>(kHighestToneHz / bin_hz));
    for (std::size_t k = std::max<std::size_t>(first, 2); k < last; ++k) {
        if (middle[k] < middle[k - 1] || middle[k] <= middle[k + 1] || spread[k] > kMostSpreadDb) continue;
        const auto from = static_cast<std::size_t>(static_cast<double>(k) * std::exp2(-0.25));
        const auto to =
            std::min(bins, static_cast<std::size_t>(static_cast<double>(k) * std::exp2(0.25)) + 8);
        around.assign(middle.begin() + static_cast<std::ptrdiff_t>(std::min(from, k - 2)),
                      middle.begin() + static_cast<std::ptrdiff_t>(to));
        if (static_cast<double>(middle[k] - quantile(around, 0.5)) < kOverAroundDb) continue;
        // The top of the parabola through three bins in dB.
        const double a = static_cast<double>(middle[k - 1]), b = static_cast<double>(middle[k]);
        const double c = static_cast<double>(middle[k + 1]);
        const double shift = std::abs(a - 2 * b + c) > 1e-9 ? 0.5 * (a - c) / (a - 2 * b + c) : 0.0;
        tones.push_back({(static_cast<double>(k) + shift) * bin_hz, b});
    }
    return tones;
}

// Means of the masks at a tone over the recording.
std::array<double, kStems> masks_at(const MaskMap& map, double hz) {
    const auto bin = static_cast<std::size_t>(std::lround(hz * kModelFft / kModelRate));
    const auto band = static_cast<std::size_t>(band_of_bin()[std::min<std::size_t>(bin, kModelBins - 1)]);
    std::array<double, kStems> out{};
    std::array<float, kMaskRow> row;
    const auto total = static_cast<std::int64_t>(
        std::min(static_cast<double>(map.facts().frames), kLongestLookSeconds * kMapFramesPerSecond));
    const std::int64_t step = std::max<std::int64_t>(1, total / 400);
    double looks = 0;
    for (std::int64_t t = 0; t < total; t += step, ++looks) {
        map.read(static_cast<double>(t), row);
        for (std::size_t s = 0; s < kStems; ++s) out[s] += static_cast<double>(row[s * kBands + band]);
    }
    for (double& x : out) x /= std::max(1.0, looks);
    return out;
}

DoubtedPlace tone_place(const Tone& tone, int partials, std::size_t taken_for, double seconds) {
    DoubtedPlace place;
    place.last_seconds = seconds;
    place.weight = 0.5 * seconds;  // it sounds all the time
    const std::string name =
        fmt::format("tone of {:.0f} Hz{}", tone.hz, partials > 1 ? " and its partials" : "");
    place.sentence = fmt::format("A steady {} {} taken for {}.", name, partials > 1 ? "were" : "was",
                                 taken_for == 0 ? "a voice" : "music");
    place.proposal.from = only(taken_for);
    place.proposal.act = CorrectionAct::Give;
    place.proposal.to = Stem::Ambience;
    place.proposal.name = "Steady " + name;
    const double factor = std::exp2(kBoxSemitones / 12);
    place.proposal.region.points = {{0, tone.hz / factor}, {seconds, tone.hz * factor}};
    place.proposal.region.harmonics = partials > 1;
    return place;
}

}  // namespace

std::vector<DoubtedPlace> doubted_stretches(const DoubtLine& line) {
    std::vector<DoubtedPlace> out;
    for (std::size_t shown = 0; shown < kDoubtKinds; ++shown) {
        for (std::size_t other = 0; other < kDoubtKinds; ++other) {
            const auto& moved = line.moved[shown][other];
            std::optional<std::size_t> first;
            std::size_t last = 0, held = 0;
            double sum = 0;
            for (std::size_t i = 0; i <= moved.size(); ++i) {
                const bool here = i < moved.size() && moved[i] >= kMostMoved;
                if (here) {
                    if (!first) first = i;
                    last = i + 1;
                    ++held;
                    sum += static_cast<double>(moved[i]);
                } else if (first && (i == moved.size() || i - last >= kGapSteps)) {
                    if (held >= kShortestSteps) out.push_back(stretch_place(shown, other, *first, last, sum));
                    first.reset();
                    held = 0;
                    sum = 0;
                }
            }
        }
    }
    return out;
}

Result<std::vector<DoubtedPlace>> doubted_tones(const Source& source, const MaskMap& map,
                                                const JobControl& job) {
    std::vector<DoubtedPlace> out;
    if (source.seconds() < kShortestSeconds) return out;
    const auto spectra = long_spectra(source, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    if (spectra.size() < 4) return out;
    auto tones = steady_tones(spectra, source.sample_rate());
    while (!tones.empty()) {
        const Tone lowest = tones.front();
        const auto count = tones.size();
        std::erase_if(tones, [&](const Tone& t) {
            const double ratio = t.hz / lowest.hz;
            return std::abs(ratio - std::round(ratio)) < kPartialTolerance * ratio;
        });
        const auto partials = static_cast<int>(count - tones.size());
        const auto masks = masks_at(map, lowest.hz);
        const double ambience = masks[static_cast<std::size_t>(Stem::Ambience)];
        const double music = masks[static_cast<std::size_t>(Stem::Music)];
        if (ambience > 0.5) continue;  // where it belongs
        const bool as_music = music > 1 - music - ambience;
        out.push_back(tone_place(lowest, partials, as_music ? 1 : 0, source.seconds()));
    }
    return out;
}

Result<std::vector<DoubtedPlace>> doubted_places(const Source& source, const MaskMap& shown,
                                                 const DoubtLine& line, const JobControl& job) {
    auto all = doubted_tones(source, shown, job);
    if (!all) return all.error();
    // Where a tone was taken for something, the stretches in which the other model puts that elsewhere are
    // the same doubt.
    const auto same = [&tones = *all](const DoubtedPlace& stretch) {
        return std::ranges::any_of(tones, [&](const DoubtedPlace& tone) {
            return stretch.proposal.to == tone.proposal.to && stretch.proposal.from == tone.proposal.from;
        });
    };
    std::vector<DoubtedPlace> stretches = doubted_stretches(line);
    std::erase_if(stretches, same);
    std::ranges::move(stretches, std::back_inserter(*all));
    std::ranges::stable_sort(*all, std::greater{}, &DoubtedPlace::weight);
    return all;
}

}  // namespace rivlen
