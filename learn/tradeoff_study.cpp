// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/tradeoff_study.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>
#include <unistd.h>

#include <algorithm>
#include <atomic>
#include <cmath>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/assessment/proposal.h"
#include "core/assessment/statistics.h"
#include "core/assessment/tradeoff.h"
#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "core/separation/shaper.h"
#include "learn/evaluate.h"
#include "learn/metrics/bss_eval.h"
#include "learn/metrics/si_sdr.h"
#include "learn/metrics/stoi.h"
#include "learn/mix_on_disk.h"

namespace rivlen::learn {

namespace {

namespace fs = std::filesystem;
using nlohmann::json;

constexpr std::size_t kDialogue = static_cast<std::size_t>(Stem::Dialogue);
constexpr std::size_t kCurvePoints = 41;

// Isolation alone, and isolation together with each of the other settings.
std::vector<StemSettings> settings_grid() {
    std::vector<StemSettings> grid;
    const auto add = [&](double isolation, std::vector<std::pair<Setting, double>> others) {
        StemSettings s;
        s.set(Setting::Isolation, isolation);
        for (const auto& [setting, value] : others) {
            s.set(setting, value);
            s.set_on(setting, true);
        }
        grid.push_back(s);
    };
    for (const double p : {10.0, 25.0, 40.0, 50.0, 60.0, 70.0, 80.0, 90.0, 100.0}) add(p, {});
    for (const double p : {60.0, 80.0, 100.0}) add(p, {{Setting::Floor, -18}});
    add(100, {{Setting::Floor, -8}});
    for (const double p : {40.0, 60.0, 80.0, 100.0}) add(p, {{Setting::TemporalSmoothing, 50}});
    for (const double p : {60.0, 80.0, 100.0}) add(p, {{Setting::Guard, 80}});
    for (const double p : {80.0, 100.0}) add(p, {{Setting::ReverbKept, 50}});
    return grid;
}

struct Truth {
    double si_sdr_db, estoi;
    BssFigures bss;
};

// One mix as a recording of one channel with its map, on disk, as the program has it.
class Bench {
  public:
    Bench(const Mix& mix, SeparationNetwork& network, const fs::path& folder) {
        std::vector<std::vector<float>> parts;
        // The side on which the voice is louder, as a recording of one channel.
        const auto& voice = mix.stems[kDialogue];
        const std::size_t side = energy_of(voice[0]) >= energy_of(voice[1]) ? 0 : 1;
        for (const auto& stem : mix.stems) parts.push_back(stem[side]);
        Mix one = mix;
        one.mix[1 - side] = one.mix[side];
        const std::vector<std::vector<float>> channel = {mix.mix[side]};
        mix_ = MixOnDisk::make(folder, channel, network_masks(network, one)).value();
        voice_ = parts[kDialogue];
        bss_ = std::make_unique<BssEval>(parts);
    }
    [[nodiscard]] Assessment assessment() const {
        return std::move(Assessment::prepare(mix_->source(), mix_->map(), 0, mix_->length()).value());
    }
    [[nodiscard]] Truth truth(const StemSettings& settings) const {
        const std::array weight_sets = {stem_weights(settings, kDialogue)};
        std::vector<float> out;
        const Status status = render(mix_->source(), mix_->map(), weight_sets, 0, mix_->length(), {},
                                     [&](std::int64_t, auto blocks) {
                                         out.insert(out.end(), blocks[0][0].begin(), blocks[0][0].end());
                                         return Status{};
                                     });
        if (!status) std::abort();
        return {si_sdr_db(out, voice_), intelligibility(voice_, out, kCorpusRate).estoi,
                bss_->measure(out, kDialogue)};
    }

  private:
    std::unique_ptr<MixOnDisk> mix_;
    std::vector<float> voice_;
    std::unique_ptr<BssEval> bss_;
};

// One number for "little interference and few artifacts": the harmonic mean of both as amplitude ratios.
double combined(const BssFigures& f) {
    const auto power = [](double db) { return std::pow(10.0, -std::clamp(db, -30.0, 60.0) / 10.0); };
    return -10.0 * std::log10(power(f.sir_db) + power(f.sar_db));
}

json row_of(const TradeOff& e, const Truth& t) {
    return {{"leak_db", e.bleed_db},
            {"damage", e.damage},
            {"loss", e.parts.loss},
            {"own_db", e.own_db},
            {"flicker", e.parts.gain_modulation},
            {"consonants_db", e.parts.consonants_db},
            {"musical_noise", e.parts.musical_noise},
            {"holes", e.parts.holes},
            {"thinness_db", e.parts.thinness_db},
            {"si_sdr_db", t.si_sdr_db},
            {"estoi", t.estoi},
            {"sdr_db", t.bss.sdr_db},
            {"sir_db", t.bss.sir_db},
            {"sar_db", t.bss.sar_db},
            {"combined_db", combined(t.bss)}};
}

json study_one(const Mix& mix, SeparationNetwork& network, const fs::path& folder) {
    const Bench bench(mix, network, folder);
    const Assessment assessment = bench.assessment();
    json out = {{"kind", mix.kind}, {"settings", json::array()}, {"proposals", json::object()}};
    for (const auto& settings : settings_grid())
        out["settings"].push_back(
            row_of(assessment.measure(stem_weights(settings, kDialogue), kDialogue), bench.truth(settings)));
    const auto curve = assessment.curve({}, kDialogue, kCurvePoints);
    const auto at = [&](const Proposal& proposal) {
        StemSettings s;
        take(proposal, s);
        json row = row_of(assessment.measure(stem_weights(s, kDialogue), kDialogue), bench.truth(s));
        row["isolation"] = proposal.isolation_percent;
        return row;
    };
    for (std::size_t p = 0; p < kPurposes; ++p)
        out["proposals"][kPurposeKeys[p]] = at(propose(curve, static_cast<Purpose>(p)));
    out["proposals"]["fixed 50 %"] = at(Proposal{50, 0, {}, {}});
    out["proposals"]["fixed 100 %"] = at(Proposal{100, 0, {}, {}});
    return out;
}

double median(std::vector<double> x) {
    if (x.empty()) return 0.0;
    std::ranges::sort(x);
    return x.size() % 2 == 1 ? x[x.size() / 2] : 0.5 * (x[x.size() / 2 - 1] + x[x.size() / 2]);
}

std::vector<double> column(const json& rows, const char* key, double sign) {
    std::vector<double> out;
    for (const auto& row : rows) out.push_back(sign * row[key].get<double>());
    return out;
}

void report(const json& mixes, const std::function<void(const std::string&)>& log) {
    const auto line = [&](const char* estimate, const char* truth, double sign) {
        std::vector<double> all;
        for (const auto& mix : mixes)
            all.push_back(
                spearman(column(mix["settings"], estimate, 1), column(mix["settings"], truth, sign)));
        std::vector<double> sorted = all;
        std::ranges::sort(sorted);
        log(fmt::format("| {} | {}{} | {:.3f} | {:.3f} |", estimate, sign < 0 ? "-" : "", truth, median(all),
                        sorted[sorted.size() / 10]));
    };
    log("| estimate | truth | median rank correlation | lowest tenth |\n|---|---|---|---|");
    line("leak_db", "sir_db", -1);
    line("damage", "sar_db", -1);
    for (const char* part : {"loss", "flicker", "consonants_db", "musical_noise", "holes", "thinness_db"})
        line(part, "sar_db", -1);
    log("\n| point | isolation % | ESTOI | SIR dB | SAR dB | combined dB | SI-SDR dB "
        "|\n|---|---|---|---|---|---|---|");
    for (const auto& [name, unused] : mixes.front()["proposals"].items()) {
        std::map<std::string, double> mean;
        for (const auto& mix : mixes) {
            for (const char* key : {"isolation", "estoi", "sir_db", "sar_db", "combined_db", "si_sdr_db"})
                mean[key] += mix["proposals"][name][key].get<double>() / static_cast<double>(mixes.size());
        }
        log(fmt::format("| {} | {:.0f} | {:.4f} | {:.1f} | {:.1f} | {:.3f} | {:.2f} |", name,
                        mean["isolation"], mean["estoi"], mean["sir_db"], mean["sar_db"], mean["combined_db"],
                        mean["si_sdr_db"]));
    }
}

}  // namespace

Status study_tradeoff(const TradeOffStudyOptions& options) {
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    const Mixer mixer(*corpus, Pool::Choose);
    std::vector<std::string> kinds;
    for (const auto& kind : Mixer::kinds()) {
        Rng rng(1);
        const Scene scene = Mixer::scene_of_kind(kind, rng);
        if (scene.voices > 0 && (scene.music || !scene.ambiences.empty())) kinds.push_back(kind);
    }
    const fs::path folder = fs::temp_directory_path() / fmt::format("rivlen-study-{}", ::getpid());
    std::vector<json> results(static_cast<std::size_t>(options.mixes));
    std::atomic<int> next{0};
    std::mutex mutex;
    Status outcome;
    {
        std::vector<std::jthread> threads;
        for (int w = 0; w < options.workers; ++w) {
            threads.emplace_back([&] {
                at::set_num_threads(1);
                auto loaded = load_network(options.model);
                if (!loaded) {
                    const std::lock_guard lock(mutex);
                    outcome = loaded.error();
                    return;
                }
                for (int i = next++; i < options.mixes; i = next++) {
                    Rng rng(options.seed * 1000003ULL + static_cast<std::uint64_t>(i) + 500000ULL);
                    const Scene scene =
                        Mixer::scene_of_kind(kinds[static_cast<std::size_t>(i) % kinds.size()], rng);
                    const Mix mix =
                        mixer.make(scene, static_cast<std::size_t>(options.seconds * kCorpusRate), rng);
                    results[static_cast<std::size_t>(i)] =
                        study_one(mix, loaded->network, folder / std::to_string(i));
                }
            });
        }
    }
    std::error_code ignored;
    fs::remove_all(folder, ignored);
    if (!outcome) return outcome;
    const json all = results;
    report(all, options.log);
    if (!options.json.empty()) return write_text_file(options.json, all.dump());
    return {};
}

}  // namespace rivlen::learn
