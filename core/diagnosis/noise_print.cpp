// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/diagnosis/noise_print.h"

#include "core/diagnosis/line_fit.h"
#include "core/diagnosis/spectra.h"
#include "core/dsp/decibels.h"
#include "core/dsp/quantile.h"
#include "core/effects/hiss.h"
#include "core/effects/noise_shape.h"

namespace rivlen {

namespace {

constexpr std::size_t kPrintSize = 4096;
constexpr double kLeastPrintSeconds = 0.1;
constexpr double kLeastPrintPower = 1e-12;  // -120 dBFS: what is softer is silence
constexpr float kQuietShare = 0.1F;
constexpr double kLineFromHz = 500;  // hum and rumble below do not bend the line

// Mean power of frames by bins.
class MeanSpectrum {
  public:
    explicit MeanSpectrum(std::size_t bins) : sum_(bins, 0.0) {}
    void add(std::span<const float> power) {
        for (std::size_t b = 0; b < sum_.size(); ++b) sum_[b] += static_cast<double>(power[b]);
        ++count_;
    }
    [[nodiscard]] std::size_t count() const { return count_; }
    // Between two bins, the first of them at least.
    [[nodiscard]] double mean(std::size_t first, std::size_t last) const {
        last = std::clamp(last, first + 1, sum_.size());
        double sum = 0;
        for (std::size_t b = first; b < last; ++b) sum += sum_[b];
        return sum / static_cast<double>(last - first) /
               static_cast<double>(std::max<std::size_t>(count_, 1));
    }

  private:
    std::vector<double> sum_;
    std::size_t count_ = 0;
};

// Mean of the channels.
double power_at(const AudioBlock& sound, std::size_t at, std::size_t count) {
    double sum = 0;
    for (std::size_t c = 0; c < sound.channels(); ++c) sum += energy_of(sound[c].subspan(at, count));
    return sum / static_cast<double>(count * std::max<std::size_t>(1, sound.channels()));
}

std::optional<NoisePrint> print_of(const MeanSpectrum& spectrum, const Spectra& spectra, int sample_rate) {
    if (spectrum.count() == 0) return {};
    const double half_step = std::exp2(1.0 / 24);
    std::vector<double> density_db(kNoisePlaces, 0.0);
    std::size_t places = 0;  // under half the rate
    LineFit line;
    for (std::size_t p = 0; p < kNoisePlaces; ++p) {
        const double hz = noise_place_hz(p);
        if (hz * half_step > 0.45 * sample_rate) break;
        const double power = spectrum.mean(spectra.bin(hz / half_step), spectra.bin(hz * half_step));
        density_db[p] = db_of_power(power / spectra.power_of_density() * 1e6) - 60;
        if (hz >= kLineFromHz) line.add(std::log2(hz / kNoiseMiddleHz), density_db[p]);
        places = p + 1;
    }
    if (!line.fits(3)) return {};
    NoisePrint out;
    // As fine as the part's own controls, so that what they show is what was learned.
    const auto rounded = [](double x, double step) { return std::round(x / step) * step; };
    out.tilt_db = rounded(line.slope(), 0.1);
    out.third_octave_dbfs = rounded(HissRemover::third_octave_db(power_of_db(line.at_zero())), 0.5);
    const double middle_db = out.third_octave_dbfs - HissRemover::third_octave_db(1.0);
    out.shape_db.resize(kNoisePlaces);
    for (std::size_t p = 0; p < kNoisePlaces; ++p) {
        const std::size_t known = std::min(p, places - 1);
        const double straight = middle_db + out.tilt_db * std::log2(noise_place_hz(known) / kNoiseMiddleHz);
        out.shape_db[p] =
            static_cast<float>(std::clamp(density_db[known] - straight, -kMostShapeDb, kMostShapeDb));
    }
    return out;
}

}  // namespace

std::optional<NoisePrint> learn_noise_print(const AudioBlock& sound) {
    const std::size_t frames = sound.frames();
    if (static_cast<double>(frames) < kLeastPrintSeconds * sound.sample_rate() ||
        power_at(sound, 0, frames) < kLeastPrintPower)
        return {};
    Spectra spectra(kPrintSize, sound.sample_rate());
    MeanSpectrum mean(kPrintSize / 2);
    for (std::size_t c = 0; c < sound.channels(); ++c) {
        if (frames < kPrintSize) {  // shorter than a window: the sound again and again
            std::vector<float> repeated(kPrintSize);
            for (std::size_t i = 0; i < kPrintSize; ++i) repeated[i] = sound[c][i % frames];
            mean.add(spectra.of(repeated, 0, kPrintSize / 2));
        }
        for (std::size_t at = 0; at + kPrintSize <= frames; at += kPrintSize / 2)
            mean.add(spectra.of(sound[c], at, kPrintSize / 2));
    }
    return print_of(mean, spectra, sound.sample_rate());
}

std::optional<NoisePrint> find_noise_print(const AudioBlock& sound) {
    std::vector<float> levels;
    for (std::size_t at = 0; at + kPrintSize <= sound.frames(); at += kPrintSize / 2) {
        const double power = power_at(sound, at, kPrintSize);
        if (power >= kLeastPrintPower) levels.push_back(static_cast<float>(power));
    }
    if (levels.empty()) return {};
    const float most = quantile(levels, kQuietShare);
    Spectra spectra(kPrintSize, sound.sample_rate());
    MeanSpectrum mean(kPrintSize / 2);
    for (std::size_t at = 0; at + kPrintSize <= sound.frames(); at += kPrintSize / 2) {
        const double power = power_at(sound, at, kPrintSize);
        if (power < kLeastPrintPower || static_cast<float>(power) > most) continue;
        for (std::size_t c = 0; c < sound.channels(); ++c) mean.add(spectra.of(sound[c], at, kPrintSize / 2));
    }
    return print_of(mean, spectra, sound.sample_rate());
}

void put_into(const NoisePrint& print, Insert& part) {
    part[parameter::kHissLevelDb] = print.third_octave_dbfs;
    part[parameter::kHissTiltDb] = print.tilt_db;
    part[parameter::kHissFromHz] = kLowestNoiseHz;
    part.noise_shape_db = print.shape_db;
    normalise(part);
}

}  // namespace rivlen
