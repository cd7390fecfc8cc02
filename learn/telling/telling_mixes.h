// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes that a model is told by (docs/model.md): readers, music and recorded effects of Pool::Tell,
// surroundings made by the second generator (plain_sounds.h), rooms by image sources, silence around speech,
// mono and stereo. Nothing of it is ever learned from or chosen by.
#pragma once

#include <random>
#include <string>
#include <vector>

#include "learn/corpus.h"
#include "learn/mixer.h"

namespace rivlen::learn {

class TellingMixes {
  public:
    explicit TellingMixes(const Corpus& corpus);
    [[nodiscard]] static const std::vector<std::string>& kinds();
    // The n-th mix of a kind; always the same for the same corpus.
    [[nodiscard]] Mix make(const std::string& kind, int n, double seconds) const;

    // Parts on their own; of ambience every other one is recorded.
    enum class Lone { Voice, Music, Ambience };
    [[nodiscard]] Mix lone(Lone part, int n, double seconds) const;

  private:
    using Chance = std::mt19937_64;
    struct Group {
        std::string name;
        std::vector<Recording> recordings;
    };
    [[nodiscard]] std::vector<float> speech(std::size_t frames, double margin_s, double& bandwidth_hz,
                                            Chance& chance) const;
    [[nodiscard]] Stereo piece(std::size_t frames, Chance& chance) const;
    [[nodiscard]] Stereo recorded(std::size_t frames, Chance& chance) const;
    [[nodiscard]] Stereo made(std::size_t frames, Chance& chance) const;
    [[nodiscard]] Stereo babble(std::size_t frames, Chance& chance) const;

    const Corpus* corpus_;
    std::vector<Group> readers_, music_, effects_;
};

}  // namespace rivlen::learn
