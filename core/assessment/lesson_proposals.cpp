// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/assessment/lesson_proposals.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/clock_words.h"
#include "core/separation/band_powers.h"

namespace rivlen {

namespace {

constexpr double kLessonStepSeconds = 0.05;
constexpr std::size_t kStepFrames = 5;  // of the map: 53 ms
constexpr double kShortestProposalSeconds = 1.0;
constexpr double kLongestLessonSeconds = 12.0;
constexpr std::size_t kMostOfEach = 3;
constexpr double kNoVoiceShare = 0.02;
constexpr double kVoiceAloneShare = 0.95;
constexpr double kSureShare = 0.8;            // of music or ambience, to be called one of them alone
constexpr double kSilentBelowLoudest = 1e-5;  // of the loudest step's energy
constexpr std::size_t kMomentSteps = 3;       // that may be otherwise within a stretch

// Energy of a step by kind: voice with its reverb, music, ambience.
using StepEnergy = std::array<double, 3>;
double total_of(const StepEnergy& e) {
    return e[0] + e[1] + e[2];
}

std::vector<StepEnergy> step_energies(const Source& source, const MaskMap& map, const JobControl& job) {
    constexpr std::int64_t kPieceFrames = 400 * static_cast<std::int64_t>(kStepFrames);
    const auto frames = static_cast<std::int64_t>(map.facts().frames);
    std::vector<StepEnergy> steps;
    std::array<float, kMaskRow> masks;
    for (std::int64_t first = 0; first < frames && !job.cancelled(); first += kPieceFrames) {
        const std::int64_t last = std::min(frames, first + kPieceFrames);
        const auto powers = band_powers(source, first, last);
        for (std::int64_t t = first; t < last; ++t) {
            const auto step = static_cast<std::size_t>(t) / kStepFrames;
            if (step == steps.size()) steps.emplace_back();
            map.read(static_cast<double>(t), masks);
            const float* power = powers.data() + (t - first) * kBands;
            for (std::size_t b = 0; b < kBands; ++b) {
                const auto p = static_cast<double>(power[b]);
                steps[step][0] += p * static_cast<double>(masks[b] + masks[kBands + b]);
                steps[step][1] += p * static_cast<double>(masks[2 * kBands + b]);
                steps[step][2] += p * static_cast<double>(masks[3 * kBands + b]);
            }
        }
        source.drop_pages();
        job.report(static_cast<double>(last) / static_cast<double>(frames));
    }
    return steps;
}

struct Stretch {
    std::size_t first = 0, last = 0;  // steps
    StepEnergy energy{};
    [[nodiscard]] std::size_t length() const { return last - first; }
};

// Longest stretches whose steps are all so, but for moments; silence belongs to none.
std::vector<Stretch> stretches(const std::vector<StepEnergy>& steps, bool (*so)(const StepEnergy&),
                               double silent) {
    const auto shortest = static_cast<std::size_t>(std::ceil(kShortestProposalSeconds / kLessonStepSeconds));
    const auto longest = static_cast<std::size_t>(kLongestLessonSeconds / kLessonStepSeconds);
    std::vector<Stretch> out;
    std::size_t first = 0;
    std::size_t last = 0;
    const auto close = [&] {
        if (last - first >= shortest) {
            Stretch s{first, std::min(last, first + longest), {}};
            for (std::size_t i = s.first; i < s.last; ++i) {
                for (std::size_t k = 0; k < s.energy.size(); ++k) s.energy[k] += steps[i][k];
            }
            out.push_back(s);
        }
    };
    for (std::size_t i = 0; i < steps.size(); ++i) {
        if (total_of(steps[i]) <= silent || !so(steps[i])) continue;
        if (last == 0 || i - last > kMomentSteps) {
            close();
            first = i;
        }
        last = i + 1;
    }
    close();
    std::ranges::stable_sort(out, std::greater{}, &Stretch::length);
    return out;
}

class LessonProposals {
  public:
    LessonProposals(const Source& source, std::vector<ProposedMark>& out) : source_(&source), out_(&out) {}
    void add(const Stretch& stretch, Stem stem, const std::string& what) {
        std::size_t& count = counts_[static_cast<std::size_t>(stem)];
        if (count == kMostOfEach) return;
        ++count;
        const double frames_a_step =
            static_cast<double>(kStepFrames) * source_->sample_rate() / kMapFramesPerSecond;
        const auto place = [&](std::size_t step) {
            return std::min(static_cast<std::int64_t>(source_->frames()),
                            static_cast<std::int64_t>(static_cast<double>(step) * frames_a_step));
        };
        const auto seconds = [&](std::int64_t frame) {
            return static_cast<double>(frame) / source_->sample_rate();
        };
        const TeachingMark mark{stem, place(stretch.first), place(stretch.last)};
        out_->push_back({mark, fmt::format("From {} to {} {}", clock_words(seconds(mark.first)),
                                           clock_words(seconds(mark.last)), what)});
    }

  private:
    const Source* source_;
    std::vector<ProposedMark>* out_;
    std::array<std::size_t, kStems> counts_{};
};

}  // namespace

Result<std::vector<ProposedMark>> propose_marks(const Source& source, const MaskMap& map,
                                                const JobControl& job) {
    const auto steps = step_energies(source, map, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    double loudest = 0.0;
    for (const auto& step : steps) loudest = std::max(loudest, total_of(step));
    const double silent = loudest * kSilentBelowLoudest;
    std::vector<ProposedMark> out;
    LessonProposals proposals(source, out);
    const auto no_voice = [](const StepEnergy& e) { return e[0] < kNoVoiceShare * total_of(e); };
    for (const auto& s : stretches(steps, no_voice, silent)) {
        const double music = s.energy[1] / std::max(1e-30, s.energy[1] + s.energy[2]);
        if (music < kSureShare) {
            proposals.add(s, Stem::Ambience,
                          music <= 1 - kSureShare
                              ? "no voice is heard; the model calls it ambience."
                              : "no voice is heard; the model calls most of it ambience.");
        }
        if (music > 1 - kSureShare) {
            proposals.add(s, Stem::Music,
                          music >= kSureShare ? "no voice is heard; the model calls it music."
                                              : "no voice is heard; the model calls much of it music.");
        }
    }
    const auto voice_alone = [](const StepEnergy& e) { return e[0] > kVoiceAloneShare * total_of(e); };
    for (const auto& s : stretches(steps, voice_alone, silent))
        proposals.add(s, Stem::Dialogue, "only a voice is heard.");
    return out;
}

}  // namespace rivlen
