#include "learn/mask_study.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <complex>

#include "core/split/bands.h"
#include "core/split/stft.h"
#include "learn/evaluate.h"

namespace rivlen::learn {

namespace {

using torch::Tensor;

Tensor sharpened(const Tensor& masks, double power) {
    const auto p = (masks + 1e-8).pow(power);
    return (p / p.sum(0, true)).contiguous();
}

// Multichannel Wiener filter: each stem's power by its mask, its covariance between the channels by a mean
// over +-`reach` frames, weighted by the mask (Duong, Vincent and Gribonval, "Under-determined reverberant
// audio source separation using a full-rank spatial covariance model", 2010, equations 6 and 7, without the
// iterations).
std::array<Stereo, kStems> wiener(const Tensor& masks, const Mix& mix, int reach) {
    Stft stft(kModelFft);
    const std::array<std::vector<Complex>, 2> x = {analyse(stft, mix.mix[0]), analyse(stft, mix.mix[1])};
    const std::size_t frames = x[0].size() / kModelBins;
    const auto at = masks.accessor<float, 3>();
    std::array<std::array<std::vector<Complex>, 2>, kStems> out;
    for (auto& stem : out)
        for (auto& channel : stem) channel.resize(x[0].size());
    struct Covariance {
        double a = 0, d = 0;  // left, right
        std::complex<double> b;
    };
    for (std::size_t k = 0; k < kModelBins; ++k) {
        const auto band = band_of_bin()[k];
        std::array<std::vector<Covariance>, kStems> running;  // sums up to a frame
        for (std::size_t s = 0; s < kStems; ++s) {
            running[s].resize(frames + 1);
            for (std::size_t t = 0; t < frames; ++t) {
                const std::complex<double> l = x[0][t * kModelBins + k];
                const std::complex<double> r = x[1][t * kModelBins + k];
                // Weighted by the square of the mask, so that where a stem is alone counts most.
                const double m =
                    static_cast<double>(at[static_cast<std::int64_t>(s)][static_cast<std::int64_t>(t)][band]);
                const double w = m * m / (std::norm(l) + std::norm(r) + 1e-12);
                running[s][t + 1].a = running[s][t].a + w * std::norm(l);
                running[s][t + 1].d = running[s][t].d + w * std::norm(r);
                running[s][t + 1].b = running[s][t].b + w * l * std::conj(r);
            }
        }
        for (std::size_t t = 0; t < frames; ++t) {
            const std::complex<double> l = x[0][t * kModelBins + k];
            const std::complex<double> r = x[1][t * kModelBins + k];
            const std::size_t first =
                t > static_cast<std::size_t>(reach) ? t - static_cast<std::size_t>(reach) : 0;
            const std::size_t last = std::min(frames, t + static_cast<std::size_t>(reach) + 1);
            std::array<Covariance, kStems> v;
            Covariance sum;
            for (std::size_t s = 0; s < kStems; ++s) {
                Covariance c{running[s][last].a - running[s][first].a,
                             running[s][last].d - running[s][first].d,
                             running[s][last].b - running[s][first].b};
                const double trace = c.a + c.d + 1e-9;
                const double power =
                    static_cast<double>(at[static_cast<std::int64_t>(s)][static_cast<std::int64_t>(t)][band]);
                constexpr double kFloor = 0.02;  // of a covariance that knows one direction only
                v[s] = {power * (c.a / trace + kFloor), power * (c.d / trace + kFloor), power * c.b / trace};
                sum.a += v[s].a;
                sum.d += v[s].d;
                sum.b += v[s].b;
            }
            const double det = sum.a * sum.d - std::norm(sum.b);
            if (det <= 1e-12) {
                for (std::size_t s = 0; s < kStems; ++s) {
                    const float m = at[static_cast<std::int64_t>(s)][static_cast<std::int64_t>(t)][band];
                    out[s][0][t * kModelBins + k] = m * x[0][t * kModelBins + k];
                    out[s][1][t * kModelBins + k] = m * x[1][t * kModelBins + k];
                }
                continue;
            }
            // inverse of the sum times the mix, then each stem's covariance times that
            const auto u = (sum.d * l - sum.b * r) / det;
            const auto w = (-std::conj(sum.b) * l + sum.a * r) / det;
            for (std::size_t s = 0; s < kStems; ++s) {
                out[s][0][t * kModelBins + k] = static_cast<Complex>(v[s].a * u + v[s].b * w);
                out[s][1][t * kModelBins + k] = static_cast<Complex>(std::conj(v[s].b) * u + v[s].d * w);
            }
        }
    }
    std::array<Stereo, kStems> estimates;
    for (std::size_t s = 0; s < kStems; ++s)
        for (std::size_t c = 0; c < 2; ++c) estimates[s][c] = synthesise(stft, out[s][c], mix.frames());
    return estimates;
}

// Phases made to fit the masked magnitudes: multiple input spectrogram inversion (Gunawan and Sen, "Iterative
// phase estimation for the synthesis of separated sources from single-channel mixtures", 2010). Every round
// shares out what the stems lack of the mix, and keeps only the phases of what comes out.
std::array<Stereo, kStems> with_fitted_phases(const Tensor& masks, const Mix& mix, int rounds) {
    Stft stft(kModelFft);
    auto estimates = apply_masks(masks, mix);
    const auto at = masks.accessor<float, 3>();
    for (std::size_t c = 0; c < 2; ++c) {
        const auto x = analyse(stft, mix.mix[c]);
        for (int round = 0; round < rounds; ++round) {
            std::vector<float> lacking = mix.mix[c];
            for (const auto& stem : estimates)
                for (std::size_t i = 0; i < lacking.size(); ++i) lacking[i] -= stem[c][i];
            for (std::size_t s = 0; s < kStems; ++s) {
                auto sound = estimates[s][c];
                for (std::size_t i = 0; i < sound.size(); ++i) sound[i] += lacking[i] / kStems;
                auto spectrum = analyse(stft, sound);
                for (std::size_t i = 0; i < spectrum.size(); ++i) {
                    const float m =
                        at[static_cast<std::int64_t>(s)][static_cast<std::int64_t>(i / kModelBins)]
                          [band_of_bin()[i % kModelBins]];
                    const float now = std::abs(spectrum[i]);
                    if (now > 1e-12F) spectrum[i] *= m * std::abs(x[i]) / now;
                }
                estimates[s][c] = synthesise(stft, spectrum, mix.frames());
            }
        }
    }
    return estimates;
}

}  // namespace

Result<std::string> mask_study(const MaskStudyOptions& options) {
    at::set_num_threads(1);
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    std::vector<SeparationNetwork> networks;
    for (const auto& path : options.models) {
        auto loaded = load_network(path);
        if (!loaded) return loaded.error();
        networks.push_back(loaded->network);
    }
    std::map<std::string, std::vector<Figures>> rows;
    const auto add = [&](const std::string& way, const Mix& mix,
                         const std::array<Stereo, kStems>& estimates) {
        rows[way].push_back(figures_of(mix, estimates));
    };
    for (const auto& mix : make_eval_set(*corpus, options.per_kind, options.seconds, Pool::Learn).mixes) {
        const auto one = network_masks(networks[0], mix);
        add("as they are", mix, apply_masks(one, mix));
        for (const int passes : {2, 4})
            add(fmt::format("{} passes, shifted", passes), mix,
                apply_masks(network_masks(networks[0], mix, passes), mix));
        for (const double power : {0.8, 1.25, 1.5})
            add(fmt::format("to the power {}", power), mix, apply_masks(sharpened(one, power), mix));
        if (networks.size() > 1) {
            auto sum = one.clone();
            for (std::size_t n = 1; n < networks.size(); ++n) sum += network_masks(networks[n], mix);
            sum /= static_cast<double>(networks.size());
            add("mean of the models", mix, apply_masks(sum, mix));
        }
        for (const int rounds : {1, 5})
            add(fmt::format("phases fitted, {} rounds", rounds), mix, with_fitted_phases(one, mix, rounds));
        if (mix.mix[0] == mix.mix[1]) continue;
        add("stereo only: as they are", mix, apply_masks(one, mix));
        for (const int reach : {12, 40, 120})
            add(fmt::format("stereo only: Wiener filter of both channels, +-{} frames", reach), mix,
                wiener(one, mix, reach));
    }
    std::string out =
        "| masks | mixes | dialogue | music | ambience | dry voice |\n|---|---|---|---|---|---|\n";
    for (const auto& [way, figures] : rows) {
        const auto gains = mean_gains(figures);
        out += fmt::format("| {} | {} | {:.2f} | {:.2f} | {:.2f} | {:.2f} |\n", way, figures.size(), gains[0],
                           gains[1], gains[2], gains[3]);
    }
    return out;
}

}  // namespace rivlen::learn
