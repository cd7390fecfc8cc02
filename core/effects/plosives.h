// SPDX-License-Identifier: GPL-3.0-or-later
// Plosives: the thump of p and b blown at a microphone.
#pragma once

#include "core/dsp/biquad.h"
#include "core/effects/overlap_add.h"

namespace rivlen {

// Symmetrical low-pass: three running means, and what they leave of what they take, so that lows pass evenly
// and nothing at 1 / length passes at all (twicing: J. W. Tukey, "Exploratory Data Analysis", 1977, chapter
// 16). Costs the same whatever its length.
class RunningLowPass {
  public:
    explicit RunningLowPass(std::size_t longest);
    void set_length(std::size_t length);  // odd; forgets
    void reset();
    [[nodiscard]] std::size_t delay() const { return 3 * (length_ - 1); }
    [[nodiscard]] float step(float x);

  private:
    static constexpr std::size_t kMeans = 6;
    struct Mean {
        std::vector<float> ring;
        double sum = 0;
    };
    std::size_t length_ = 1, at_ = 0, first_at_ = 0;
    std::array<Mean, kMeans> means_;
    std::vector<float> first_;  // behind the first three, waiting for the others
};

// A thump has more below 45 Hz than a voice ever has against what it has between 250 Hz and 4 kHz. Where the
// one comes within the threshold of the other, and only there, the lows are subtracted, from 50 ms ahead of
// what gave it away. (Ours; common practice does it by hand.)
class PlosiveRemover : public Processor {
  public:
    explicit PlosiveRemover(int sample_rate, std::size_t channels = 2);
    [[nodiscard]] std::int64_t latency() const override { return static_cast<std::int64_t>(ahead_); }
    void reset() override;
    void set(std::span<const double> values) override;
    void process(ChannelBlock block) override;
    [[nodiscard]] double reduction_db() const override { return reduction_db_; }
    // Thumps since the last reset.
    [[nodiscard]] std::size_t found() const { return found_; }

  private:
    static constexpr std::size_t kSections = 2;
    void begin_length();
    double rate_;
    std::size_t ahead_;
    ParameterBlock<EffectType::Plosives> values_;
    std::size_t length_ = 1, wanted_length_ = 1;
    std::int64_t settling_ = 0;  // frames until the low-pass knows enough
    std::vector<RunningLowPass> low_pass_;
    std::array<BiquadFilter, kSections> low_detector_, voice_low_, voice_high_;
    double low_ = 0, voice_ = 0, loud_ = 0, steady_ = 0,
           fade_ = 0;  // powers, and the share that is subtracted
    double keep_short_, keep_long_;
    std::int64_t hold_ = 0;
    bool inside_ = false;
    std::vector<std::vector<float>> line_;
    std::size_t at_ = 0;
    std::size_t found_ = 0;
    double reduction_db_ = 0;
};

}  // namespace rivlen
