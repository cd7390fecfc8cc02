// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/separation/sum_check.h"

#include <algorithm>
#include <cmath>

namespace rivlen {

void SumCheck::add(std::int64_t start, std::span<const AudioBlock> stems, const AudioBlock* whole) {
    for (std::size_t c = 0; c < stems[0].channels(); ++c) {
        original_.resize(stems[0].frames());
        if (whole != nullptr) {
            std::ranges::copy((*whole)[c], original_.begin());
        } else {
            source_->read(static_cast<int>(c), start, original_);
        }
        for (std::size_t i = 0; i < original_.size(); ++i) {
            float sum = 0.0F;
            for (const auto& stem : stems) sum += stem[c][i];
            peak_ = std::max(peak_, std::abs(static_cast<double>(sum) - static_cast<double>(original_[i])));
        }
    }
}

double SumCheck::result_dbfs() const {
    return peak_ > 0.0 ? std::max(-200.0, 20.0 * std::log10(peak_)) : -200.0;
}

}  // namespace rivlen
