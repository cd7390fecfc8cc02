// SPDX-License-Identifier: GPL-3.0-or-later
// Two figures for every setting of a stem, without knowing the truth: what of the other stems still leaks in,
// and what of the stem itself gets damaged. Both are estimates from the source's band powers and the masks;
// docs/tuning.md has how well they follow the truth, and the command that measures it.
#pragma once

#include <cstdint>
#include <functional>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"
#include "core/separation/mask_weights.h"
#include "core/separation/timed.h"

namespace rivlen {

// What makes up damage; each is 0 when nothing is changed.
struct DamageParts {
    double loss = 0;             // share of the stem's own energy that is bent: sum (1 - g)^2 E / sum E
    double gain_modulation = 0;  // energy that gains moving in time put where no fixed filter of the stem and
                                 // of the rest could have put it, against what such filters explain; what BSS
                                 // Eval calls artifacts
    double consonants_db = 0;    // own level lost in 2-10 kHz where consonants begin
    double musical_noise = 0;  // log ratio of the kurtosis of the residue's power, after over before (Uemura,
                               // Takahashi, Saruwatari, Shikano, Kondo, "Automatic optimization scheme of
                               // spectral subtraction based on musical noise assessment via higher-order
                               // statistics", IWAENC 2008), weighted by how audible the residue is
    double holes = 0;          // share of the stem's own energy in bands more than 12 dB down
    double thinness_db = 0;    // spread of the level change over octaves
};

inline constexpr double kNoBleedDb = -120;  // and less: nothing of the others is there

struct TradeOff {
    double bleed_db = kNoBleedDb;  // level of the other stems in the output against the source's level, with
                                   // the output brought to where the stem itself is as loud as before
    double own_db = -120;          // level of the stem itself in the source, against the source's level
    double damage = 0;             // 0 (untouched) to 100
    DamageParts parts;
};

// Share of a band's power that belongs to a stem, from its mask: a mask is an amplitude ratio, and stems
// are taken as incoherent, so m^2 / (m^2 + (1 - m)^2).
[[nodiscard]] float own_share(float mask);
// One number from the parts, rising with each of them; weights fitted as docs/tuning.md tells.
[[nodiscard]] double damage_of(const DamageParts& parts);

// A stretch of a recording, prepared once; figures for a setting then take about a millisecond for every
// ten seconds.
class Assessment {
  public:
    // A frame counts as 512 samples at 48 kHz. Errors: Cancelled; BadInput when the range is empty.
    [[nodiscard]] static Result<Assessment> prepare(const Source& source, const MaskMap& map,
                                                    std::int64_t first, std::int64_t last,
                                                    const JobControl& job = {});

    [[nodiscard]] std::size_t frames() const { return frames_; }
    [[nodiscard]] std::int64_t first() const { return first_; }
    [[nodiscard]] int hop() const { return hop_; }  // recording's samples a frame
    // Figures of a stem cut out with mask weights (its stem_weights(), as a rule). The gain setting is taken
    // out.
    [[nodiscard]] TradeOff measure(const MaskWeights& weights, std::size_t stem) const;
    // Isolation from 0 to 100 % in `points` even steps (at least 2), all other settings as they are.
    [[nodiscard]] std::vector<TradeOff> curve(const StemSettings& settings, std::size_t stem,
                                              std::size_t points) const;
    // Damage of single frames with mask weights, 0 to 1: what the risk line shows.
    [[nodiscard]] std::vector<float> risk(const MaskWeights& weights, std::size_t stem) const;
    [[nodiscard]] std::vector<float> risk(const TimedMaskWeights& weight_sets, std::size_t stem) const;
    // Mean power spectrum over the stretch by band: of the stem by its share, and of the rest. In dB.
    struct Spectra {
        std::array<float, kBands> stem_db, rest_db;
    };
    [[nodiscard]] Spectra spectra(std::size_t stem) const;

  private:
    using WeightsAt = std::function<const MaskWeights&(std::size_t frame)>;
    // What does not depend on settings, of one stem: the power of every band that is the stem's own, and the
    // rest.
    struct StemView {
        std::vector<float> own, rest;  // [frame][band]
        double own_total = 0, rest_total = 0;
        double rest_kurtosis = 0;  // mean log
    };
    [[nodiscard]] StemView view_of(std::size_t stem) const;
    void steady_row(std::size_t frame, float temporal_smoothing, std::span<float> out) const;
    // The masks as they are, or smoothed (into `room`).
    [[nodiscard]] std::span<const float> masks_for(float temporal_smoothing, std::vector<float>& room) const;
    [[nodiscard]] TradeOff measure(const MaskWeights& weights, std::size_t stem, const StemView& view,
                                   std::span<const float> masks) const;
    template <typename Visit>
    void visit_gains(const WeightsAt& weights_at, const Visit& visit) const;
    [[nodiscard]] std::vector<float> risk_with(const WeightsAt& weights_at, std::size_t stem) const;

    std::int64_t first_ = 0;
    int hop_ = kModelHop;
    std::size_t frames_ = 0;
    std::vector<float> power_;  // [frame][band]
    std::size_t row_ = 0;       // masks of a frame (MaskMap::row_size())
    std::vector<float> masks_;  // [frame][stem or part][band]
    std::vector<float> open_;   // [frame], see consonants.h
};

}  // namespace rivlen
