// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/telling/listening.h"

#include <fmt/format.h>

#include <array>

#include "learn/evaluate.h"
#include "learn/telling/telling_mixes.h"

namespace rivlen::learn {

namespace {

constexpr std::array<const char*, 6> kKindsToHear = {
    "voice over music", "voice in recorded ambience",      "voice in a crowd",
    "voice in a room",  "voice, music, recorded ambience", "music and recorded ambience"};

std::string gain_words(const Figures& figures, const char* stem) {
    const auto gain = figures.gain_db.find(stem);
    return gain == figures.gain_db.end() ? "-" : fmt::format("{:+.1f}", gain->second);
}

Status write_parts(const Mix& mix, const std::array<Stereo, kStems>& found, const Figures& figures,
                   const std::filesystem::path& folder, std::size_t number) {
    const auto path = [&](const std::string& what) {
        return folder / fmt::format("{} {}.wav", number, what);
    };
    if (auto status = write_stereo(path("mix"), mix.mix); !status) return status;
    for (std::size_t s = 0; s < kStems; ++s) {
        if (!figures.gain_db.contains(kStemNames[s])) continue;
        const std::string stem = kStemNames[s];
        if (auto status = write_stereo(path(stem + " is"), mix.stems[s]); !status) return status;
        if (auto status = write_stereo(path(stem + " came out"), found[s]); !status) return status;
    }
    return {};
}

}  // namespace

Status write_for_listening(const ListenOptions& options) {
    const torch::NoGradGuard no_gradients;
    auto opened = open_to_measure(options.corpus, options.model);
    if (!opened) return opened.error();
    std::error_code error;
    std::filesystem::create_directories(options.folder, error);  // where that fails, writing says so
    const TellingMixes telling(opened->corpus);
    std::string table = "| | kind | dialogue | reverb | music | ambience |\n|---|---|---|---|---|---|";
    for (std::size_t i = 0; i < kKindsToHear.size(); ++i) {
        const Mix mix = telling.make(kKindsToHear[i], 0, options.seconds);
        const auto found = apply_masks(network_masks(opened->network, mix), mix);
        const Figures figures = figures_of(mix, found);
        if (auto status = write_parts(mix, found, figures, options.folder, i + 1); !status) return status;
        table += fmt::format("\n| {} | {} |", i + 1, kKindsToHear[i]);
        for (const char* stem : kStemNames) table += fmt::format(" {} |", gain_words(figures, stem));
    }
    options.log(table);
    return {};
}

}  // namespace rivlen::learn
