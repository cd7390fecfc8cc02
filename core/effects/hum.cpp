// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/hum.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/decibels.h"
#include "core/dsp/hann.h"

namespace rivlen {

namespace {
constexpr double kHumHopSeconds = 0.1;
constexpr double kTurn = 2 * std::numbers::pi;
constexpr double kCoherent = 0.35, kSurelyCoherent = 0.65;
constexpr double kLeastWeights = 4;             // so many measurements of about the same weight
constexpr double kFades = 0.995, kRises = 0.6;  // a hop, of the share
std::size_t hum_hop_frames(int sample_rate) {
    return static_cast<std::size_t>(std::lround(kHumHopSeconds * sample_rate));
}
}  // namespace

HumRemover::HumRemover(int sample_rate, std::size_t channels)
    : OverlapAddProcessor(kHops * hum_hop_frames(sample_rate), hum_hop_frames(sample_rate), channels),
      rate_(sample_rate),
      memory_(kMemory, Amplitudes(channels)),
      now_(channels),
      before_(channels) {
    const std::size_t length = 2 * hop();
    hann_.resize(length);
    double sum = 0;
    for (std::size_t i = 0; i < length; ++i) {
        hann_[i] = symmetric_hann(i, length);
        sum += hann_[i];
    }
    for (double& w : hann_) w *= 2 / sum;  // a cosine of amplitude 1 measures 1
    carrier_.resize(length);
}

void HumRemover::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Hum> values(all);
    if (values == values_) return;
    const bool moved = values[parameter::kHumHz] != values_[parameter::kHumHz];
    values_ = values;
    harmonics_ =
        std::min(kHarmonics, static_cast<std::size_t>(std::lround(values[parameter::kHumHarmonics])));
    if (moved) forget();
}

void HumRemover::forget() {
    frequency_ = values_[parameter::kHumHz];
    at_ = filled_ = 0;
    share_.fill(0);
    now_.clear();
    before_.clear();
    phases_.fill(0);
    frequencies_.fill(frequency_);
}

// The two newest hops against the harmonics; phases count from the beginning of the newest hop's predecessor.
void HumRemover::measure(const ChannelBlock& sound, Amplitudes& out) const {
    const std::size_t from = window() - 2 * hop();
    out.clear();
    std::array<double, kMostChannels> x;  // of which the first are written
    // One carrier, its powers by multiplication.
    for (std::size_t i = 0; i < hann_.size(); ++i) {
        const Amplitude carrier = carrier_[i];
        Amplitude power = carrier;
        for (std::size_t c = 0; c < sound.size(); ++c)
            x[c] = hann_[i] * static_cast<double>(sound[c][from + i]);
        for (std::size_t k = 0; k < harmonics_; ++k) {
            const auto sums = out[k];
            for (std::size_t c = 0; c < sums.size(); ++c) sums[c] += x[c] * power;
            power = {power.real() * carrier.real() - power.imag() * carrier.imag(),
                     power.real() * carrier.imag() + power.imag() * carrier.real()};
        }
    }
}

void HumRemover::weigh() {
    double least = 1e300;
    for (std::size_t m = 0; m < filled_; ++m) least = std::min(least, loudness_[m]);
    for (std::size_t m = 0; m < filled_; ++m) weight_[m] = 1 / (loudness_[m] + 0.5 * least + 1e-14);
}

// How fast the phases turn says how far off the frequency is.
void HumRemover::follow() {
    const double reach = values_[parameter::kHumFollowHz];
    if (filled_ < kMemory / 4 || reach <= 0) return;
    double turned = 0;
    double sum = 0;
    for (std::size_t k = 0; k < harmonics_; ++k) {
        if (share_[k] < 0.2) continue;
        Amplitude lag{};
        double power = 0;
        for (std::size_t m = 1; m < filled_; ++m) {
            const std::size_t newer = (at_ + kMemory - m) % kMemory;
            const std::size_t older = (newer + kMemory - 1) % kMemory;
            const double w = std::min(weight_[newer], weight_[older]);
            for (std::size_t c = 0; c < channels(); ++c) {
                lag += w * memory_[newer][k][c] * std::conj(memory_[older][k][c]);
                power += w * (std::norm(memory_[newer][k][c]) + std::norm(memory_[older][k][c])) / 2;
            }
        }
        if (power <= 0 || std::abs(lag) < 0.5 * power) continue;
        const double order = static_cast<double>(k + 1);
        const double trust = order * order * std::abs(lag) / power * share_[k];
        turned += trust * std::arg(lag) / (kTurn * order * kHumHopSeconds);
        sum += trust;
    }
    if (sum <= 0) return;
    constexpr double kPull = 0.2;
    const double wanted = std::clamp(frequency_ + kPull * turned / sum, values_[parameter::kHumHz] - reach,
                                     values_[parameter::kHumHz] + reach);
    const double change = wanted - frequency_;
    frequency_ = wanted;
    // What is remembered, as if it had been measured with the new frequency.
    for (std::size_t m = 0; m < filled_; ++m) {
        const std::size_t place = (at_ + kMemory - 1 - m) % kMemory;
        for (std::size_t k = 0; k < harmonics_; ++k) {
            const auto turn = std::polar(
                1.0, kTurn * static_cast<double>(k + 1) * change * kHumHopSeconds * static_cast<double>(m));
            for (auto& amplitude : memory_[place][k]) amplitude *= turn;
        }
    }
}

void HumRemover::work(ChannelBlock sound) {
    const double hop_seconds = static_cast<double>(hop()) / rate_;
    std::shift_left(phases_.begin(), phases_.end(), 1);
    std::shift_left(frequencies_.begin(), frequencies_.end(), 1);
    const double turned = phases_[kHops - 2] + frequencies_[kHops - 2] * hop_seconds;
    phases_[kHops - 1] = turned - std::floor(turned);
    frequencies_[kHops - 1] = frequency_;
    // Carrier over the two newest hops, e^(-j phase).
    for (std::size_t h = 0; h < 2; ++h) {
        const std::size_t place = kHops - 2 + h;
        const Amplitude step = std::polar(1.0, -kTurn * frequencies_[place] / rate_);
        Amplitude carrier = std::polar(1.0, -kTurn * phases_[place]);
        for (std::size_t i = 0; i < hop(); ++i) {
            carrier_[h * hop() + i] = carrier;
            carrier *= step;
        }
    }
    measure(sound, memory_[at_]);
    double loudness = 0;
    for (std::size_t c = 0; c < channels(); ++c) loudness += energy_of(sound[c].last(2 * hop()));
    loudness_[at_] = loudness / static_cast<double>(2 * hop());
    at_ = (at_ + 1) % kMemory;
    filled_ = std::min(filled_ + 1, kMemory);
    weigh();
    follow();

    double weights = 0;
    double squares = 0;
    for (std::size_t m = 0; m < filled_; ++m) {
        weights += weight_[m];
        squares += weight_[m] * weight_[m];
    }
    const double count = weights * weights / squares;
    before_ = now_;
    const double amount = 1 - amplitude_of_db(values_[parameter::kHumMaxReductionDb]);
    for (std::size_t k = 0; k < kHarmonics; ++k) {
        if (k >= harmonics_ || static_cast<double>(k + 1) * frequency_ > 0.45 * rate_) {
            std::ranges::fill(now_[k], Amplitude());
            share_[k] = 0;
            continue;
        }
        std::array<Amplitude, kMostChannels> means{};
        const auto mean = std::span(means).first(channels());
        double power = 0;
        for (std::size_t m = 0; m < filled_; ++m) {
            for (std::size_t c = 0; c < channels(); ++c) {
                mean[c] += weight_[m] * memory_[m][k][c];
                power += weight_[m] * std::norm(memory_[m][k][c]);
            }
        }
        double steady = 0;
        for (auto& amplitude : mean) {
            amplitude /= weights;
            steady += std::norm(amplitude);
        }
        power /= weights;
        double coherence = power > 0 ? steady / power : 0;
        // What unrelated measurements would have by chance.
        coherence = count > kLeastWeights ? (coherence * count - 1) / (count - 1) : 0;
        const double wanted = std::clamp((coherence - kCoherent) / (kSurelyCoherent - kCoherent), 0.0, 1.0);
        const double keep = wanted < share_[k] ? kFades : kRises;
        share_[k] = keep * share_[k] + (1 - keep) * wanted;
        if (share_[k] < 1e-3) {
            std::ranges::fill(now_[k], Amplitude());
            continue;
        }
        // While a voice covers it, the last good measurement holds.
        if (wanted > 0) std::ranges::copy(mean, now_[k].begin());
    }
    leaves_instead_of(energy_of(sound.first(hop())));
    subtract(sound, amount);
}

// From the hop that leaves, with the amplitudes moving from the last ones to these.
void HumRemover::subtract(ChannelBlock sound, double amount) const {
    const Amplitude step = std::polar(1.0, kTurn * frequencies_[0] / rate_);
    Amplitude carrier = std::polar(1.0, kTurn * phases_[0]);
    std::array<double, kHarmonics> shares{};
    std::size_t last = 0;
    for (std::size_t k = 0; k < harmonics_; ++k) {
        shares[k] = share_[k] * amount;
        if (shares[k] > 0) last = k + 1;
    }
    if (last == 0) return;
    for (std::size_t i = 0; i < hop(); ++i) {
        const double part = (static_cast<double>(i) + 1) / static_cast<double>(hop());
        Amplitude power = carrier;
        std::array<double, kMostChannels> hum;
        std::fill_n(hum.begin(), sound.size(), 0.0);
        for (std::size_t k = 0; k < last; ++k) {
            for (std::size_t c = 0; c < sound.size(); ++c) {
                const Amplitude a = before_[k][c] + part * (now_[k][c] - before_[k][c]);
                hum[c] += shares[k] * (a.real() * power.real() - a.imag() * power.imag());
            }
            power = {power.real() * carrier.real() - power.imag() * carrier.imag(),
                     power.real() * carrier.imag() + power.imag() * carrier.real()};
        }
        for (std::size_t c = 0; c < sound.size(); ++c) sound[c][i] -= static_cast<float>(hum[c]);
        carrier *= step;
    }
}

}  // namespace rivlen
