// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/delivery/spectrogram_picture.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/hann.h"

namespace rivlen {

namespace {

constexpr std::size_t kWindow = 2048;
constexpr double kLowHz = 40, kHighHz = 16000, kLowestDb = -90;

void put32(std::string& out, std::uint32_t value) {
    for (int i = 0; i < 4; ++i) out.push_back(static_cast<char>((value >> (8 * i)) & 0xFFU));
}
void put16(std::string& out, std::uint32_t value) {
    out.push_back(static_cast<char>(value & 0xFFU));
    out.push_back(static_cast<char>((value >> 8U) & 0xFFU));
}

// RFC 4648.
std::string base64(const std::string& bytes) {
    constexpr const char* kDigits = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz0123456789+/";
    std::string out;
    for (std::size_t i = 0; i < bytes.size(); i += 3) {
        std::uint32_t group = 0;
        for (std::size_t k = 0; k < 3; ++k)
            group = (group << 8U) | (i + k < bytes.size() ? static_cast<unsigned char>(bytes[i + k]) : 0U);
        for (std::size_t k = 0; k < 4; ++k)
            out.push_back(i + k <= bytes.size() ? kDigits[(group >> (18 - 6 * k)) & 63U] : '=');
    }
    return out;
}

}  // namespace

SpectrogramPicture::SpectrogramPicture(std::int64_t frames, int sample_rate)
    : rate_(sample_rate),
      hop_(std::max(1.0, static_cast<double>(frames) / static_cast<double>(kWidth))),
      window_(kWindow),
      fft_(kWindow),
      pixels_(static_cast<std::size_t>(kWidth * kHeight)) {
    for (std::size_t i = 0; i < kWindow; ++i) window_[i] = static_cast<float>(symmetric_hann(i, kWindow));
}

void SpectrogramPicture::draw_column() {
    for (std::size_t i = 0; i < kWindow; ++i) fft_.time()[i] = waiting_[i] * window_[i];
    fft_.forward();
    const std::size_t bins = kWindow / 2;
    const double hz_a_bin = rate_ / static_cast<double>(kWindow);
    for (std::int64_t row = 0; row < kHeight; ++row) {
        const auto hz = [&](double at) {
            return kLowHz * std::pow(kHighHz / kLowHz, at / static_cast<double>(kHeight));
        };
        const auto first = static_cast<std::size_t>(hz(static_cast<double>(row)) / hz_a_bin);
        const auto last =
            std::max(first, static_cast<std::size_t>(hz(static_cast<double>(row + 1)) / hz_a_bin));
        float power = 0;
        for (std::size_t b = first; b <= std::min(last, bins - 1); ++b)
            power = std::max(power, std::norm(fft_.bins()[b]));
        const double db =
            db_of_power(16.0 * static_cast<double>(power) / static_cast<double>(kWindow * kWindow));
        pixels_[static_cast<std::size_t>(row * kWidth + column_)] =
            static_cast<std::uint8_t>(std::lround(255 * std::clamp(1 - db / kLowestDb, 0.0, 1.0)));
    }
}

void SpectrogramPicture::add(std::span<const std::vector<float>> block) {
    const std::size_t frames = block.empty() ? 0 : block[0].size();
    for (std::size_t i = 0; i < frames; ++i) {
        float sum = 0;
        for (const auto& channel : block) sum += channel[i];
        waiting_.push_back(sum / static_cast<float>(block.size()));
    }
    while (column_ < kWidth) {
        const auto wanted = static_cast<std::int64_t>(static_cast<double>(column_) * hop_);
        // What lies before the next column is not needed.
        const auto passed =
            std::min<std::int64_t>(wanted - waiting_from_, static_cast<std::int64_t>(waiting_.size()));
        if (passed > 0) {
            waiting_.erase(waiting_.begin(), waiting_.begin() + passed);
            waiting_from_ += passed;
        }
        if (waiting_from_ < wanted || waiting_.size() < kWindow) return;
        draw_column();
        ++column_;
    }
    waiting_.clear();
}

std::string SpectrogramPicture::data_uri() const {
    constexpr std::uint32_t kColours = 256, kHead = 14 + 40 + 4 * kColours;
    std::string out = "BM";
    put32(out, kHead + static_cast<std::uint32_t>(pixels_.size()));
    put32(out, 0);
    put32(out, kHead);
    put32(out, 40);
    put32(out, static_cast<std::uint32_t>(kWidth));
    put32(out, static_cast<std::uint32_t>(kHeight));
    put16(out, 1);
    put16(out, 8);
    for (const std::uint32_t value :
         {0U, static_cast<std::uint32_t>(pixels_.size()), 2835U, 2835U, kColours, 0U})
        put32(out, value);
    // From near black over a dull green to a pale sand; ours.
    constexpr std::array<std::array<double, 3>, 3> kStops = {{{14, 16, 18}, {96, 116, 72}, {244, 232, 200}}};
    for (std::uint32_t i = 0; i < kColours; ++i) {
        const double at = 2.0 * i / (kColours - 1);
        const auto from = static_cast<std::size_t>(std::min(at, 1.0));
        const std::size_t stop = from >= 1 ? 1 : 0;
        const double part = at - static_cast<double>(stop);
        for (std::size_t c = 3; c-- > 0;)  // blue, green, red
            out.push_back(static_cast<char>(
                std::lround(kStops[stop][c] + part * (kStops[stop + 1][c] - kStops[stop][c]))));
        out.push_back(0);
    }
    out.append(pixels_.begin(), pixels_.end());
    return "data:image/bmp;base64," + base64(out);
}

}  // namespace rivlen
