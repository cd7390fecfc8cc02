// SPDX-License-Identifier: GPL-3.0-or-later
// A small spectrogram of a whole file for reports: however long, as many columns, drawn while the sound goes
// by.
#pragma once

#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "core/dsp/real_fft.h"

namespace rivlen {

class SpectrogramPicture {
  public:
    SpectrogramPicture(std::int64_t frames, int sample_rate);
    // Planar; channels are drawn as their mean.
    void add(std::span<const std::vector<float>> block);
    // As <img src>: a bitmap with 40 Hz to 16 kHz from bottom to top, 90 dB under full scale to full scale
    // from dark to light.
    [[nodiscard]] std::string data_uri() const;

  private:
    static constexpr std::int64_t kWidth = 600, kHeight = 120;
    void draw_column();
    double rate_, hop_;
    std::vector<float> waiting_, window_;
    std::int64_t waiting_from_ = 0, column_ = 0;
    RealFft fft_;
    std::vector<std::uint8_t> pixels_;  // from the bottom row on, as bitmaps have it
};

}  // namespace rivlen
