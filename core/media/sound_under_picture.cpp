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
      waiting_(decoder_.info().sample_rate, static_cast<std::size_t>(decoder_.info().channels)) {}

Result<SoundUnderPicture> SoundUnderPicture::open(const std::filesystem::path& path, int stream_index,
                                                  const std::atomic<bool>* stop) {
    auto decoder = AudioDecoder::open(path, stream_index, stop);
    if (!decoder) return decoder.error();
    return SoundUnderPicture(std::move(*decoder), path);
}

void SoundUnderPicture::put(std::span<const float> interleaved) {
    bounded_.assign(interleaved.begin(), interleaved.end());
    for (float& x : bounded_) {
        if (!std::isfinite(x)) {
            x = 0.0F;
            ++not_finite_;
        } else if (std::abs(x) > kLargestSourceSample) {
            x = std::copysign(kLargestSourceSample, x);
            ++too_loud_;
        }
    }
    waiting_.append_interleaved(bounded_);
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
    waiting_.drop_front(at_);
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

Status SoundUnderPicture::next(std::int64_t frames, AudioBlock& out) {
    if (out.channels() != waiting_.channels() || out.sample_rate() != waiting_.sample_rate())
        out = AudioBlock(waiting_.sample_rate(), waiting_.channels());
    out.clear();
    while (static_cast<std::int64_t>(out.frames()) < frames) {
        const std::int64_t wanted = frames - static_cast<std::int64_t>(out.frames());
        const auto there = static_cast<std::int64_t>(waiting_.frames() - at_);
        if (silent_ > 0) {
            const std::int64_t count = std::min(wanted, silent_);
            out.resize(out.frames() + static_cast<std::size_t>(count));
            silent_ -= count;
        } else if (there > 0) {
            const auto count = static_cast<std::size_t>(std::min(wanted, there));
            out.append(waiting_, at_, count);
            at_ += count;
        } else if (ended_) {
            break;
        } else if (auto status = fill(); !status) {
            return status;
        }
    }
    return {};
}

}  // namespace rivlen
