// SPDX-License-Identifier: GPL-3.0-or-later
// BSS Eval: E. Vincent, R. Gribonval, C. Fevotte, "Performance measurement in blind audio source separation",
// IEEE Trans. Audio, Speech, Language Process. 14(4), 2006, with the allowed distortion of section III-B: a
// time-invariant filter of `taps` taps. Not the later image measures.
#pragma once

#include <memory>
#include <span>
#include <vector>

namespace rivlen {

struct BssFigures {
    double sdr_db = 0, sir_db = 0, sar_db = 0;
};

// The references are transformed and their Gram matrix factored once; then any number of estimates.
class BssEval {
  public:
    // references: signals of equal length; silent ones are left out. taps: 512 in the paper's toolbox.
    explicit BssEval(std::span<const std::vector<float>> references, int taps = 512);
    BssEval(BssEval&&) noexcept;
    BssEval& operator=(BssEval&&) noexcept;
    ~BssEval();

    // Figures of an estimate of reference `target`; limited to +-120 dB. All -120 for a silent target.
    [[nodiscard]] BssFigures measure(std::span<const float> estimate, std::size_t target) const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rivlen
