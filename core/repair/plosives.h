// Plosives: the thump of p and b blown at a microphone.
#pragma once

#include "core/chain/biquad.h"
#include "core/repair/windowed.h"

namespace rivlen {

// A thump has more below 60 Hz than a voice ever has against what it has between 250 Hz and 4 kHz. Where the one comes
// within the threshold of the other, and only there, the lows fade over to what a high-pass of 24 dB per octave leaves
// of them, 20 ms ahead of the thump. (Ours; common practice does it by hand.)
class PlosiveRemover : public Processor {
  public:
    explicit PlosiveRemover(int sample_rate);
    [[nodiscard]] std::int64_t latency() const override { return static_cast<std::int64_t>(ahead_); }
    void reset() override;
    void set(std::span<const double> values) override;
    void process(StereoBlock block) override;
    [[nodiscard]] double reduction_db() const override { return reduction_db_; }
    // Thumps since the last reset.
    [[nodiscard]] std::size_t found() const { return found_; }

  private:
    static constexpr std::size_t kSections = 2;
    double rate_;
    std::size_t ahead_;
    std::array<double, 3> values_{};
    std::array<std::array<BiquadFilter, kSections>, kMixChannels> high_pass_;
    std::array<BiquadFilter, kSections> low_detector_, voice_low_, voice_high_;
    double low_ = 0, voice_ = 0, steady_ = 0, fade_ = 0;  // powers, and the share of the high-pass
    double keep_short_, keep_long_;
    std::int64_t hold_ = 0;
    bool inside_ = false;
    std::array<std::vector<float>, kMixChannels> line_;
    std::size_t at_ = 0;
    std::size_t found_ = 0;
    double reduction_db_ = 0;
};

}  // namespace rivlen
