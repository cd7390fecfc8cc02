// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/doubt_study.h"

#include <ATen/Parallel.h>
#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/assessment/doubts.h"
#include "core/separation/band_powers.h"
#include "core/separation/doubt.h"
#include "learn/doubt_cases.h"
#include "learn/evaluate.h"
#include "learn/known_powers.h"
#include "learn/metrics/area_under_curve.h"
#include "learn/telling/telling_mixes.h"

namespace rivlen::learn {

namespace {

constexpr std::size_t kMeasures = 3;
constexpr std::array<const char*, kMeasures> kMeasureNames = {"disagreement", "openness", "doubt"};

class Study {
  public:
    void add(const Mix& mix, const torch::Tensor& shown, const torch::Tensor& other) {
        const auto whole = known_powers(mix.mix);
        std::array<std::vector<float>, kStems> stems;
        for (std::size_t s = 0; s < kStems; ++s) stems[s] = known_powers(mix.stems[s]);
        const std::size_t frames =
            std::min<std::size_t>(whole.size() / kBands, static_cast<std::size_t>(shown.size(1)));
        const auto a = shown.accessor<float, 3>(), b = other.accessor<float, 3>();
        const auto per_step = static_cast<std::size_t>(std::lround(kDoubtStepSeconds * kMapFramesPerSecond));
        std::array<float, kMaskRow> row_a, row_b;
        for (std::size_t from = 0; from + per_step <= frames; from += per_step) {
            DoubtSums sums;
            Energies all{}, kept{};
            std::array<Energies, kDoubtKinds> got{};  // [kind that is shown][kind that it is]
            for (std::size_t t = from; t < from + per_step; ++t) {
                for (std::size_t i = 0; i < kMaskRow; ++i) {
                    const auto s = static_cast<std::int64_t>(i / kBands),
                               band = static_cast<std::int64_t>(i % kBands);
                    row_a[i] = a[s][static_cast<std::int64_t>(t)][band];
                    row_b[i] = b[s][static_cast<std::int64_t>(t)][band];
                }
                for (std::size_t i = 0; i < kMaskRow; ++i) {
                    const std::size_t band = i % kBands, stem = i / kBands, kind = kKindOfStem[stem];
                    float mask = row_a[i];
                    if (kind == 0) mask = row_a[band] + row_a[kBands + band];
                    const auto p = static_cast<double>(stems[stem][t * kBands + band]);
                    all[kind] += p;
                    for (std::size_t k = 0; k < kDoubtKinds; ++k) {
                        const float shown_mask =
                            k == 0 ? row_a[band] + row_a[kBands + band] : row_a[(k + 1) * kBands + band];
                        got[k][kind] += p * static_cast<double>(shown_mask) * static_cast<double>(shown_mask);
                    }
                    kept[kind] += p * static_cast<double>(mask) * static_cast<double>(mask);
                }
                sums.add(std::span(whole).subspan(t * kBands, kBands), row_a, row_b);
            }
            judge(sums, all, kept);
            keep_step(sums, got);
        }
        judge_stretches();
    }
    [[nodiscard]] std::string table() const {
        std::string out = "| kind | steps | wrong |";
        for (const char* name : kMeasureNames) out += fmt::format(" {} |", name);
        out += "\n|---|---|---|---|---|---|\n";
        constexpr std::array<const char*, kDoubtKinds + 1> kNames = {"voice", "music", "ambience", "any"};
        for (std::size_t k = 0; k <= kDoubtKinds; ++k) {
            const auto& cases = cases_[k];
            const auto wrong = std::ranges::count_if(cases[0], &Judged::wrong);
            out += fmt::format("| {} | {} | {:.1f} % |", kNames[k], cases[0].size(),
                               100.0 * static_cast<double>(wrong) /
                                   std::max<double>(1, static_cast<double>(cases[0].size())));
            for (const auto& measure : cases) out += fmt::format(" {:.3f} |", area_under_curve(measure));
            out += "\n";
        }
        out += fmt::format("\nStretches that a sentence would tell of: {}, {} of them right ({:.0f} %).\n",
                           told_, right_, 100.0 * right_ / std::max(1, told_));
        return out;
    }

  private:
    using Energies = std::array<double, kDoubtKinds>;
    static constexpr std::array<std::size_t, kStems> kKindOfStem = {0, 0, 1, 2};
    void judge(const DoubtSums& sums, const Energies& all, const Energies& kept) {
        const auto wrong = wrong_kinds(all, kept);
        if (!wrong) return;
        const bool any = std::ranges::any_of(*wrong, std::identity());
        const std::array<double, kMeasures> scores = {sums.disagreement(), sums.openness(), sums.doubt()};
        for (std::size_t m = 0; m < kMeasures; ++m) {
            for (std::size_t k = 0; k < kDoubtKinds; ++k) cases_[k][m].push_back({scores[m], (*wrong)[k]});
            cases_[kDoubtKinds][m].push_back({scores[m], any});
        }
    }
    void keep_step(const DoubtSums& sums, const std::array<Energies, kDoubtKinds>& got) {
        line_.doubt.push_back(static_cast<float>(sums.doubt()));
        for (std::size_t x = 0; x < kDoubtKinds; ++x) {
            for (std::size_t y = 0; y < kDoubtKinds; ++y)
                line_.moved[x][y].push_back(
                    static_cast<float>(sums.from_to(static_cast<DoubtKind>(x), static_cast<DoubtKind>(y))));
        }
        got_.push_back(got);
    }
    // A sentence is right when most of what lies in the kind that is shown is of the kind that it names.
    void judge_stretches() {
        for (const auto& place : doubted_stretches(line_)) {
            const auto to = place.proposal.to;
            const std::size_t other = to == Stem::Dialogue ? 0 : to == Stem::Music ? 1 : 2;
            const auto& from = place.proposal.from;
            const std::size_t shown = from[0] ? 0 : from[2] ? 1 : 2;
            double named = 0, all = 0;
            for (auto i = static_cast<std::size_t>(std::lround(place.first_seconds / kDoubtStepSeconds));
                 i < static_cast<std::size_t>(std::lround(place.last_seconds / kDoubtStepSeconds)); ++i) {
                named += got_[i][shown][other];
                for (const double x : got_[i][shown]) all += x;
            }
            ++told_;
            right_ += named > 0.5 * all ? 1 : 0;
        }
        line_ = {};
        got_.clear();
    }
    DoubtLine line_;  // of the mix that is looked at
    std::vector<std::array<Energies, kDoubtKinds>> got_;
    int told_ = 0, right_ = 0;
    std::array<std::array<std::vector<Judged>, kMeasures>, kDoubtKinds + 1> cases_;  // by kind, then any
};

}  // namespace

Status study_doubt(const DoubtStudyOptions& options) {
    at::set_num_threads(1);
    const torch::NoGradGuard no_gradients;
    auto corpus = Corpus::open(options.corpus);
    if (!corpus) return corpus.error();
    auto shown = load_network(options.shown);
    if (!shown) return shown.error();
    auto other = load_network(options.other);
    if (!other) return other.error();
    Study study;
    int mixes = 0;
    const auto take = [&](const Mix& mix) {
        study.add(mix, network_masks(shown->network, mix).contiguous(),
                  network_masks(other->network, mix).contiguous());
        if (++mixes % 20 == 0) options.log(fmt::format("{} mixes", mixes));
    };
    const auto frames = static_cast<std::size_t>(options.seconds * kCorpusRate);
    if (options.choose) {
        const Mixer mixer(*corpus, Pool::Choose);
        for (const auto& kind : Mixer::kinds()) {
            for (int n = 0; n < options.per_kind; ++n) {
                Rng rng(static_cast<std::uint64_t>(7000 + n));
                const Scene scene = Mixer::scene_of_kind(kind, rng);
                take(mixer.make(scene, frames, rng));
            }
        }
    } else {
        const TellingMixes telling(*corpus);
        for (const auto& kind : TellingMixes::kinds()) {
            for (int n = 0; n < options.per_kind; ++n) take(telling.make(kind, n, options.seconds));
        }
    }
    options.log(fmt::format("{} mixes of {:.0f} s, steps of {:.0f} ms\n\n{}", mixes, options.seconds,
                            1000 * kDoubtStepSeconds, study.table()));
    return {};
}

}  // namespace rivlen::learn
