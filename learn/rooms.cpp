// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/rooms.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

#include "core/dsp/biquad.h"
#include "core/dsp/decibels.h"
#include "core/dsp/real_fft.h"
#include "learn/corpus.h"

namespace rivlen::learn {

namespace {

// Convolution by one large transform; the plans live as long as the thread.
class Convolver {
  public:
    explicit Convolver(std::size_t size) : fft_(size) {}
    [[nodiscard]] std::size_t size() const { return fft_.size(); }
    void load(std::span<const float> signal) {  // kept for several responses
        fft_.forward(signal);
        signal_.assign(fft_.bins().begin(), fft_.bins().end());
    }
    void convolve(std::span<const float> response, std::span<float> out) {
        fft_.forward(response);
        for (std::size_t k = 0; k < signal_.size(); ++k) fft_.bins()[k] *= signal_[k];
        fft_.inverse();
        const float scale = 1.0F / static_cast<float>(fft_.size());
        for (std::size_t i = 0; i < out.size(); ++i) out[i] = fft_.time()[i] * scale;
    }

  private:
    RealFft fft_;
    std::vector<std::complex<float>> signal_;
};

Convolver& convolver_for(std::size_t length) {
    std::size_t size = 1024;
    while (size < length) size *= 2;
    thread_local std::unique_ptr<Convolver> kept;
    if (!kept || kept->size() != size) kept = std::make_unique<Convolver>(size);
    return *kept;
}

constexpr double kSound_m_s = 343.0;
constexpr std::size_t kEarlyFrames = kCorpusRate * 30 / 1000;

// One path from the source to the microphones.
struct Path {
    double distance_m;
    std::array<double, 2> delay_frames;  // behind the direct sound
    std::array<double, 2> gain;          // against the direct sound
    int walls;
};

double distance(const std::array<double, 3>& a, const std::array<double, 3>& b) {
    double sum = 0.0;
    for (std::size_t i = 0; i < 3; ++i) sum += (a[i] - b[i]) * (a[i] - b[i]);
    return std::sqrt(sum);
}

// What each of two cardioids that stand together gives of sound from a direction (cosine with the x axis).
std::array<double, 2> pair_gains(double cosine, double spread) {
    return {1.0 - spread * 0.5 * (1.0 + cosine) * 0.9, 1.0 - spread * 0.5 * (1.0 - cosine) * 0.9};
}

// Image sources with at most two reflections, the direct path first.
std::vector<Path> paths(const RoomSpec& room) {
    std::vector<Path> found;
    const double direct_m = std::max(distance(room.source_m, room.microphone_m), 0.1);
    const auto add = [&](const std::array<double, 3>& image, int walls) {
        Path path{distance(image, room.microphone_m), {}, {}, walls};
        const double cosine = (image[0] - room.microphone_m[0]) / std::max(path.distance_m, 1e-6);
        const auto together = pair_gains(cosine, room.spread);
        for (std::size_t c = 0; c < 2; ++c) {
            auto place = room.microphone_m;
            place[0] += (c == 0 ? -0.5 : 0.5) * room.spacing_m;
            const double own_m = std::max(distance(image, place), 0.1);
            path.delay_frames[c] = (own_m - direct_m) / kSound_m_s * kCorpusRate;
            path.gain[c] = direct_m / own_m * std::pow(room.reflection, walls) * together[c];
        }
        found.push_back(path);
    };
    add(room.source_m, 0);
    constexpr int kOrder = 2;
    for (int x = -kOrder; x <= kOrder; ++x) {
        for (int y = -kOrder; y <= kOrder; ++y) {
            for (int z = -kOrder; z <= kOrder; ++z) {
                const int walls = std::abs(x) + std::abs(y) + std::abs(z);
                if (walls == 0 || walls > kOrder) continue;
                const std::array<int, 3> cell = {x, y, z};
                std::array<double, 3> image{};
                for (std::size_t i = 0; i < 3; ++i) {
                    const double base = cell[i] * room.size_m[i];
                    image[i] =
                        cell[i] % 2 == 0 ? base + room.source_m[i] : base + room.size_m[i] - room.source_m[i];
                }
                add(image, walls);
            }
        }
    }
    return found;
}

// Reflections within the first 30 ms at one microphone, as a response behind the direct sound. What met walls
// comes back duller.
std::vector<float> early_response(const RoomSpec& room, std::span<const Path> reflections,
                                  std::size_t channel, double first) {
    constexpr double kSoonest = 12.0;  // frames: what comes sooner is the direct sound itself
    std::array<std::vector<float>, 2> by_walls = {std::vector<float>(kEarlyFrames, 0.0F),
                                                  std::vector<float>(kEarlyFrames, 0.0F)};
    for (const Path& path : reflections) {
        const double delay = path.delay_frames[channel] - first;
        const auto whole = static_cast<std::size_t>(std::max(0.0, delay));
        if (delay < kSoonest || whole + 1 >= kEarlyFrames) continue;
        const auto part = static_cast<float>(delay - static_cast<double>(whole));
        auto& response = by_walls[static_cast<std::size_t>(path.walls - 1)];
        response[whole] += (1.0F - part) * static_cast<float>(path.gain[channel]);
        response[whole + 1] += part * static_cast<float>(path.gain[channel]);
    }
    for (int pass = 0; pass < 2; ++pass)
        BiquadFilter(Biquad::low_pass(kCorpusRate, room.wall_cutoff_hz, 0.6)).process(by_walls[1]);
    BiquadFilter(Biquad::low_pass(kCorpusRate, room.wall_cutoff_hz, 0.6)).process(by_walls[0]);
    for (std::size_t i = 0; i < kEarlyFrames; ++i) by_walls[0][i] += by_walls[1][i];
    return by_walls[0];
}

// Octave bands of noise, each with a decay of its own, from 30 ms on.
std::vector<float> tail(const RoomSpec& room, Rng& rng) {
    constexpr double kLongest_s = 2.2;
    const double longest = std::min(*std::ranges::max_element(room.decay_s), kLongest_s);
    std::vector<float> out(std::max(static_cast<std::size_t>(longest * kCorpusRate), kEarlyFrames + 480),
                           0.0F);
    for (std::size_t b = 0; b < kDecayBands; ++b) {
        const double centre_hz = 125.0 * std::exp2(static_cast<double>(b));
        BiquadFilter low(
            Biquad::high_pass(kCorpusRate, b == 0 ? 60.0 : centre_hz / std::numbers::sqrt2, 0.7));
        BiquadFilter high(Biquad::low_pass(
            kCorpusRate, b + 1 == kDecayBands ? 16000.0 : centre_hz * std::numbers::sqrt2, 0.7));
        const auto step =
            static_cast<float>(std::pow(10.0, -3.0 / (std::max(room.decay_s[b], 0.03) * kCorpusRate)));
        float gain = std::pow(step, static_cast<float>(kEarlyFrames));
        for (std::size_t i = kEarlyFrames; i < out.size() && gain > 1e-5F; ++i, gain *= step)
            out[i] += gain * high.step(low.step(rng.noise()));
    }
    for (const double echo_s : room.echoes_s) {
        const auto at = static_cast<std::size_t>(echo_s * kCorpusRate);
        if (at + 480 > out.size()) out.resize(at + 480, 0.0F);
        // A wall far away gives back a short, rough copy.
        for (std::size_t i = 0; i < 200; ++i)
            out[at + i] += 0.3F * rng.noise() * std::exp(-static_cast<float>(i) / 40.0F);
    }
    return out;
}

std::array<double, 3> place_in(const std::array<double, 3>& size_m, Rng& rng) {
    std::array<double, 3> at{};
    for (std::size_t i = 0; i < 3; ++i) at[i] = size_m[i] * rng.uniform(0.12, 0.88);
    return at;
}

}  // namespace

RoomSpec random_room(Rng& rng, Strength strength, Microphones microphones) {
    const bool strong = strength == Strength::Strong;
    RoomSpec room;
    const double what = rng.uniform();
    const bool car = !strong && what < 0.08;
    const bool outdoors = what > 0.93;
    if (car) {
        room.size_m = {rng.uniform(1.4, 2.6), rng.uniform(1.2, 1.8), rng.uniform(1.0, 1.4)};
    } else {
        const double scale = strong ? rng.log_uniform(1.0, 4.0) : rng.log_uniform(0.6, 1.6);
        room.size_m = {scale * rng.uniform(3, 7), scale * rng.uniform(2.5, 5),
                       std::min(9.0, scale * rng.uniform(2.2, 3.2))};
    }
    room.source_m = place_in(room.size_m, rng);
    room.microphone_m = place_in(room.size_m, rng);
    if (!strong && rng.chance(0.5)) {  // a microphone near the mouth
        for (std::size_t i = 0; i < 3; ++i)
            room.microphone_m[i] = room.source_m[i] + rng.uniform(-0.1, 0.1) * std::min(room.size_m[i], 4.0);
    }
    const double pair = rng.uniform();
    if (microphones == Microphones::Any && pair < 0.25) {
        room.spacing_m = rng.log_uniform(0.05, 0.7);
    } else if (pair < 0.7) {
        room.spread = rng.uniform(0.2, 1.0);
    }
    room.reflection = strong ? rng.uniform(0.6, 0.93) : rng.uniform(0.25, 0.85);
    room.wall_cutoff_hz = rng.log_uniform(1500, 12000);
    const double middle_s = car        ? rng.log_uniform(0.04, 0.12)
                            : outdoors ? rng.log_uniform(0.15, 0.6)
                            : strong   ? rng.log_uniform(0.5, 2.2)
                                       : rng.log_uniform(0.1, 0.8);
    const double slope = rng.uniform(-0.28, 0.02);  // an octave: the highs die away sooner
    for (std::size_t b = 0; b < kDecayBands; ++b)
        room.decay_s[b] =
            middle_s * std::exp(slope * (static_cast<double>(b) - 3.0)) * rng.log_uniform(0.8, 1.25);
    room.direct_to_reverb_db = strong ? rng.uniform(-5.0, 8.0) : rng.uniform(4.0, 18.0);
    if (outdoors) {
        const int count = rng.between(1, 3);
        for (int i = 0; i < count; ++i) room.echoes_s.push_back(rng.log_uniform(0.06, 0.4));
        room.direct_to_reverb_db = rng.uniform(6.0, 18.0);
    }
    return room;
}

RoomSound put_in_room(std::span<const float> dry, const RoomSpec& room, double pan, Rng& rng) {
    RoomSound sound;
    const std::size_t n = dry.size();
    const double place = (pan + 1.0) * std::numbers::pi / 4.0;
    const std::array<double, 2> direct_gain = {std::cos(place) * std::numbers::sqrt2,
                                               std::sin(place) * std::numbers::sqrt2};
    const auto all = paths(room);
    const bool apart = room.spacing_m > 0.0;
    // The nearer microphone of a pair hears the direct sound when it is spoken.
    const double first = apart ? std::min(all[0].delay_frames[0], all[0].delay_frames[1]) : 0.0;
    std::array<std::vector<float>, 2> tails = {tail(room, rng), tail(room, rng)};
    auto& convolver = convolver_for(n + std::max(tails[0].size(), tails[1].size()));
    convolver.load(dry);
    double direct_energy = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        auto& out = sound.direct[c];
        out.resize(n);
        const auto early = early_response(room, std::span(all).subspan(1), c, first);
        convolver.convolve(early, out);
        const auto gain = static_cast<float>(apart ? all[0].gain[c] : direct_gain[c]);
        const auto delay = apart ? static_cast<std::size_t>(std::lround(all[0].delay_frames[c] - first)) : 0;
        for (std::size_t i = delay; i < n; ++i) out[i] += gain * dry[i - delay];
        direct_energy += energy_of(early) + static_cast<double>(gain) * static_cast<double>(gain);
    }
    const double tail_energy = energy_of(tails[0]) + energy_of(tails[1]);
    const auto scale =
        static_cast<float>(std::sqrt(direct_energy / tail_energy * power_of_db(-room.direct_to_reverb_db)));
    for (std::size_t c = 0; c < 2; ++c) {
        for (float& x : tails[c]) x *= scale;
        sound.reverb[c].resize(n);
        convolver.convolve(tails[c], sound.reverb[c]);
    }
    return sound;
}

}  // namespace rivlen::learn
