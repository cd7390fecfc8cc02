// SPDX-License-Identifier: GPL-3.0-or-later
#pragma once

#include <vector>

namespace rivlen::learn {

struct Judged {
    double score;
    bool wrong;
};

// Area under the receiver's curve, by ranks (Mann and Whitney, "On a test of whether one of two random
// variables is stochastically larger than the other", 1947): how often something wrong scores higher than
// something right, ties half. 0 where everything is wrong, or nothing.
[[nodiscard]] double area_under_curve(std::vector<Judged> all);

}  // namespace rivlen::learn
