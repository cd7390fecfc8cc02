// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/evaluate.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <nlohmann/json.hpp>

#include "core/dsp/decibels.h"
#include "core/dsp/stft.h"
#include "core/media/decode.h"
#include "core/media/sound_file.h"
#include "core/separation/bands.h"
#include "learn/metrics/bss_eval.h"
#include "learn/metrics/si_sdr.h"
#include "learn/metrics/stoi.h"
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

torch::Tensor passes_over(SeparationNetwork& network, const torch::Tensor& features, int passes) {
    namespace F = torch::nn::functional;
    torch::Tensor sum;
    for (int pass = 0; pass < passes; ++pass) {
        const std::int64_t shift = pass * network->spec().patch_frames / passes;
        const auto seen = shift == 0 ? features : F::pad(features, F::PadFuncOptions({0, 0, 0, 0, shift, 0}));
        const auto masks = network->forward(seen).narrow(1, shift, features.size(1));
        sum = sum.defined() ? sum + masks : masks;
    }
    return passes == 1 ? sum : sum / static_cast<double>(passes);
}

}  // namespace

Result<CorpusAndModel> open_to_measure(const std::filesystem::path& corpus,
                                       const std::filesystem::path& model) {
    at::set_num_threads(1);
    auto opened = Corpus::open(corpus);
    if (!opened) return opened.error();
    auto loaded = load_network(model);
    if (!loaded) return loaded.error();
    return CorpusAndModel{std::move(*opened), loaded->network};
}

EvalSet make_eval_set(const Corpus& corpus, int per_kind, double seconds, Pool pool) {
    const Mixer mixer(corpus, pool);
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

torch::Tensor network_masks(SeparationNetwork& network, const Mix& mix, int passes) {
    const torch::NoGradGuard no_grad;
    const auto features = features_of(mix.mix).unsqueeze(0);
    return passes_over(network, features, passes).squeeze(0).transpose(0, 1).contiguous();
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
        const std::string name = mix.stem_names[s];
        if (level_against(mix.stems[s], mix.mix) > kPresentDb) {
            const auto truth = joined(mix.stems[s]);
            const double value = std::clamp(si_sdr_db(joined(estimates[s]), truth), -60.0, 80.0);
            figures.value_db[name] = value;
            if (parts > 1) figures.gain_db[name] = value - std::clamp(si_sdr_db(whole, truth), -60.0, 80.0);
        } else {
            figures.bleed_db[name] = std::max(level_against(estimates[s], mix.mix), -120.0);
        }
    }
    if (energy_of(mix.dry_voice) > 0.0 && parts > 1) {
        const auto against_dry = [&](const std::vector<float>& sound) {
            return std::clamp(si_sdr_db(sound, mix.dry_voice), -60.0, 80.0);
        };
        const auto voice = mid(estimates[0]);
        figures.gain_db["dry voice"] = against_dry(voice) - against_dry(mid(mix.mix));
        if (figures.value_db.contains("reverb")) {
            auto in_its_room = mid(estimates[1]);
            for (std::size_t i = 0; i < in_its_room.size(); ++i) in_its_room[i] += voice[i];
            figures.gain_db["voice without its reverb"] = against_dry(voice) - against_dry(in_its_room);
        }
    }
    return figures;
}

namespace {

// Samples by which `late` lags behind `early`, 0 to `most`; from the two seconds in their middle.
std::size_t lag_of(std::span<const float> late, std::span<const float> early, std::size_t most) {
    const std::size_t count = std::min<std::size_t>(2 * kCorpusRate, early.size() - most);
    const std::size_t from = (early.size() - most - count) / 2;
    std::size_t best = 0;
    double highest = -1e30;
    for (std::size_t lag = 0; lag <= most; ++lag) {
        float sum = 0.0F;
        for (std::size_t i = 0; i < count; ++i) sum += late[from + lag + i] * early[from + i];
        if (static_cast<double>(sum) > highest) {
            highest = static_cast<double>(sum);
            best = lag;
        }
    }
    return best;
}

Result<std::vector<float>> denoised(const std::vector<float>& mono) {
    constexpr std::size_t kMostDelay = 8192;
    const std::filesystem::path folder =
        std::filesystem::temp_directory_path() / fmt::format("rivlen-eval-{}", ::getpid());
    std::filesystem::create_directories(folder);
    const std::vector<std::vector<float>> channel = {mono};
    auto writer = SoundFileWriter::create(folder / "mix.wav", SoundFormat::WavFloat, kCorpusRate, 1);
    if (!writer) return writer.error();
    if (auto status = writer->write(channel); !status) return status.error();
    if (auto status = writer->commit(); !status) return status.error();
    const std::string command = fmt::format(
        "cd '{}' && ffmpeg -v error -y -i mix.wav -af apad=pad_len={},afftdn=nr=24:tn=1 -c:a pcm_f32le "
        "out.wav",
        folder.string(), kMostDelay);
    const bool ran = std::system(command.c_str()) == 0;  // NOLINT(concurrency-mt-unsafe,cert-env33-c)
    auto out = ran ? read_audio(folder / "out.wav")
                   : Result<AudioBlock>(make_error(ErrorKind::NotFound, "Cannot run ffmpeg."));
    std::error_code ignored;
    std::filesystem::remove_all(folder, ignored);
    if (!out) return out.error();
    std::vector<float> sound = std::move(out->take()[0]);
    sound.resize(mono.size() + kMostDelay, 0.0F);
    std::vector<float> padded = mono;
    padded.resize(sound.size(), 0.0F);
    const std::size_t lag = lag_of(sound, padded, kMostDelay);
    sound.erase(sound.begin(), sound.begin() + static_cast<std::ptrdiff_t>(lag));
    sound.resize(mono.size(), 0.0F);
    return sound;
}

std::string cell(const Mean& mean, bool with_lowest) {
    if (mean.count == 0) return "-";
    return with_lowest ? fmt::format("{:.1f} ({:.1f})", mean.value(), mean.lowest)
                       : fmt::format("{:.2f}", mean.value());
}

// Rows "all" and every kind in the order of Mixer::kinds(), one column for each key.
template <typename Pick>
std::string table_of(const std::vector<Figures>& figures, const std::vector<std::string>& keys,
                     const Pick& pick, bool with_lowest) {
    std::string out;
    std::vector<std::string> rows = {"all"};
    rows.insert(rows.end(), Mixer::kinds().begin(), Mixer::kinds().end());
    for (const auto& row : rows) {
        std::map<std::string, Mean> means;
        for (const auto& f : figures) {
            if (row != "all" && row != f.kind) continue;
            for (const auto& [key, value] : pick(f)) means[key].add(value);
        }
        if (means.empty()) continue;
        out += "| " + row;
        for (const auto& key : keys) out += " | " + cell(means[key], with_lowest);
        out += " |\n";
    }
    return out;
}

}  // namespace

Status add_voice_figures(const Mix& mix, const std::array<Stereo, kStems>& estimates, Figures& figures) {
    const auto gain = figures.gain_db.find("dialogue");
    if (gain == figures.gain_db.end()) return {};
    std::vector<std::vector<float>> parts;
    for (const auto& stem : mix.stems) parts.push_back(mid(stem));
    const auto whole = mid(mix.mix);
    const auto voice = mid(estimates[0]);
    const BssEval bss(parts);
    const BssFigures now = bss.measure(voice, 0);
    const BssFigures before = bss.measure(whole, 0);
    figures.voice["sdr"] = now.sdr_db;
    figures.voice["sir"] = now.sir_db;
    figures.voice["sar"] = now.sar_db;
    figures.voice["mix sdr"] = before.sdr_db;
    figures.voice["mix sir"] = before.sir_db;
    figures.voice["estoi"] = intelligibility(parts[0], voice, kCorpusRate).estoi;
    figures.voice["mix estoi"] = intelligibility(parts[0], whole, kCorpusRate).estoi;
    const auto truth = joined(mix.stems[0]);
    const auto gain_of = [](const std::vector<float>& estimate, const std::vector<float>& from,
                            const std::vector<float>& reference) {
        return std::clamp(si_sdr_db(estimate, reference), -60.0, 80.0) -
               std::clamp(si_sdr_db(from, reference), -60.0, 80.0);
    };
    figures.voice["oracle gain"] =
        gain_of(joined(apply_masks(oracle_masks(mix), mix)[0]), joined(mix.mix), truth);
    auto cleaned = denoised(whole);
    if (!cleaned) return cleaned.error();
    figures.voice["denoiser gain"] = gain_of(*cleaned, whole, parts[0]);
    return {};
}

Status write_stereo(const std::filesystem::path& file, const Stereo& sound) {
    auto writer = SoundFileWriter::create(file, SoundFormat::WavFloat, kCorpusRate, 2);
    if (!writer) return writer.error();
    if (auto status = writer->write(sound); !status) return status;
    return writer->commit();
}

Status keep_worst(const std::vector<Figures>& figures, const std::function<Mix(std::size_t)>& mix_of,
                  const std::function<std::array<Stereo, kStems>(const Mix&)>& estimate,
                  const std::filesystem::path& folder) {
    struct Case {
        double gain_db;
        std::size_t mix, stem;
        bool operator<(const Case& other) const { return gain_db < other.gain_db; }
    };
    std::vector<Case> cases;
    for (std::size_t m = 0; m < figures.size(); ++m) {
        Case worst{1e9, m, 0};
        for (std::size_t s = 0; s < kStems; ++s) {
            // What little reverb a nearly dry voice has says nothing.
            if (s == static_cast<std::size_t>(Stem::Reverb)) continue;
            const auto gain = figures[m].gain_db.find(kStemNames[s]);
            if (gain != figures[m].gain_db.end()) worst = std::min(worst, Case{gain->second, m, s});
        }
        if (worst.gain_db < 1e9) cases.push_back(worst);
    }
    std::ranges::sort(cases, std::less());
    cases.resize(std::min<std::size_t>(cases.size(), 10));
    std::filesystem::create_directories(folder);
    for (std::size_t i = 0; i < cases.size(); ++i) {
        const auto& c = cases[i];
        const auto name =
            fmt::format("{:02} {}, {} {:+.1f} dB", i + 1, figures[c.mix].kind, kStemNames[c.stem], c.gain_db);
        fmt::print("{}\n", name);
        const Mix mix = mix_of(c.mix);
        const auto estimates = estimate(mix);
        const std::array<std::pair<const char*, const Stereo*>, 3> sounds = {
            {{"mix", &mix.mix}, {"is", &mix.stems[c.stem]}, {"came out", &estimates[c.stem]}}};
        for (const auto& [what, sound] : sounds) {
            const auto file = folder / fmt::format("{} {}.wav", name, what);
            if (auto status = write_stereo(file, *sound); !status) return status;
        }
    }
    return {};
}

std::string gain_table(const std::vector<Figures>& figures) {
    return "| kind | dialogue | music | ambience | dry voice |\n|---|---|---|---|---|\n" +
           table_of(
               figures, {kGainColumns.begin(), kGainColumns.end()},
               [](const Figures& f) { return f.gain_db; }, true);
}

std::string voice_table(const std::vector<Figures>& figures) {
    return "| kind | SDR | of the mix | SIR | of the mix | SAR | ESTOI | of the mix | gain by oracle mask | "
           "by denoiser "
           "|\n|---|---|---|---|---|---|---|---|---|---|\n" +
           table_of(
               figures,
               {"sdr", "mix sdr", "sir", "mix sir", "sar", "estoi", "mix estoi", "oracle gain",
                "denoiser gain"},
               [](const Figures& f) { return f.voice; }, false);
}

std::string summary_json(const std::vector<Figures>& figures) {
    std::map<std::string, std::map<std::string, Mean>> table;
    for (const auto& f : figures) {
        for (const std::string& row : {std::string("all"), f.kind}) {
            for (const auto& [name, v] : f.gain_db) table[row]["gain " + name].add(v);
            for (const auto& [name, v] : f.value_db) table[row]["si-sdr " + name].add(v);
            for (const auto& [name, v] : f.bleed_db) table[row]["leak " + name].add(v);
            for (const auto& [name, v] : f.voice) table[row]["voice " + name].add(v);
        }
    }
    nlohmann::json json;
    for (const auto& [kind, columns] : table) {
        for (const auto& [column, mean] : columns) {
            const double worst = column.starts_with("leak") ? mean.highest : mean.lowest;
            json[kind][column] = {{"mean", std::round(mean.value() * 100) / 100},
                                  {"worst", std::round(worst * 100) / 100},
                                  {"count", mean.count}};
        }
    }
    return json.dump(1);
}

std::array<double, 4> mean_gains(const std::vector<Figures>& figures,
                                 const std::array<const char*, 4>& names) {
    std::array<double, 4> out{};
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
