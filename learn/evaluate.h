// SPDX-License-Identifier: GPL-3.0-or-later
// Figures of a network on fixed mixes that it never learned from.
#pragma once

#include <filesystem>
#include <functional>
#include <map>
#include <string>
#include <vector>

#include "core/base/result.h"
#include "engine/network.h"
#include "learn/mixer.h"

namespace rivlen::learn {

// What most studies begin with.
struct CorpusAndModel {
    Corpus corpus;
    SeparationNetwork network;
};
// torch keeps to one thread from then on. Errors: those of Corpus::open() and load_network().
[[nodiscard]] Result<CorpusAndModel> open_to_measure(const std::filesystem::path& corpus,
                                                     const std::filesystem::path& model);

struct EvalSet {
    std::vector<Mix> mixes;
};
// `per_kind` mixes of every kind of Mixer::kinds(), `seconds` long, always the same for the same corpus.
// From Pool::Learn: the distance to the others shows how much is memory.
[[nodiscard]] EvalSet make_eval_set(const Corpus& corpus, int per_kind, double seconds,
                                    Pool pool = Pool::Choose);

// Masks [stems, frames, bands] for a mix by the network (the mean over so many passes, each behind another
// part of a patch of nothing), or the oracle ratio mask from the known parts.
[[nodiscard]] torch::Tensor network_masks(SeparationNetwork& network, const Mix& mix, int passes = 1);
[[nodiscard]] torch::Tensor oracle_masks(const Mix& mix);
// The four stems that masks cut out of a mix.
[[nodiscard]] std::array<Stereo, kStems> apply_masks(const torch::Tensor& masks, const Mix& mix);

// Figures of one mix. Gains are SI-SDR of the estimate less that of the mix, in dB, for stems present in the
// mix; bleed_db is the level of an absent stem's estimate against the mix.
struct Figures {
    std::string kind;
    std::map<std::string, double> gain_db;   // by stem name, and "dry voice"; "voice without its reverb":
                                             // as the dry voice, against the voice with it
    std::map<std::string, double> value_db;  // SI-SDR itself, where there is nothing to gain (voice alone)
    std::map<std::string, double> bleed_db;
    std::map<std::string, double> voice;  // "sdr", "sir", "sar", "estoi" (of the estimate), "mix sdr", "mix
                                          // sir", "mix estoi", "oracle gain", "denoiser gain"
};
[[nodiscard]] Figures figures_of(const Mix& mix, const std::array<Stereo, kStems>& estimates);

// For a mix with a voice and something else: BSS Eval and ESTOI of the voice (of mid channels), of the mix
// itself and of the estimate, and the voice's SI-SDR gain by the oracle ratio mask and by FFmpeg's spectral
// denoiser (afftdn, noise floor tracked, its delay taken out). Takes some seconds a mix. Errors: NotFound
// when ffmpeg cannot be run.
[[nodiscard]] Status add_voice_figures(const Mix& mix, const std::array<Stereo, kStems>& estimates,
                                       Figures& figures);

// 32-bit float at kCorpusRate; appears whole or not at all. Errors: DiskFull, Io.
[[nodiscard]] Status write_stereo(const std::filesystem::path& file, const Stereo& sound);

// Writes the ten mixes whose worst stem gains least, as files to look at and listen to: the mix, what the
// stem is, and what came out. mix_of makes mix i again, `estimate` its stems. Errors: DiskFull, Io.
[[nodiscard]] Status keep_worst(const std::vector<Figures>& figures,
                                const std::function<Mix(std::size_t)>& mix_of,
                                const std::function<std::array<Stereo, kStems>(const Mix&)>& estimate,
                                const std::filesystem::path& folder);

// A row a kind, gains as mean (worst).
[[nodiscard]] std::string gain_table(const std::vector<Figures>& figures);
// The table of the figures that add_voice_figures() adds.
[[nodiscard]] std::string voice_table(const std::vector<Figures>& figures);

// Means over figures as a JSON text: overall and by kind.
[[nodiscard]] std::string summary_json(const std::vector<Figures>& figures);
// One line: mean gains over mixes with at least two parts.
inline constexpr std::array<const char*, 4> kGainColumns = {"dialogue", "music", "ambience", "dry voice"};
[[nodiscard]] std::array<double, 4> mean_gains(const std::vector<Figures>& figures,
                                               const std::array<const char*, 4>& names = kGainColumns);

}  // namespace rivlen::learn
