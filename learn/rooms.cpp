#include "learn/rooms.h"

#include <algorithm>
#include <cmath>
#include <memory>
#include <numbers>

#include "core/base/levels.h"
#include "core/base/real_fft.h"
#include "core/chain/biquad.h"
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

// Three bands of noise, each with a decay of its own, from 30 ms on.
std::vector<float> tail(const RoomSpec& room, Rng& rng) {
    const double longest = room.decay_seconds * std::max({1.0, room.low_decay, room.high_decay});
    const auto length = static_cast<std::size_t>(std::min(longest, 2.2) * kCorpusRate);
    const std::size_t start = kCorpusRate * 30 / 1000;
    std::vector<float> out(std::max(length, start + 480), 0.0F);
    struct Band {
        Biquad low, high;
        double decay;
    };
    const std::array<Band, 3> bands{
        Band{Biquad::high_pass(kCorpusRate, 60, 0.7), Biquad::low_pass(kCorpusRate, 350, 0.7),
             room.decay_seconds * room.low_decay},
        Band{Biquad::high_pass(kCorpusRate, 350, 0.7), Biquad::low_pass(kCorpusRate, 2800, 0.7),
             room.decay_seconds},
        Band{Biquad::high_pass(kCorpusRate, 2800, 0.7), Biquad::low_pass(kCorpusRate, 16000, 0.7),
             room.decay_seconds * room.high_decay}};
    for (const auto& band : bands) {
        BiquadFilter low(band.low);
        BiquadFilter high(band.high);
        const auto step =
            static_cast<float>(std::pow(10.0, -3.0 / (std::max(band.decay, 0.05) * kCorpusRate)));
        float gain = std::pow(step, static_cast<float>(start));
        for (std::size_t i = start; i < out.size(); ++i, gain *= step)
            out[i] += gain * high.step(low.step(rng.noise()));
    }
    return out;
}

}  // namespace

RoomSpec random_room(Rng& rng, bool strong) {
    RoomSpec room;
    room.decay_seconds = strong ? rng.log_uniform(0.6, 2.0) : rng.log_uniform(0.1, 0.8);
    room.direct_to_reverb_db = strong ? rng.uniform(-4.0, 8.0) : rng.uniform(4.0, 18.0);
    room.high_decay = rng.uniform(0.35, 0.9);
    room.low_decay = rng.uniform(0.7, 1.5);
    return room;
}

RoomSound put_in_room(std::span<const float> dry, const RoomSpec& room, double pan, Rng& rng) {
    RoomSound sound;
    const std::size_t n = dry.size();
    const double place = (pan + 1.0) * std::numbers::pi / 4.0;
    const std::array<double, 2> direct_gain = {std::cos(place) * std::numbers::sqrt2,
                                               std::sin(place) * std::numbers::sqrt2};
    // The direct sound is never moved, so that its parts stay aligned with the dry voice.
    struct Tap {
        std::size_t delay;
        std::array<double, 2> gain;
    };
    std::vector<Tap> taps;
    const int reflections = rng.between(2, 7);
    for (int i = 0; i < reflections; ++i) {
        const double ms = rng.uniform(1.5, 30.0);
        const double gain = rng.uniform(0.15, 0.6) * std::exp(-ms / 25.0) * (rng.chance(0.3) ? -1.0 : 1.0) *
                            std::pow(10.0, -room.direct_to_reverb_db / 40.0);
        const double side = rng.uniform(0.3, 1.0);
        const bool left = rng.chance(0.5);
        taps.push_back({static_cast<std::size_t>(ms * kCorpusRate / 1000.0),
                        {left ? gain : gain * side, left ? gain * side : gain}});
    }
    double direct_energy = 0.0;
    for (std::size_t c = 0; c < 2; ++c) {
        sound.direct[c].resize(n);
        for (std::size_t i = 0; i < n; ++i) sound.direct[c][i] = static_cast<float>(direct_gain[c]) * dry[i];
        for (const auto& tap : taps) {
            const auto gain = static_cast<float>(tap.gain[c]);
            for (std::size_t i = tap.delay; i < n; ++i) sound.direct[c][i] += gain * dry[i - tap.delay];
            direct_energy += tap.gain[c] * tap.gain[c];
        }
        direct_energy += direct_gain[c] * direct_gain[c];
    }
    std::array<std::vector<float>, 2> responses = {tail(room, rng), tail(room, rng)};
    const double tail_energy = energy_of(responses[0]) + energy_of(responses[1]);
    const auto scale = static_cast<float>(
        std::sqrt(direct_energy / tail_energy * std::pow(10.0, -room.direct_to_reverb_db / 10.0)));
    auto& convolver = convolver_for(n + responses[0].size());
    convolver.load(dry);
    for (std::size_t c = 0; c < 2; ++c) {
        for (float& x : responses[c]) x *= scale;
        sound.reverb[c].resize(n);
        convolver.convolve(responses[c], sound.reverb[c]);
    }
    return sound;
}

}  // namespace rivlen::learn
