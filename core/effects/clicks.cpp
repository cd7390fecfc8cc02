// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/effects/clicks.h"

#include <algorithm>
#include <cmath>

#include "core/base/vector_code.h"
#include "core/dsp/decibels.h"

namespace rivlen {

namespace {
constexpr double kClickHopSeconds = 0.02;
constexpr std::size_t kClickHops = 4;
constexpr double kNearSeconds = 0.0015, kFarSeconds = 0.016, kJoinSeconds = 0.0004;
constexpr double kOverTypical = 9;  // times the median of the error, at least
constexpr double kEdge = 0.3;       // of a click, against its largest error
constexpr double kLongestSeconds = 0.006;
constexpr std::size_t kTypicalStep = 4;
constexpr float kLeast = 3e-5F;  // -90 dBFS
std::size_t frames(double seconds, double rate) {
    return static_cast<std::size_t>(std::lround(seconds * rate));
}

// The smaller of both magnitudes.
RIVLEN_VECTOR_CODE void take_smaller(float* __restrict error, const float* __restrict other,
                                     std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        const float a = std::abs(error[i]), b = std::abs(other[i]);
        error[i] = a < b ? a : b;
    }
}
}  // namespace

ClickRemover::ClickRemover(int sample_rate, std::size_t channels)
    : OverlapAddProcessor(kClickHops * frames(kClickHopSeconds, sample_rate),
                          frames(kClickHopSeconds, sample_rate), channels),
      rate_(sample_rate),
      near_(frames(kNearSeconds, sample_rate)),
      far_(frames(kFarSeconds, sample_rate)),
      apart_(frames(kJoinSeconds, sample_rate)),
      predictor_(kOrder, window()),
      interpolator_(kOrder, frames(kLongestSeconds, sample_rate) + 2 * kOrder),
      error_(window()),
      sorted_(window()) {
    missing_.reserve(window());
}

void ClickRemover::set(std::span<const double> all) {
    const ParameterBlock<EffectType::Clicks> values(all);
    if (values == values_) return;
    values_ = values;
    over_ = amplitude_of_db(values[parameter::kClickOverDb]);
    longest_ = frames(values[parameter::kClickLongestMs] / 1000, rate_);
}

// The error at a place stands out of what is around it.
bool ClickRemover::is_click(std::size_t at, double typical) const {
    const auto height = static_cast<double>(error_[at]);
    if (height < kOverTypical * typical) return false;
    const auto most = static_cast<float>(height / over_);
    for (std::size_t i = at - std::min(at, far_); i + near_ < at; ++i) {
        if (error_[i] >= most) return false;
    }
    for (std::size_t i = at + near_ + longest_; i < std::min(error_.size(), at + longest_ + far_); ++i) {
        if (error_[i] >= most) return false;
    }
    return true;
}

// Of the samples on both sides of a click, out to where it is compared.
float ClickRemover::loudest_around(std::span<const float> sound, std::size_t at) const {
    float loudest = kLeast;
    for (std::size_t i = at - std::min(at, far_ + longest_); i + near_ + longest_ < at; ++i)
        loudest = std::max(loudest, std::abs(sound[i]));
    for (std::size_t i = at + near_ + longest_; i < std::min(sound.size(), at + longest_ + far_); ++i)
        loudest = std::max(loudest, std::abs(sound[i]));
    return loudest;
}

void ClickRemover::repair(std::span<float> sound) {
    if (!predictor_.fit(sound)) return;
    // A bad sample disturbs the prediction of those behind it, or, backwards, of those before it: only at
    // itself both err.
    predictor_.residual(sound, error_);
    predictor_.residual_backwards(sound, sorted_);
    take_smaller(error_.data(), sorted_.data(), error_.size());
    // Every fourth says as well what is typical.
    const std::size_t some = sorted_.size() / kTypicalStep;
    for (std::size_t i = 0; i < some; ++i) sorted_[i] = error_[kTypicalStep * i];
    const auto middle = sorted_.begin() + static_cast<std::ptrdiff_t>(some / 2);
    std::nth_element(sorted_.begin(), middle, sorted_.begin() + static_cast<std::ptrdiff_t>(some));
    const auto typical = static_cast<double>(*middle);
    // A hop in the middle, so that both sides are known.
    const std::size_t from = window() / 2 - hop() / 2;
    std::size_t rejected = error_.size();  // the highest place that was looked at last
    for (std::size_t i = from; i < from + hop(); ++i) {
        const float height = error_[i];
        // The highest place of a click speaks for it.
        if (height < kLeast || height < kOverTypical * typical) continue;
        const std::size_t to = std::min(error_.size(), i + longest_);
        std::size_t top = i;
        for (std::size_t j = i; j < to; ++j) {
            if (error_[j] > error_[top]) top = j;
        }
        if (top == rejected) continue;
        if (!is_click(top, typical)) {
            rejected = top;
            continue;
        }
        // Out to where the error is small on either side.
        const float edge = std::max(static_cast<float>(kEdge) * error_[top] / static_cast<float>(over_),
                                    static_cast<float>(4 * typical));
        std::size_t first = top;
        for (std::size_t j = top; j > 0 && top - j < longest_ && first - j <= apart_; --j) {
            if (error_[j] > edge) first = j;
        }
        std::size_t last = top;
        for (std::size_t j = top; j < std::min(error_.size(), top + longest_) && j - last <= apart_; ++j) {
            if (error_[j] > edge) last = j;
        }
        // Where it is quiet all around, a click that rings is predictable: there its height tells how far it
        // goes.
        const float quiet = 2 * loudest_around(sound, top);
        for (std::size_t j = top; j > 0 && top - j < longest_ && first <= j + apart_; --j) {
            if (std::abs(sound[j]) > quiet) first = std::min(first, j);
        }
        for (std::size_t j = top; j < std::min(sound.size(), top + longest_) && j <= last + apart_; ++j) {
            if (std::abs(sound[j]) > quiet) last = std::max(last, j);
        }
        missing_.clear();
        const std::size_t margin = 2;
        const std::size_t end = std::min(last + margin, first + longest_);
        for (std::size_t j = first - std::min(first, margin); j <= end; ++j) missing_.push_back(j);
        if (interpolator_.fill(predictor_.coefficients(), missing_, sound)) ++repaired_;
        i = end;
    }
}

void ClickRemover::work(ChannelBlock sound) {
    leaves_instead_of(energy_of(sound.first(hop())));
    std::array<bool, kMostChannels> as_first{};  // mono on several channels is worked on once
    for (std::size_t c = 1; c < sound.size(); ++c) as_first[c] = std::ranges::equal(sound[0], sound[c]);
    const std::size_t before = repaired_;
    repair(sound[0]);
    const std::size_t of_first = repaired_ - before;
    for (std::size_t c = 1; c < sound.size(); ++c) {
        if (!as_first[c]) {
            repair(sound[c]);
            continue;
        }
        std::ranges::copy(sound[0], sound[c].begin());
        repaired_ += of_first;
    }
}

}  // namespace rivlen
