// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/mix/aligning.h"

#include "core/dsp/alignment.h"

namespace rivlen {

namespace {

// The mean of the first two channels of what a clip's recording has there.
Result<std::vector<float>> mono_of(const MixPlan& plan, int clip) {
    const PlannedClip* planned = plan.clip(clip);
    if (planned == nullptr || !planned->media.source) {
        return make_error(ErrorKind::NotFound,
                          "A clip or its recording is no longer there. Choose two clips and try again.");
    }
    const Source& source = *planned->media.source;
    if (static_cast<double>(planned->clip.length) > kLongestAlignedSeconds * source.sample_rate()) {
        return make_error(ErrorKind::BadInput,
                          "Clips longer than an hour are not aligned by their sound. Cut them first.");
    }
    std::vector<float> left(static_cast<std::size_t>(planned->clip.length)), right(left.size());
    source.read(0, planned->clip.offset, left);
    source.read(std::min(1, source.channels() - 1), planned->clip.offset, right);
    for (std::size_t i = 0; i < left.size(); ++i) left[i] = 0.5F * (left[i] + right[i]);
    return left;
}

}  // namespace

Result<std::int64_t> offset_to_align(const MixPlan& plan, int reference, int moved, const JobControl& job) {
    auto steady = mono_of(plan, reference);
    if (!steady) return steady.error();
    auto other = mono_of(plan, moved);
    if (!other) return other.error();
    const auto found = align(*steady, *other, plan.timeline().sample_rate, job);
    if (job.cancelled()) return JobControl::cancelled_error();
    if (!found || found->distinctness < kDistinct) {
        return make_error(ErrorKind::BadInput,
                          "Nothing in the two clips is alike enough to align them by. Choose clips that hold "
                          "the same words or the same clap.");
    }
    return plan.clip(reference)->clip.start + found->lag_frames - plan.clip(moved)->clip.start;
}

}  // namespace rivlen
