// SPDX-License-Identifier: GPL-3.0-or-later
// Mixes to teach with, and to measure by: lessons, varied, with other sound, and other sound alone.
#pragma once

#include <array>
#include <vector>

#include "core/base/rng.h"
#include "core/separation/teacher.h"
#include "engine/learning/stem_spectra.h"
#include "engine/network.h"

namespace rivlen {

// A mix whose parts are known, as far as SI-SDR needs them.
struct KnownMix {
    torch::Tensor features;   // [frames, 3, 256]
    torch::Tensor power;      // [frames, 256]: of the mix, over bins and sides
    torch::Tensor agreement;  // [4, frames, 256]: of the mix with each stem (real part of products)
    std::array<double, kStems> energy{};  // of the stems; 0: does not sound
};
// SI-SDR in dB of every stem that the masks [4, frames, 256] cut out of the mix (Le Roux et al., "SDR:
// half-baked or well done?", 2019), over bins of the spectrum; 0 where a stem does not sound.
[[nodiscard]] std::array<double, kStems> si_sdr_db(const KnownMix& mix, const torch::Tensor& masks);

class LessonClips {
  public:
    // network: the model that is taught; it says how much of a talker is reverb. wish: as
    // core/separation/teacher.h wants it; outlives this.
    LessonClips(const TeachingWish& wish, SeparationNetwork& network);

    // A clip of kTeachingClipSeconds; of every two, one has a lesson in it. Parts of music come together from
    // one song.
    [[nodiscard]] Example draw(Rng& rng) const;
    // From what is never learned from; always the same for the same wish.
    [[nodiscard]] std::vector<KnownMix> with_lessons() const;
    [[nodiscard]] std::vector<KnownMix> without_lessons() const;

  private:
    using Sides = std::array<std::vector<float>, 2>;
    struct OwnSound {  // of one lesson
        std::size_t mask = 0;
        std::array<Sides, kStems> learned, kept;  // empty where the lesson has nothing of a stem
        [[nodiscard]] const Sides& longest() const { return learned[mask]; }
    };
    using Wanted = std::array<bool, kStems>;  // of other sound, by mask
    struct Parts {
        std::array<StemSpectra, kStems> stems;
        double bandwidth_hz = 24000;
    };
    enum class From { Learned, Kept };
    [[nodiscard]] Parts lesson_parts(Rng& rng, From from, std::size_t lesson) const;
    // What a lesson is mixed with, and what goes into a mix without one.
    [[nodiscard]] Wanted drawn_with(std::size_t mask, Rng& rng) const;
    [[nodiscard]] Wanted drawn_without(Rng& rng) const;
    // The n-th of those to measure by.
    [[nodiscard]] Wanted measured_with(std::size_t mask, int n) const;
    [[nodiscard]] Wanted measured_without(int n) const;
    void add_others(Parts& parts, Wanted wanted, Rng& rng, From from) const;
    [[nodiscard]] Blend blend_of(const Parts& parts, Rng& rng) const;

    std::vector<OwnSound> lessons_;
    std::vector<std::size_t> taught_;  // masks, each once
    bool of_parts_;                    // of the music
    const TeachingWish* wish_;
};

}  // namespace rivlen
