// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/metrics/bss_eval.h"

#include <Eigen/Cholesky>
#include <algorithm>
#include <bit>
#include <cmath>
#include <complex>

#include "core/dsp/decibels.h"
#include "core/dsp/real_fft.h"

namespace rivlen {

namespace {

using Spectrum = std::vector<std::complex<float>>;

Spectrum spectrum_of(RealFft& fft, std::span<const float> x) {
    fft.forward(x);
    return {fft.bins().begin(), fft.bins().end()};
}

// r[l] = sum over n of a[n] b[n + l], for l in (-taps, taps), at index l + taps - 1.
std::vector<double> correlate(RealFft& fft, const Spectrum& a, const Spectrum& b, int taps) {
    for (std::size_t k = 0; k < a.size(); ++k) fft.bins()[k] = std::conj(a[k]) * b[k];
    fft.inverse();
    std::vector<double> out(static_cast<std::size_t>(2 * taps - 1));
    for (int l = -taps + 1; l < taps; ++l) {
        const std::size_t at =
            l < 0 ? fft.size() - static_cast<std::size_t>(-l) : static_cast<std::size_t>(l);
        out[static_cast<std::size_t>(l + taps - 1)] =
            static_cast<double>(fft.time()[at]) / static_cast<double>(fft.size());
    }
    return out;
}

double ratio_db(double a, double b) {
    return std::clamp(10.0 * std::log10(std::max(a, 1e-30) / std::max(b, 1e-30)), -120.0, 120.0);
}

}  // namespace

struct BssEval::State {
    int taps = 0;
    std::unique_ptr<RealFft> fft;
    std::vector<Spectrum> spectra;
    std::vector<int> place;  // of a reference among those that sound; -1: silent
    Eigen::LLT<Eigen::MatrixXd> all;
    std::vector<Eigen::LLT<Eigen::MatrixXd>> alone;
};

BssEval::BssEval(BssEval&&) noexcept = default;
BssEval& BssEval::operator=(BssEval&&) noexcept = default;
BssEval::~BssEval() = default;

BssEval::BssEval(std::span<const std::vector<float>> references, int taps)
    : state_(std::make_unique<State>()) {
    State& s = *state_;
    s.taps = taps;
    const std::size_t frames = references.empty() ? 0 : references.front().size();
    s.fft = std::make_unique<RealFft>(std::bit_ceil(frames + static_cast<std::size_t>(taps)));
    double loudest = 0.0;
    for (const auto& r : references) loudest = std::max(loudest, energy_of(r));
    for (const auto& r : references) {
        const bool sounds = energy_of(r) > 1e-9 * loudest && loudest > 0.0;
        s.place.push_back(sounds ? static_cast<int>(s.spectra.size()) : -1);
        if (sounds) s.spectra.push_back(spectrum_of(*s.fft, r));
    }
    const auto count = static_cast<Eigen::Index>(s.spectra.size());
    Eigen::MatrixXd gram(count * taps, count * taps);
    for (Eigen::Index i = 0; i < count; ++i) {
        for (Eigen::Index j = i; j < count; ++j) {
            const auto r = correlate(*s.fft, s.spectra[static_cast<std::size_t>(i)],
                                     s.spectra[static_cast<std::size_t>(j)], taps);
            // <a delayed by p, b delayed by q> = r[p - q]
            for (int p = 0; p < taps; ++p) {
                for (int q = 0; q < taps; ++q) {
                    const double v = r[static_cast<std::size_t>(p - q + taps - 1)];
                    gram(i * taps + p, j * taps + q) = v;
                    gram(j * taps + q, i * taps + p) = v;
                }
            }
        }
    }
    // Band-limited references make the matrix all but singular; this much is far below any figure.
    for (Eigen::Index i = 0; i < gram.rows(); ++i) gram(i, i) *= 1.0 + 1e-6;
    s.all.compute(gram);
    for (Eigen::Index i = 0; i < count; ++i) s.alone.emplace_back(gram.block(i * taps, i * taps, taps, taps));
}

BssFigures BssEval::measure(std::span<const float> estimate, std::size_t target) const {
    const State& s = *state_;
    const auto place = static_cast<Eigen::Index>(s.place.at(target));
    if (place < 0) return {-120.0, -120.0, -120.0};
    const auto count = static_cast<Eigen::Index>(s.spectra.size());
    const Spectrum spectrum = spectrum_of(*s.fft, estimate);
    Eigen::VectorXd d(count * s.taps);
    for (Eigen::Index i = 0; i < count; ++i) {
        const auto r = correlate(*s.fft, s.spectra[static_cast<std::size_t>(i)], spectrum, s.taps);
        for (int p = 0; p < s.taps; ++p) d(i * s.taps + p) = r[static_cast<std::size_t>(p + s.taps - 1)];
    }
    // Energies of projections: |P x|^2 = d' G^-1 d; the projections are nested, so their differences are
    // orthogonal.
    const double whole = energy_of(estimate);
    const double onto_all = std::min(d.dot(s.all.solve(d)), whole);
    const Eigen::VectorXd own = d.segment(place * s.taps, s.taps);
    const double onto_target =
        std::min(own.dot(s.alone[static_cast<std::size_t>(place)].solve(own)), onto_all);
    return {ratio_db(onto_target, whole - onto_target), ratio_db(onto_target, onto_all - onto_target),
            ratio_db(onto_all, whole - onto_all)};
}

}  // namespace rivlen
