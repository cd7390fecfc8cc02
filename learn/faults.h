// SPDX-License-Identifier: GPL-3.0-or-later
// Clean voices with known faults put into them: how often the first look finds what is there, and how near
// repairs come to the clean voice.
#pragma once

#include <filesystem>
#include <functional>
#include <string>

#include "core/base/rng.h"
#include "core/diagnosis/first_look.h"
#include "learn/corpus.h"

namespace rivlen::learn {

// Readers that are cleaner than most: full band, nothing clipped, their pauses 50 dB and more under them,
// little under 40 Hz and a spectrum that falls towards the highs.
class CleanVoices {
  public:
    CleanVoices(const Corpus& corpus, Pool pool);
    [[nodiscard]] bool empty() const { return groups_.empty(); }
    // A voice of one group, with pauses and its lows cut off as in a studio. Mono at kCorpusRate; active
    // level -23 dBFS.
    [[nodiscard]] std::vector<float> draw(std::size_t frames, Rng& rng) const;

  private:
    const Corpus* corpus_;
    std::vector<std::vector<const Recording*>> groups_;
};

// Puts a fault into a voice, strong enough that an engineer would mend it.
void put_fault(Fault fault, std::vector<float>& voice, Rng& rng);

struct FaultStudyOptions {
    std::filesystem::path corpus;
    std::filesystem::path json;  // every case; empty: none
    int cases = 12;              // of each fault, and twice as many clean ones
    double seconds = 30;
    std::uint64_t seed = 1;
    bool held_in = false;  // with voices that thresholds were set on, instead of those that they were not
    std::function<void(const std::string&)> log;
};
// Logs the tables of docs/repair.md.
[[nodiscard]] Status study_faults(const FaultStudyOptions& options);

}  // namespace rivlen::learn
