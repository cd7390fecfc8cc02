// SPDX-License-Identifier: GPL-3.0-or-later
// Where somebody speaks in a programme, and how loud it is there.
#pragma once

#include <cstdint>
#include <vector>

#include "core/base/audio_block.h"
#include "core/delivery/scratch_sound.h"
#include "core/metering/loudness.h"
#include "core/project/target.h"
#include "core/separation/audition.h"

namespace rivlen {

struct SpokenParts {
    std::vector<LoopRange> ranges;  // frames of the sound they were found in, in order
    int sample_rate = 0;            // Hz, of these frames
    double share = 0;               // of the whole, 0 to 1
};

// Whether there is enough speech for a target that asks for it; else all of the programme is measured.
[[nodiscard]] inline bool is_anchor(const SpokenParts* parts) {
    return parts != nullptr && parts->share >= kLeastSpeechShare;
}

// By the level of the dialogue alone, every 100 ms, with hysteresis (core/dsp/activity.h). Nothing under
// -55 dBFS is taken for speech: what is left of other sounds in a dialogue stem lies there. Errors: Io,
// Cancelled.
[[nodiscard]] Result<SpokenParts> find_spoken_parts(const ScratchSound& dialogue, const JobControl& job);

// Loudness of the spoken parts alone, as one programme (ITU-R BS.1770-5 with its gates): speech-gated
// loudness. Fed with all of a sound, in order, at any rate.
class SpokenLoudness {
  public:
    SpokenLoudness(SpokenParts parts, int sample_rate, int channels);
    void add(const AudioBlock& block);
    // Missing where nobody speaks.
    [[nodiscard]] Level integrated_lufs() const { return meter_.result().integrated_lufs; }

  private:
    std::vector<LoopRange> ranges_;  // in frames of what is fed
    std::size_t next_ = 0;
    std::int64_t at_ = 0;
    LoudnessMeter meter_;
    AudioBlock part_;
};
[[nodiscard]] Result<Level> spoken_lufs(const ScratchSound& sound, const SpokenParts& parts,
                                        const JobControl& job);

}  // namespace rivlen
