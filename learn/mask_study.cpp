// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/mask_study.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <unistd.h>

#include <filesystem>

#include "core/dsp/stft.h"
#include "core/separation/shaper.h"
#include "learn/evaluate.h"
#include "learn/mix_on_disk.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;
using torch::Tensor;

Tensor sharpened(const Tensor& masks, double power) {
    const auto p = (masks + 1e-8).pow(power);
    return (p / p.sum(0, true)).contiguous();
}

// The stems as the program renders them, all neutral.
Result<std::array<Stereo, kStems>> rendered(const MixOnDisk& mix, bool both_channels) {
    ShapeSettings settings;
    settings.use_both_channels(both_channels);
    std::array<MaskWeights, kStems> weight_sets;
    for (std::size_t s = 0; s < kStems; ++s) weight_sets[s] = stem_weights(settings.stems[s], s);
    std::array<Stereo, kStems> out;
    const auto status =
        render(mix.source(), mix.map(), weight_sets, 0, mix.length(), {}, [&](std::int64_t, auto blocks) {
            for (std::size_t s = 0; s < kStems; ++s) {
                for (std::size_t c = 0; c < 2; ++c)
                    out[s][c].insert(out[s][c].end(), blocks[s][c].begin(), blocks[s][c].end());
            }
            return Status{};
        });
    if (!status) return status.error();
    return out;
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
        auto on_disk = MixOnDisk::make(fs::temp_directory_path() / fmt::format("rivlen-masks-{}", ::getpid()),
                                       mix.mix, one);
        if (!on_disk) return on_disk.error();
        for (const bool both_channels : {false, true}) {
            auto stems = rendered(**on_disk, both_channels);
            if (!stems) return stems.error();
            add(both_channels ? "stereo only: both channels used" : "stereo only: as they are", mix, *stems);
        }
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
