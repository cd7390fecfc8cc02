// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/telling/image_room.h"

#include <algorithm>
#include <cmath>

#include "core/dsp/real_fft.h"

namespace rivlen::learn {

namespace {

constexpr double kRate = 48000.0;
constexpr double kSound_m_s = 343.0;
constexpr std::size_t kEarly = 1440;  // frames: 30 ms
constexpr int kMostWalls = 48;

double between(std::mt19937_64& chance, double low, double high) {
    return std::uniform_real_distribution<>(low, high)(chance);
}

double distance_m(const std::array<double, 3>& a, const std::array<double, 3>& b) {
    return std::hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
}

// Impulses of images, by how many walls they met, all filtered at once afterwards.
using ByWalls = std::vector<std::vector<float>>;

void add_images(const ImageRoom& room, const std::array<double, 3>& microphone, double origin_frames,
                double unit_m, ByWalls& out) {
    const double reach_m = room.longest_s * kSound_m_s;
    std::array<int, 3> cells{};
    for (std::size_t i = 0; i < 3; ++i) cells[i] = static_cast<int>(reach_m / room.size_m[i]) + 1;
    for (int x = -cells[0]; x <= cells[0]; ++x) {
        for (int y = -cells[1]; y <= cells[1]; ++y) {
            for (int z = -cells[2]; z <= cells[2]; ++z) {
                const int walls = std::abs(x) + std::abs(y) + std::abs(z);
                if (walls >= kMostWalls) continue;
                const std::array<int, 3> cell = {x, y, z};
                std::array<double, 3> image{};
                for (std::size_t i = 0; i < 3; ++i) {
                    const double inside =
                        cell[i] % 2 == 0 ? room.source_m[i] : room.size_m[i] - room.source_m[i];
                    image[i] = cell[i] * room.size_m[i] + inside;
                }
                const double d = distance_m(image, microphone);
                if (d > reach_m) continue;
                const double at = d / kSound_m_s * kRate - origin_frames;
                const auto k = static_cast<std::size_t>(std::lround(std::max(0.0, at)));
                auto& row = out[static_cast<std::size_t>(walls)];
                if (k < row.size())
                    row[k] += static_cast<float>(unit_m / d * std::pow(room.reflection, walls));
            }
        }
    }
}

// y = x through a one-pole low-pass whose gain at the highest frequency is -db.
void dull(std::vector<float>& x, double db) {
    const double top = std::pow(10.0, -db / 20.0);
    // H(z) = (1 - a) / (1 - a z^-1) has (1 - a) / (1 + a) at half the rate.
    const auto a = static_cast<float>((1.0 - top) / (1.0 + top));
    float y = 0.0F;
    for (float& v : x) {
        y = (1.0F - a) * v + a * y;
        v = y;
    }
}

}  // namespace

ImageRoom draw_room(bool strong, bool stereo, std::mt19937_64& chance) {
    ImageRoom room;
    room.size_m =
        strong ? std::array{between(chance, 5, 12), between(chance, 4, 9), between(chance, 2.6, 5)}
               : std::array{between(chance, 2.6, 6), between(chance, 2.2, 4.5), between(chance, 2.2, 3)};
    std::array<double, 3> microphone{};
    for (std::size_t i = 0; i < 3; ++i) {
        room.source_m[i] = between(chance, 0.2, 0.8) * room.size_m[i];
        microphone[i] = between(chance, 0.2, 0.8) * room.size_m[i];
    }
    if (!strong) {  // somebody near the microphone
        const double turn = between(chance, 0, 6.28);
        const double m = between(chance, 0.3, 1.0);
        microphone = {std::clamp(room.source_m[0] + m * std::cos(turn), 0.1, room.size_m[0] - 0.1),
                      std::clamp(room.source_m[1] + m * std::sin(turn), 0.1, room.size_m[1] - 0.1),
                      room.source_m[2]};
    }
    room.microphones_m = {microphone, microphone};
    if (stereo) {
        room.microphones_m[0][1] -= 0.085;
        room.microphones_m[1][1] += 0.085;
    }
    room.reflection = strong ? between(chance, 0.78, 0.9) : between(chance, 0.5, 0.8);
    room.highs_db = between(chance, 0.4, 1.6);
    room.longest_s = strong ? 1.2 : 0.5;
    return room;
}

RoomResponses responses_of(const ImageRoom& room) {
    const double nearest_m = std::min(distance_m(room.source_m, room.microphones_m[0]),
                                      distance_m(room.source_m, room.microphones_m[1]));
    const auto length = static_cast<std::size_t>(room.longest_s * kRate);
    RoomResponses out;
    for (std::size_t c = 0; c < 2; ++c) {
        ByWalls by_walls(kMostWalls, std::vector<float>(length, 0.0F));
        add_images(room, room.microphones_m[c], nearest_m / kSound_m_s * kRate, nearest_m, by_walls);
        // From those that met most walls to those that met none: each goes through one wall more than the
        // next.
        std::vector<float> sum(length, 0.0F);
        for (std::size_t w = kMostWalls; w-- > 0;) {
            dull(sum, room.highs_db);
            for (std::size_t i = 0; i < length; ++i) sum[i] += by_walls[w][i];
        }
        out.early[c] = {sum.begin(), sum.begin() + static_cast<std::ptrdiff_t>(kEarly)};
        out.late[c] = sum;
        std::fill_n(out.late[c].begin(), kEarly, 0.0F);
    }
    return out;
}

std::vector<float> convolved(const std::vector<float>& x, const std::vector<float>& response) {
    std::size_t size = 1024;
    while (size < x.size() + response.size()) size *= 2;
    RealFft fft(size);
    fft.forward(x);
    const std::vector<std::complex<float>> spectrum(fft.bins().begin(), fft.bins().end());
    fft.forward(response);
    for (std::size_t k = 0; k < spectrum.size(); ++k) fft.bins()[k] *= spectrum[k];
    fft.inverse();
    std::vector<float> out(x.size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = fft.time()[i] / static_cast<float>(size);
    return out;
}

}  // namespace rivlen::learn
