// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/telling/tell.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <atomic>
#include <cmath>
#include <functional>
#include <mutex>
#include <nlohmann/json.hpp>
#include <thread>

#include "core/base/output_file.h"
#include "core/dsp/decibels.h"
#include "learn/telling/plain_sounds.h"

namespace rivlen::learn {

namespace {

constexpr std::array<const char*, 3> kPlainStems = {"voice", "music", "ambience"};

double energy(const Stereo& x) {
    return energy_of(x[0]) + energy_of(x[1]);
}

// Energies of voice (dialogue and reverb), music, ambience as shares of their sum.
std::array<double, 3> shares_of(const std::array<Stereo, kStems>& estimates) {
    Stereo voice = estimates[0];
    for (std::size_t c = 0; c < 2; ++c) {
        for (std::size_t i = 0; i < voice[c].size(); ++i) voice[c][i] += estimates[1][c][i];
    }
    std::array<double, 3> shares = {energy(voice), energy(estimates[2]), energy(estimates[3])};
    const double sum = shares[0] + shares[1] + shares[2] + 1e-20;
    for (double& s : shares) s /= sum;
    return shares;
}

// Mean with half the width of its 95 % interval (normal approximation).
struct Interval {
    std::vector<double> values;
    [[nodiscard]] double mean() const {
        double sum = 0.0;
        for (const double v : values) sum += v;
        return values.empty() ? 0.0 : sum / static_cast<double>(values.size());
    }
    [[nodiscard]] double half_width() const {
        if (values.size() < 2) return 0.0;
        const double m = mean();
        double sum = 0.0;
        for (const double v : values) sum += (v - m) * (v - m);
        const auto n = static_cast<double>(values.size());
        return 1.96 * std::sqrt(sum / (n - 1.0) / n);
    }
    [[nodiscard]] std::string text() const {
        return values.empty() ? "-" : fmt::format("{:.1f} ± {:.1f}", mean(), half_width());
    }
};

// Work over 0..count-1 on several threads; each has a copy of the network.
void in_parallel(int workers, int count, const SeparationNetwork& network,
                 const std::function<void(SeparationNetwork&, int)>& work) {
    std::atomic<int> next{0};
    std::vector<std::jthread> threads;
    for (int w = 0; w < workers; ++w) {
        threads.emplace_back([&] {
            at::set_num_threads(1);
            SeparationNetwork own = network;
            for (int i = next++; i < count; i = next++) work(own, i);
        });
    }
}

std::string gains_table(const std::vector<Figures>& figures) {
    const std::array<const char*, 4> columns = {"dialogue", "music", "ambience", "dry voice"};
    std::string text =
        "| kind | mixes | dialogue | music | ambience | dry voice |\n|---|---|---|---|---|---|\n";
    std::vector<std::string> rows = {"all"};
    rows.insert(rows.end(), TellingMixes::kinds().begin(), TellingMixes::kinds().end());
    for (const auto& row : rows) {
        std::map<std::string, Interval> by_stem;
        int mixes = 0;
        for (const auto& f : figures) {
            if (row != "all" && f.kind != row) continue;
            ++mixes;
            for (const auto& [stem, gain] : f.gain_db) by_stem[stem].values.push_back(gain);
        }
        text += fmt::format("| {} | {}", row, mixes);
        for (const char* stem : columns) text += " | " + by_stem[stem].text();
        text += " |\n";
    }
    return text;
}

struct LoneFigures {
    std::string kind;
    std::vector<double> value_db;               // SI-SDR in its own stem
    std::array<std::vector<double>, 3> shares;  // of voice, music, ambience
};

std::string lone_table(const std::vector<LoneFigures>& lone) {
    std::string text =
        "| on its own | number | SI-SDR, mean dB | under 5 dB | goes astray, mean % | to voice over -10 dB | "
        "to music | to "
        "ambience |\n|---|---|---|---|---|---|---|---|\n";
    for (std::size_t own = 0; own < lone.size(); ++own) {
        const auto& l = lone[own];
        const auto count_if = [](const std::vector<double>& values, auto&& test) {
            return std::ranges::count_if(values, test);
        };
        double astray = 0.0;
        for (const double s : l.shares[own]) astray += (1.0 - s) / static_cast<double>(l.shares[own].size());
        text += fmt::format("| {} | {} | {} | {} | {:.2f}", l.kind, l.value_db.size(),
                            Interval{l.value_db}.text(),
                            count_if(l.value_db, [](double v) { return v < 5.0; }), 100.0 * astray);
        for (std::size_t to = 0; to < 3; ++to) {
            text += to == own
                        ? " | -"
                        : fmt::format(" | {}", count_if(l.shares[to], [](double s) { return s > 0.1; }));
        }
        text += " |\n";
    }
    return text;
}

}  // namespace

std::vector<PlainResult> plain_results(SeparationNetwork& network, double seconds) {
    std::vector<PlainResult> results;
    for (const auto sounds : {plain_ambience(), plain_music_and_voices()}) {
        for (const auto& sound : sounds) {
            Mix mix;
            const auto x = sound.make(seconds, 1);
            mix.mix = {x, x};
            const auto shares = shares_of(apply_masks(network_masks(network, mix), mix));
            const auto own = static_cast<std::size_t>(sound.stem);
            results.push_back({sound.name, kPlainStems[own], shares[own], shares});
        }
    }
    return results;
}

std::string plain_table(const std::vector<PlainResult>& results) {
    std::string text =
        "| sound | belongs to | voice % | music % | ambience % | |\n|---|---|---|---|---|---|\n";
    int right = 0;
    for (const auto& r : results) {
        right += r.right() ? 1 : 0;
        text +=
            fmt::format("| {} | {} | {:.0f} | {:.0f} | {:.0f} | {} |\n", r.name, r.stem, 100 * r.shares[0],
                        100 * r.shares[1], 100 * r.shares[2], r.right() ? "" : "wrong");
    }
    return text + fmt::format("\n{} of {} plain sounds in their stem\n", right, results.size());
}

Status tell(const TellOptions& options) {
    at::set_num_threads(1);
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    auto loaded = load_network(options.model);
    if (!loaded) return loaded.error();
    const TellingMixes mixes(*corpus);
    const auto estimates_of = [&](SeparationNetwork& network, const Mix& mix) {
        return apply_masks(options.oracle ? oracle_masks(mix) : network_masks(network, mix), mix);
    };
    const auto& kinds = TellingMixes::kinds();
    std::vector<Figures> figures(kinds.size() * static_cast<std::size_t>(options.per_kind));
    in_parallel(options.workers, static_cast<int>(figures.size()), loaded->network,
                [&](SeparationNetwork& network, int i) {
                    const Mix mix = mixes.make(kinds[static_cast<std::size_t>(i) % kinds.size()],
                                               i / static_cast<int>(kinds.size()), options.seconds);
                    figures[static_cast<std::size_t>(i)] = figures_of(mix, estimates_of(network, mix));
                });
    fmt::print("{}\n", gains_table(figures));
    if (!options.worst.empty()) {
        // Mixes are made again: keeping them all would take gigabytes.
        const auto again = [&](std::size_t i) {
            return mixes.make(kinds[i % kinds.size()], static_cast<int>(i / kinds.size()), options.seconds);
        };
        if (auto status = keep_worst(
                figures, again, [&](const Mix& mix) { return estimates_of(loaded->network, mix); },
                options.worst);
            !status)
            return status;
    }

    std::vector<LoneFigures> lone = {{"voice", {}, {}}, {"music", {}, {}}, {"ambience", {}, {}}};
    for (std::size_t own = 0; own < lone.size(); ++own) {
        const int count = own == 0 ? options.lone_voices : options.lone_others;
        lone[own].value_db.resize(static_cast<std::size_t>(count));
        for (auto& s : lone[own].shares) s.resize(static_cast<std::size_t>(count));
        in_parallel(options.workers, count, loaded->network, [&](SeparationNetwork& network, int i) {
            const Mix mix = mixes.lone(static_cast<TellingMixes::Lone>(own), i, options.lone_seconds);
            const auto estimates = estimates_of(network, mix);
            const auto at = static_cast<std::size_t>(i);
            const std::array<const char*, 3> stems = {"dialogue", "music", "ambience"};
            lone[own].value_db[at] = figures_of(mix, estimates).value_db.at(stems[own]);
            const auto shares = shares_of(estimates);
            for (std::size_t s = 0; s < 3; ++s) lone[own].shares[s][at] = shares[s];
        });
    }
    fmt::print("{}\n", lone_table(lone));
    const auto plain = plain_results(loaded->network);
    if (!options.oracle) fmt::print("{}", plain_table(plain));

    if (options.json.empty()) return {};
    nlohmann::json json;
    json["mixes"] = nlohmann::json::parse(summary_json(figures));
    for (std::size_t own = 0; own < lone.size(); ++own) {
        json["lone"][lone[own].kind] = {
            {"si_sdr_mean_db", Interval{lone[own].value_db}.mean()},
            {"number", lone[own].value_db.size()},
            {"under_5_db", std::ranges::count_if(lone[own].value_db, [](double v) { return v < 5.0; })}};
    }
    for (const auto& r : plain)
        json["plain"][r.name] = {{"stem", r.stem}, {"share", std::round(1000 * r.right_share) / 1000}};
    return write_text_file(options.json, json.dump(1));
}

}  // namespace rivlen::learn
