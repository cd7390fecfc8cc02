// SPDX-License-Identifier: GPL-3.0-or-later
#include "learn/parts_doubt_study.h"

#include <fmt/format.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <vector>

#include "core/separation/band_powers.h"
#include "core/separation/doubt.h"
#include "learn/doubt_cases.h"
#include "learn/known_powers.h"
#include "learn/metrics/area_under_curve.h"
#include "learn/song_lessons.h"
#include "learn/world/material.h"

namespace rivlen::learn {

namespace {

class PartsStudy {
  public:
    // masks: [part, frame, band].
    void add(const Mix& song, const torch::Tensor& masks) {
        const auto whole = known_powers(song.mix);
        std::array<std::vector<float>, kMusicParts> parts;
        for (std::size_t p = 0; p < kMusicParts; ++p) parts[p] = known_powers(song.stems[p]);
        const auto mask = masks.accessor<float, 3>();
        const std::size_t frames =
            std::min<std::size_t>(whole.size() / kBands, static_cast<std::size_t>(masks.size(1)));
        const auto per_step = static_cast<std::size_t>(std::lround(kDoubtStepSeconds * kMapFramesPerSecond));
        for (std::size_t from = 0; from + per_step <= frames; from += per_step) {
            DoubtSums sums;
            std::array<double, kMusicParts> all{}, kept{};
            for (std::size_t t = from; t < from + per_step; ++t) {
                std::array<float, kOpenedRow> opened{};  // all of it is music
                std::fill_n(opened.begin() + kMusicSound * kBands, kBands, 1.0F);
                for (std::size_t p = 0; p < kMusicParts; ++p) {
                    for (std::size_t b = 0; b < kBands; ++b) {
                        const float m = mask[static_cast<std::int64_t>(p)][static_cast<std::int64_t>(t)]
                                            [static_cast<std::int64_t>(b)];
                        opened[(kStems + p) * kBands + b] = m;
                        const auto power = static_cast<double>(parts[p][t * kBands + b]);
                        all[p] += power;
                        kept[p] += power * static_cast<double>(m * m);
                    }
                }
                sums.add_parts(0, kBands, std::span(whole).subspan(t * kBands, kBands), opened);
            }
            judge(sums.openness(), all, kept);
        }
    }
    [[nodiscard]] std::string table() const {
        std::string out = "| part | steps | wrong | openness |\n|---|---|---|---|\n";
        for (std::size_t p = 0; p <= kMusicParts; ++p) {
            const auto wrong = static_cast<double>(std::ranges::count_if(cases_[p], &Judged::wrong));
            out += fmt::format("| {} | {} | {:.1f} % | {:.3f} |\n",
                               p < kMusicParts ? kMusicPartNames[p] : "any", cases_[p].size(),
                               100 * wrong / std::max(1.0, static_cast<double>(cases_[p].size())),
                               area_under_curve(cases_[p]));
        }
        return out;
    }

  private:
    void judge(double openness, const std::array<double, kMusicParts>& all,
               const std::array<double, kMusicParts>& kept) {
        const auto wrong = wrong_kinds(all, kept);
        if (!wrong) return;
        for (std::size_t p = 0; p < kMusicParts; ++p) cases_[p].push_back({openness, (*wrong)[p]});
        cases_[kMusicParts].push_back({openness, std::ranges::any_of(*wrong, std::identity())});
    }
    std::array<std::vector<Judged>, kMusicParts + 1> cases_;  // by part, then any
};

}  // namespace

Status study_parts_doubt(const PartsDoubtOptions& options) {
    const torch::NoGradGuard no_gradients;
    auto opened = open_to_measure(options.corpus, options.model);
    if (!opened) return opened.error();
    const Pool pool = options.choose ? Pool::Choose : Pool::Tell;
    const Material readers(opened->corpus, pool);
    auto maker = song_maker(opened->corpus, readers, pool);
    if (!maker) return maker.error();
    PartsStudy study;
    const EvalSet set = options.scores ? make_score_set(*maker, options.songs, options.seconds)
                                       : make_song_set(*maker, options.songs, options.seconds);
    for (const auto& song : set.mixes) study.add(song, network_masks(opened->network, song).contiguous());
    options.log(fmt::format("{} songs of {:.0f} s, steps of {:.0f} ms\n\n{}", set.mixes.size(),
                            options.seconds, 1000 * kDoubtStepSeconds, study.table()));
    return {};
}

}  // namespace rivlen::learn
