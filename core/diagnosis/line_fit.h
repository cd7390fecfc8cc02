// SPDX-License-Identifier: GPL-3.0-or-later
// A straight line through points, which the measures of a recording's faults share.
#pragma once

namespace rivlen {

// Straight line through points, by least squares.
class LineFit {
  public:
    void add(double x, double y) {
        n_ += 1;
        sx_ += x;
        sy_ += y;
        sxx_ += x * x;
        sxy_ += x * y;
    }
    // Enough points, and not all at one x.
    [[nodiscard]] bool fits(int least_points) const { return n_ >= least_points && spread() > 0; }
    [[nodiscard]] double slope() const { return (n_ * sxy_ - sx_ * sy_) / spread(); }
    [[nodiscard]] double at_zero() const { return (sy_ - slope() * sx_) / n_; }

  private:
    [[nodiscard]] double spread() const { return n_ * sxx_ - sx_ * sx_; }
    double n_ = 0, sx_ = 0, sy_ = 0, sxx_ = 0, sxy_ = 0;
};

}  // namespace rivlen
