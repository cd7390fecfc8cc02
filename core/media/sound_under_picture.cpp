// SPDX-License-Identifier: GPL-3.0-or-later
#include "core/media/sound_under_picture.h"

#include <algorithm>
#include <cmath>
#include <iterator>

#include "core/dsp/decibels.h"

namespace rivlen {

namespace {

constexpr double kLatestHours = 24;

}  // namespace

SoundUnderPicture::SoundUnderPicture(AudioDecoder decoder, std::filesystem::path path)
    : decoder_(std::move(decoder)),
      path_(std::move(path)),
      waiting_(static_cast<std::size_t>(decoder_.info().channels)) {}

Result<SoundUnderPicture> SoundUnderPicture::open(const std::filesystem::path& path, int stream_index,
                                                  const std::atomic<bool>* stop) {
    auto decoder = AudioDecoder::open(path, stream_index, stop);
    if (!decoder) return decoder.error();
    return SoundUnderPicture(std::move(*decoder), path);
}

void SoundUnderPicture::put(std::span<const float> interleaved) {
    const std::size_t channels = waiting_.size();
    for (std::size_t i = 0; i < interleaved.size(); ++i) {
        float x = interleaved[i];
        if (!std::isfinite(x)) {
            x = 0.0F;
            ++not_finite_;
        } else if (std::abs(x) > kLargestSourceSample) {
            x = std::copysign(kLargestSourceSample, x);
            ++too_loud_;
        }
        waiting_[i % channels].push_back(x);
    }
}

std::vector<std::string> SoundUnderPicture::warnings() const {
    std::vector<std::string> all;
    if (not_finite_ > 0)
        all.push_back(fmt::format(
            "{} samples are not numbers and are played as silence; write the recording again from its "
            "origin if they matter.",
            not_finite_));
    if (too_loud_ > 0)
        all.push_back(
            fmt::format("{} samples are louder than any sound ({:.0f} dBFS) and were bounded; write the "
                        "recording again from its origin if they matter.",
                        too_loud_, db_of_amplitude(static_cast<double>(kLargestSourceSample))));
    std::ranges::move(decoder_.notes().sentences(), std::back_inserter(all));
    return all;
}

Status SoundUnderPicture::fill() {
    for (auto& channel : waiting_)
        channel.erase(channel.begin(), channel.begin() + static_cast<std::ptrdiff_t>(at_));
    at_ = 0;
    auto block = decoder_.read();
    if (!block) return block.error();
    if (block->empty()) {
        ended_ = true;
        return {};
    }
    const int channels = decoder_.info().channels;
    if (!begun_) {  // only now the decoder knows exactly where its first sample lies
        begun_ = true;
        const double lead = decoder_.start_after_picture_seconds();
        if (lead > kLatestHours * 3600)
            return make_error(
                ErrorKind::BadInput,
                "The sound of \"{}\" says that it begins {:.0f} hours after its picture, which cannot "
                "be right. Set its start anew in the program that it comes from.",
                path_.string(), lead / 3600);
        const std::int64_t frames = std::llround(lead * decoder_.info().sample_rate);
        silent_ = std::max<std::int64_t>(0, frames);
        to_drop_ = std::max<std::int64_t>(0, -frames);
    }
    const std::int64_t dropped = std::min(to_drop_, static_cast<std::int64_t>(block->size()) / channels);
    to_drop_ -= dropped;
    put(std::span<const float>(*block).subspan(static_cast<std::size_t>(dropped * channels)));
    return {};
}

Status SoundUnderPicture::next(std::int64_t frames, std::vector<std::vector<float>>& out) {
    out.resize(waiting_.size());
    for (auto& channel : out) channel.clear();
    while (static_cast<std::int64_t>(out[0].size()) < frames) {
        const std::int64_t wanted = frames - static_cast<std::int64_t>(out[0].size());
        const auto there = static_cast<std::int64_t>(waiting_[0].size() - at_);
        if (silent_ > 0) {
            const std::int64_t count = std::min(wanted, silent_);
            for (auto& channel : out) channel.insert(channel.end(), static_cast<std::size_t>(count), 0.0F);
            silent_ -= count;
        } else if (there > 0) {
            const auto count = static_cast<std::ptrdiff_t>(std::min(wanted, there));
            for (std::size_t c = 0; c < out.size(); ++c) {
                const auto from = waiting_[c].begin() + static_cast<std::ptrdiff_t>(at_);
                out[c].insert(out[c].end(), from, from + count);
            }
            at_ += static_cast<std::size_t>(count);
        } else if (ended_) {
            break;
        } else if (auto status = fill(); !status) {
            return status;
        }
    }
    return {};
}

}  // namespace rivlen
