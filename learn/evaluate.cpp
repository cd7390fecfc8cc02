#include "learn/evaluate.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "core/assess/si_sdr.h"
#include "core/base/levels.h"
#include "core/split/bands.h"
#include "core/split/stft.h"
#include "learn/tensors.h"

namespace rivlen::learn {

namespace {

constexpr double kPresentDb = -60.0;  // a stem quieter than this against the mix counts as absent

std::vector<float> joined(const Stereo& x) {
    std::vector<float> all = x[0];
    all.insert(all.end(), x[1].begin(), x[1].end());
    return all;
}

double level_against(const Stereo& part, const Stereo& whole) {
    return 10.0 * std::log10((energy_of(joined(part)) + 1e-20) / (energy_of(joined(whole)) + 1e-20));
}

std::vector<float> mid(const Stereo& x) {
    std::vector<float> out(x[0].size());
    for (std::size_t i = 0; i < out.size(); ++i) out[i] = 0.5F * (x[0][i] + x[1][i]);
    return out;
}

struct Mean {
    double sum = 0.0;
    int count = 0;
    double lowest = 1e9;
    double highest = -1e9;
    void add(double v) {
        sum += v;
        ++count;
        lowest = std::min(lowest, v);
        highest = std::max(highest, v);
    }
    [[nodiscard]] double value() const { return count > 0 ? sum / count : 0.0; }
};

}  // namespace

EvalSet make_eval_set(const Corpus& corpus, int per_kind, double seconds, bool held_out) {
    const Mixer mixer(corpus, held_out);
    EvalSet set;
    std::uint64_t seed = 1000;
    for (const auto& kind : Mixer::kinds()) {
        for (int i = 0; i < per_kind; ++i) {
            Rng rng(++seed);
            const Scene scene = Mixer::scene_of_kind(kind, rng);
            set.mixes.push_back(mixer.make(scene, static_cast<std::size_t>(seconds * kCorpusRate), rng));
        }
    }
    return set;
}

torch::Tensor network_masks(SeparationNetwork& network, const Mix& mix) {
    const torch::NoGradGuard no_grad;
    const auto features = features_of(mix.mix).unsqueeze(0);
    return torch::softmax(network->forward(features), 1).squeeze(0).contiguous();
}

torch::Tensor oracle_masks(const Mix& mix) {
    Stft stft(kModelFft);
    const std::size_t frames = Stft::frame_count(mix.frames(), kModelHop);
    auto power = torch::zeros({kStems, static_cast<std::int64_t>(frames), kBands});
    auto at = power.accessor<float, 3>();
    for (int s = 0; s < kStems; ++s) {
        for (const auto& channel : mix.stems[static_cast<std::size_t>(s)]) {
            const auto spectra = analyse(stft, channel);
            for (std::size_t i = 0; i < spectra.size(); ++i) {
                at[s][static_cast<std::int64_t>(i / kModelBins)][band_of_bin()[i % kModelBins]] +=
                    std::norm(spectra[i]);
            }
        }
    }
    return (power + 1e-12) / (power + 1e-12).sum(0, true);
}

std::array<Stereo, kStems> apply_masks(const torch::Tensor& masks, const Mix& mix) {
    Stft stft(kModelFft);
    std::array<Stereo, kStems> estimates;
    const auto at = masks.accessor<float, 3>();
    for (std::size_t c = 0; c < 2; ++c) {
        const auto spectra = analyse(stft, mix.mix[c]);
        std::vector<Complex> masked(spectra.size());
        for (int s = 0; s < kStems; ++s) {
            for (std::size_t i = 0; i < spectra.size(); ++i) {
                masked[i] = spectra[i] *
                            at[s][static_cast<std::int64_t>(i / kModelBins)][band_of_bin()[i % kModelBins]];
            }
            estimates[static_cast<std::size_t>(s)][c] = synthesise(stft, masked, mix.frames());
        }
    }
    return estimates;
}

Figures figures_of(const Mix& mix, const std::array<Stereo, kStems>& estimates) {
    Figures figures;
    figures.kind = mix.kind;
    const auto whole = joined(mix.mix);
    int parts = 0;
    for (const auto& stem : mix.stems) parts += level_against(stem, mix.mix) > kPresentDb ? 1 : 0;
    for (std::size_t s = 0; s < kStems; ++s) {
        const std::string name = kStemNames[s];
        if (level_against(mix.stems[s], mix.mix) > kPresentDb) {
            const auto truth = joined(mix.stems[s]);
            const double value = std::clamp(si_sdr_db(joined(estimates[s]), truth), -60.0, 80.0);
            figures.value_db[name] = value;
            if (parts > 1) figures.gain_db[name] = value - std::clamp(si_sdr_db(whole, truth), -60.0, 80.0);
        } else {
            figures.leak_db[name] = std::max(level_against(estimates[s], mix.mix), -120.0);
        }
    }
    if (energy_of(mix.dry_voice) > 0.0 && parts > 1) {
        figures.gain_db["dry voice"] = std::clamp(si_sdr_db(mid(estimates[0]), mix.dry_voice), -60.0, 80.0) -
                                       std::clamp(si_sdr_db(mid(mix.mix), mix.dry_voice), -60.0, 80.0);
    }
    return figures;
}

std::string summary_json(const std::vector<Figures>& figures) {
    std::map<std::string, std::map<std::string, Mean>> table;
    for (const auto& f : figures) {
        for (const std::string& row : {std::string("all"), f.kind}) {
            for (const auto& [name, v] : f.gain_db) table[row]["gain " + name].add(v);
            for (const auto& [name, v] : f.value_db) table[row]["si-sdr " + name].add(v);
            for (const auto& [name, v] : f.leak_db) table[row]["leak " + name].add(v);
        }
    }
    nlohmann::json json;
    for (const auto& [kind, columns] : table) {
        for (const auto& [column, mean] : columns) {
            const double worst = column.starts_with("leak") ? mean.highest : mean.lowest;
            json[kind][column] = {{"mean_db", std::round(mean.value() * 100) / 100},
                                  {"worst_db", std::round(worst * 100) / 100},
                                  {"count", mean.count}};
        }
    }
    return json.dump(1);
}

std::array<double, 4> mean_gains(const std::vector<Figures>& figures) {
    std::array<double, 4> out{};
    const std::array<const char*, 4> names = {"dialogue", "music", "ambience", "dry voice"};
    for (std::size_t i = 0; i < names.size(); ++i) {
        Mean mean;
        for (const auto& f : figures) {
            if (const auto found = f.gain_db.find(names[i]); found != f.gain_db.end())
                mean.add(found->second);
        }
        out[i] = mean.value();
    }
    return out;
}

}  // namespace rivlen::learn
