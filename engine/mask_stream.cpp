// SPDX-License-Identifier: GPL-3.0-or-later
#include "engine/mask_stream.h"

#include <algorithm>

#include "core/separation/mask_map.h"

namespace rivlen {

using torch::Tensor;

namespace {

// Memory that is kept from one piece to the next: getting tens of megabytes from the system, zeroed, for
// every unit took a fifth of a split's time.
Tensor at_least(Tensor& buffer, const std::vector<std::int64_t>& shape) {
    if (!buffer.defined() || buffer.size(0) < shape[0]) buffer = torch::empty(shape);
    return buffer.narrow(0, 0, shape[0]);
}

}  // namespace

Tensor MaskStream::Waiting::append(const SeparationNetwork& network, std::int64_t count) {
    if (!buffer.defined() || buffer.size(0) < steps + count) {
        auto larger = torch::empty(network->shape_of(steps + count, 1));
        if (steps > 0) larger.narrow(0, 0, steps).copy_(buffer.narrow(0, 0, steps));
        buffer = larger;
    }
    steps += count;
    return buffer.narrow(0, steps - count, count);
}

void MaskStream::Waiting::drop_before(std::int64_t window, std::int64_t memory) {
    const std::int64_t gone = std::min((window - first) * memory, steps);
    if (gone <= 0) return;
    // What stays is two windows at most, which may overlap what went.
    const auto rest = buffer.narrow(0, gone, steps - gone).clone();
    buffer.narrow(0, 0, steps - gone).copy_(rest);
    first = window;
    steps -= gone;
}

MaskStream::MaskStream(SeparationNetwork network) : network_(std::move(network)) {
    begin(true);
}

void MaskStream::begin(bool at_start) {
    waiting_.resize(static_cast<std::size_t>(network_->spec().blocks) + 1);
    for (std::size_t i = 0; i < waiting_.size(); ++i) {
        // Away from the start, every block needs a window more to warm up.
        const auto valid_from = at_start ? std::int64_t{0} : static_cast<std::int64_t>(i);
        waiting_[i].first = valid_from;
        waiting_[i].steps = 0;
        waiting_[i].next = at_start || i + 1 == waiting_.size() ? valid_from : valid_from + 1;
    }
    features_.clear();
    skip_frames_ = at_start ? 0 : network_->context_frames();
}

void MaskStream::run_block(std::size_t block, bool last) {
    const std::int64_t memory = network_->spec().memory_steps;
    Waiting& in = waiting_[block];
    const std::int64_t whole = in.steps / memory;
    // The last window that is there is looked at by the one before it.
    const std::int64_t begin = (in.next - in.first) * memory;
    const std::int64_t end = last ? in.steps : (whole - 1) * memory;
    if (end <= begin) return;
    const auto x = in.buffer.narrow(0, 0, in.steps);
    const auto y = at_least(along_time_, network_->shape_of(in.steps, 1));
    network_->along_time(block, x, {begin, end}, y);
    network_->finish_block(block, y.narrow(0, begin, end - begin),
                           waiting_[block + 1].append(network_, end - begin));
    in.next += (end - begin + memory - 1) / memory;
    in.drop_before(in.next - 1, memory);
}

void MaskStream::finish(bool last, const Take& take) {
    const std::int64_t window_frames = network_->stride_frames();
    Waiting& in = waiting_.back();
    if (in.steps == 0) return;
    const auto there = static_cast<std::int64_t>(features_.size()) / kFeatures;
    const std::int64_t frames = last ? there : in.steps * network_->spec().patch_frames;
    const auto features =
        torch::from_blob(features_.data(), {1, frames, kFeatureChannels, kBands}, torch::kFloat32);
    const auto masks = at_least(masks_, {frames, kStems, kBands});
    network_->head_into(in.buffer.narrow(0, 0, in.steps), features, masks.unsqueeze(0));
    features_.erase(features_.begin(), features_.begin() + frames * kFeatures);
    in.first += (frames + window_frames - 1) / window_frames;
    in.steps = 0;
    in.next = in.first;
    take({masks.data_ptr<float>(), static_cast<std::size_t>(masks.numel())});
}

void MaskStream::push(std::span<const float> features, bool last, const Take& take) {
    const torch::NoGradGuard no_grad;
    const auto frames = static_cast<std::int64_t>(features.size() / kFeatures);
    const std::int64_t patch = network_->spec().patch_frames;
    // from_blob takes a pointer to non-const; the network does not write to its input.
    const auto in = torch::from_blob(const_cast<float*>(features.data()),  // NOLINT
                                     {1, frames, kFeatureChannels, kBands});
    network_->embed_into(in, waiting_.front().append(network_, (frames + patch - 1) / patch));
    const std::int64_t skipped = std::min(skip_frames_, frames);
    skip_frames_ -= skipped;
    features_.insert(features_.end(), features.begin() + skipped * kFeatures, features.end());
    for (std::size_t i = 0; i + 1 < waiting_.size(); ++i) run_block(i, last);
    finish(last, take);
}

}  // namespace rivlen
