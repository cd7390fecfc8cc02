// SPDX-License-Identifier: GPL-3.0-or-later
// The 256 bands in which the model sees and masks sound, and the features it sees.
// Model grid: 48 kHz, STFT 2048 / 512. Bands 0-199 are single bins (up to 4.66 kHz), the other 56 are groups
// whose widths grow evenly in log frequency up to 24 kHz.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <vector>

#include "core/dsp/stft.h"

namespace rivlen {

inline constexpr int kModelRate = 48000;
inline constexpr int kModelFft = 2048;
inline constexpr int kModelHop = 512;
inline constexpr int kModelBins = kModelFft / 2 + 1;
inline constexpr int kBands = 256;
inline constexpr int kSingleBands = 200;
inline constexpr int kFeatureChannels = 3;  // mid, side, and what of mid stays
inline constexpr int kFeatures = kFeatureChannels * kBands;

enum class Stem { Dialogue = 0, Reverb = 1, Music = 2, Ambience = 3 };
inline constexpr int kStems = 4;
inline constexpr std::array<const char*, kStems> kStemNames = {"dialogue", "reverb", "music", "ambience"};

// First bin of every band, and one past the last: band b holds bins [edges[b], edges[b + 1]).
[[nodiscard]] const std::array<int, kBands + 1>& band_edges();
// Band of every bin of the model grid.
[[nodiscard]] const std::array<int, kModelBins>& band_of_bin();
// Where band `edge` begins, or the one before it ends, in Hz: half a bin below its first bin.
[[nodiscard]] double band_edge_hz(std::size_t edge);
// Centre of a band in Hz.
[[nodiscard]] double band_centre_hz(int band);

// Powers as the network sees them, in place: (p + 1e-12)^0.15 to within 1e-6 of it; p >= 0.
void compress_powers(std::span<float> powers);

// Compressed band powers of one frame, before normalising: features[channel * kBands + band] = p^0.15, where
// p is the power of mid (the mean of all channels) or of side (mean power of the channels less the mid's)
// summed over the band. The third channel is left as it is. channel_spectra: one spectrum of kModelBins a
// channel.
void frame_features(std::span<const std::span<const Complex>> channel_spectra, std::span<float> features);

// Sets the third channel to the mean of the first over a window of +-kLevelFrames frames (fewer at the ends
// of the recording), which shows what of a band stays, and divides every frame by the mean of mid and side
// over the same window, so that the model sees every passage at its own level. rows: frames x kFeatures, in
// place.
inline constexpr int kLevelFrames = 281;  // 3 s
void normalise_features(std::span<float> rows);

// How a bin of another STFT (any rate and size) reads the bands: value = band[low] * (1 - part) + band[high]
// * part. Within the single-bin bands the reading is interpolated, above it takes the band that holds the
// frequency, and beyond the model's range the top band.
struct BandRead {
    int low = 0;
    int high = 0;
    float part = 0.0F;
};
[[nodiscard]] std::vector<BandRead> band_reads(int sample_rate, int fft_size);

}  // namespace rivlen
