// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/band_powers.h"

#include <cmath>
#include <numbers>

#include "core/dsp/stft.h"
#include "core/separation/shaper.h"

namespace rivlen {

std::vector<float> band_powers(const Source& source, std::int64_t first, std::int64_t last,
                               const MaskMap* filled_by) {
    const auto frames = static_cast<std::size_t>(std::max<std::int64_t>(0, last - first));
    std::vector<float> out(frames * kBands);
    Stft stft(shape_fft_size(source.sample_rate()));
    const auto reads = band_reads(source.sample_rate(), stft.fft_size());
    std::vector<float> time(static_cast<std::size_t>(stft.fft_size()));
    std::vector<Complex> spectrum(static_cast<std::size_t>(stft.bins()));
    for (std::size_t t = 0; t < frames; ++t) {
        const double seconds =
            static_cast<double>(first + static_cast<std::int64_t>(t)) / kMapFramesPerSecond;
        const std::int64_t middle = std::llround(seconds * source.sample_rate());
        float* row = out.data() + t * kBands;
        for (int c = 0; c < source.channels(); ++c) {
            source.read(c, middle - stft.fft_size() / 2, time);
            if (filled_by != nullptr) filled_by->add_fills(c, middle - stft.fft_size() / 2, time);
            stft.forward(time, spectrum);
            for (std::size_t k = 0; k < reads.size(); ++k) {
                const BandRead& read = reads[k];
                const auto band = static_cast<std::size_t>(read.part < 0.5F ? read.low : read.high);
                row[band] += std::norm(spectrum[k]);
            }
        }
    }
    return out;
}

double power_of_full_scale(const Source& source) {
    Stft stft(shape_fft_size(source.sample_rate()));
    std::vector<float> time(static_cast<std::size_t>(stft.fft_size()));
    std::vector<Complex> spectrum(static_cast<std::size_t>(stft.bins()));
    for (std::size_t i = 0; i < time.size(); ++i)
        time[i] = static_cast<float>(std::sin(0.25 * std::numbers::pi * static_cast<double>(i)));
    stft.forward(time, spectrum);
    double sum = 0;
    for (const Complex& x : spectrum) sum += static_cast<double>(std::norm(x));
    return sum * source.channels();
}

}  // namespace rivlen
