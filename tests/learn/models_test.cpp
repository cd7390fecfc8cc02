// SPDX-License-Identifier: GPL-3.0-or-later
// What comes with the program, held to today's floors: plain sounds, and the parts of the demo on their own.
// It needs no corpus. A model that falls below is not to be shipped; one that rises above raises the floors.
#include <ATen/Parallel.h>
#include <gtest/gtest.h>

#include <cmath>

#include "core/dsp/decibels.h"
#include "core/media/decode.h"
#include "learn/metrics/si_sdr.h"
#include "learn/telling/tell.h"

namespace rivlen::learn {
namespace {

struct Floors {
    const char* model;
    int plain_sounds;          // in their stem, of 54 (37 and 44 on 2026-11-26)
    double lone_voice_si_sdr;  // dB
    double lone_part_share;    // of the demo's music and ambience that stays in its stem, at least
};

class Models : public testing::TestWithParam<Floors> {
  protected:
    static SeparationNetwork network() {
        at::set_num_threads(1);
        auto loaded = load_network(std::string(RIVLEN_ROOT "/models/") + GetParam().model + ".safetensors");
        if (!loaded) throw std::runtime_error(loaded.error().message);
        return loaded->network;
    }
    static Mix lone(const std::string& part, std::size_t stem) {
        auto sound = read_audio(std::string(RIVLEN_ROOT "/demo/parts/") + part + ".flac");
        if (!sound || sound->sample_rate() != kCorpusRate) throw std::runtime_error("no demo part " + part);
        Mix mix;
        for (auto& s : mix.stems) s.fill(std::vector<float>(sound->frames(), 0.0F));
        for (std::size_t c = 0; c < 2; ++c) {
            const auto channel = (*sound)[std::min(c, sound->channels() - 1)];
            mix.stems[stem][c].assign(channel.begin(), channel.end());
        }
        mix.mix = mix.stems[stem];
        mix.dry_voice.assign(sound->frames(), 0.0F);
        return mix;
    }
};
void PrintTo(const Floors& floors, std::ostream* out) {
    *out << floors.model;
}
INSTANTIATE_TEST_SUITE_P(Shipped, Models,
                         testing::Values(Floors{"quick", 35, 15.0, 0.5}, Floors{"fine", 42, 20.0, 0.5}),
                         [](const auto& info) { return info.param.model; });

TEST_P(Models, PutPlainSoundsInTheirStems) {
    auto model = network();
    const auto results = plain_results(model, 4.0);
    int right = 0;
    for (const auto& r : results) right += r.right() ? 1 : 0;
    EXPECT_GE(right, GetParam().plain_sounds) << plain_table(results);
}

TEST_P(Models, LeaveLonePartsWhole) {
    auto model = network();
    const Mix voice = lone("dialogue", 0);
    const auto voice_estimates = apply_masks(network_masks(model, voice), voice);
    EXPECT_GT(figures_of(voice, voice_estimates).value_db.at("dialogue"), GetParam().lone_voice_si_sdr);
    for (const auto& [part, stem] : {std::pair{"music", 2U}, {"ambience", 3U}}) {
        const Mix mix = lone(part, stem);
        const auto estimates = apply_masks(network_masks(model, mix), mix);
        double sum = 0.0;
        for (const auto& e : estimates) sum += energy_of(e[0]) + energy_of(e[1]);
        EXPECT_GT((energy_of(estimates[stem][0]) + energy_of(estimates[stem][1])) / sum,
                  GetParam().lone_part_share)
            << part;
    }
}

}  // namespace
}  // namespace rivlen::learn
