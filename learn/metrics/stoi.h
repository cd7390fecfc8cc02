// SPDX-License-Identifier: GPL-3.0-or-later
// Short-time objective intelligibility.
// STOI: C. H. Taal, R. C. Hendriks, R. Heusdens, J. Jensen, "An algorithm for intelligibility prediction of
// time-frequency weighted noisy speech", IEEE Trans. Audio, Speech, Language Process. 19(7), 2011.
// ESTOI: J. Jensen, C. H. Taal, "An algorithm for predicting the intelligibility of speech masked by
// modulated noise maskers", IEEE/ACM Trans. Audio, Speech, Language Process. 24(11), 2016.
#pragma once

#include <span>

namespace rivlen {

struct Intelligibility {
    double stoi = 0, estoi = 0;  // about 0 to 1
};

// clean and processed: equally long and aligned, at sample_rate. Both are 0 when the clean voice sounds for
// less than 0.4 s.
[[nodiscard]] Intelligibility intelligibility(std::span<const float> clean, std::span<const float> processed,
                                              int sample_rate);

}  // namespace rivlen
