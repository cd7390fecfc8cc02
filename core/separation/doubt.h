// SPDX-License-Identifier: GPL-3.0-or-later
// Where masks may be wrong, without knowing the truth: by what another model says of the same moment, and by
// how evenly the masks themselves are shared. How well it finds what is wrong is measured
// (docs/correcting.md).
#pragma once

#include <array>
#include <cstdint>
#include <span>
#include <vector>

#include "core/base/job.h"
#include "core/base/result.h"
#include "core/media/source.h"
#include "core/separation/mask_map.h"

namespace rivlen {

inline constexpr double kDoubtStepSeconds = 0.05;

// Dialogue and its reverb count as one: what goes from one to the other is no mistake that needs a hand.
enum class DoubtKind { Voice, Music, Ambience };
inline constexpr std::size_t kDoubtKinds = 3;
// The parts of the music (MusicPart) are told apart in the same way, within the music.
inline constexpr std::size_t kMostDoubtKinds = kMusicParts;

// Sums over the frames and bands of a step, from which its measures are worked out. Each is 0 to 1.
class DoubtSums {
  public:
    // power: kBands; shown and other: kMaskRow values, the masks that are judged and those of the other
    // model.
    void add(std::span<const float> power, std::span<const float> shown, std::span<const float> other) {
        add_bands(0, kBands, power, shown, other);
    }
    // The same of bands [first, last) only.
    void add_bands(std::size_t first, std::size_t last, std::span<const float> power,
                   std::span<const float> shown, std::span<const float> other);
    // Of the parts of the music: energy is the music's, and kinds are MusicParts. opened: kOpenedRow values.
    void add_parts(std::size_t first, std::size_t last, std::span<const float> power,
                   std::span<const float> opened);
    void add(const DoubtSums& sums);
    [[nodiscard]] double energy() const { return all_; }
    // Share of the energy that the two models give to different kinds.
    [[nodiscard]] double disagreement() const;
    // Mean of 1 - sum of squared masks (Gini's impurity), by energy: 0 where every band is one kind's alone.
    [[nodiscard]] double openness() const;
    // Both together, as if they were independent signs: 1 - (1 - disagreement) (1 - openness).
    [[nodiscard]] double doubt() const;
    // Of the doubt, what lies between a kind as it is shown and another that the other model gives it to, or
    // might.
    [[nodiscard]] double from_to(DoubtKind shown, DoubtKind other) const;
    // Of the energy, as it is shown.
    [[nodiscard]] double share(DoubtKind kind) const;
    void clear() { *this = {}; }

  private:
    using Kinds = std::array<double, kMostDoubtKinds>;  // what there is none of has no share
    void add_band(double power, const Kinds& shown, const Kinds& other);
    double all_ = 0, differing_ = 0, open_ = 0;
    Kinds shown_{};
    std::array<Kinds, kMostDoubtKinds> moved_{};  // [shown][other]
};

// Doubt by time and pitch.
struct DoubtPicture {
    static constexpr std::size_t kRowBands = 8;
    static constexpr std::size_t kRows = kBands / kRowBands;  // from the lowest bands on
    // [step][row], 255 is all doubt; fading to nothing for rows that have 20 to 40 dB less energy than the
    // whole step.
    std::vector<std::uint8_t> cells;
    [[nodiscard]] std::size_t steps() const { return cells.size() / kRows; }
};

struct DoubtLine {
    std::vector<float> doubt;  // for every step; 0 where it is silent
    DoubtPicture picture;      // of the same steps
    // [shown][other]: how much of the step's energy would change its kind if the other model were right.
    std::array<std::array<std::vector<float>, kDoubtKinds>, kDoubtKinds> moved;
};

// Goes through the recording in pieces, so that memory does not grow with its length. Both maps are of the
// same recording; where there is no other one, `other` is `shown` again, and only openness counts. Errors:
// Cancelled.
[[nodiscard]] Result<DoubtLine> measure_doubt(const Source& source, const MaskMap& shown,
                                              const MaskMap& other, const JobControl& job = {});

// How evenly the music is shared out to its parts, by the energy of the music: one model knows them, so that
// openness is all that is said, and nothing is `moved`. Nothing where there is no music, or where it does not
// open. Errors: Cancelled.
[[nodiscard]] Result<DoubtLine> measure_parts_doubt(const Source& source, const MaskMap& opened,
                                                    const JobControl& job = {});

}  // namespace rivlen
