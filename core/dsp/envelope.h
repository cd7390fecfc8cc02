// SPDX-License-Identifier: GPL-3.0-or-later
// One-pole smoothing: after one time constant 1 - 1/e of a step is reached.
#pragma once

#include <algorithm>
#include <cmath>

namespace rivlen {

[[nodiscard]] inline double one_pole(double ms, double sample_rate) {
    return std::exp(-1000.0 / (std::max(ms, 1e-3) * sample_rate));
}

// Rises with one time constant and falls with another.
class AttackRelease {
  public:
    void set(double attack_ms, double release_ms, double sample_rate) {
        rise_ = one_pole(attack_ms, sample_rate);
        fall_ = one_pole(release_ms, sample_rate);
    }
    void reset(double value = 0) { value_ = value; }
    double step(double x) {
        const double a = x > value_ ? rise_ : fall_;
        value_ = a * value_ + (1 - a) * x;
        return value_;
    }
    [[nodiscard]] double value() const { return value_; }

  private:
    double rise_ = 0, fall_ = 0, value_ = 0;
};

}  // namespace rivlen
